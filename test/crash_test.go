package test

import (
	"bufio"
	"bytes"
	"context"
	"encoding/base64"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"urgentparrot.example/client"
	"urgentparrot.example/demo"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/kinds"
	"urgentparrot.example/internal/world"
)

// A process is the real program, serving.
type process struct {
	command *exec.Cmd
	link    string
	address string
}

// serve starts the program over a data folder and waits until it is ready.
func serve(t *testing.T, data, listen string, more ...string) *process {
	t.Helper()
	p := &process{command: exec.Command(program(t), append([]string{"serve", "-data", data, "-listen", listen, "-workspace", "brackwater", "-allow", "127.0.0.1"}, more...)...)}
	var complaints bytes.Buffer
	p.command.Stderr = &complaints
	out, err := p.command.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := p.command.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { p.kill() })
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if _, address, ok := strings.Cut(lines.Text(), "is ready at "); ok {
			p.address = address
		}
		if _, link, ok := strings.Cut(lines.Text(), "day): "); ok {
			p.link = link
			return p
		}
	}
	t.Fatalf("the program did not get ready: %s", complaints.String())
	return nil
}

// kill ends the program at once, as a power cut would (SIGKILL).
func (p *process) kill() {
	_ = p.command.Process.Kill() // it may have ended already
	_ = p.command.Wait()
}

// signedIn returns a client for a program that has just started.
func (p *process) signedIn(t *testing.T) *client.Client {
	t.Helper()
	link, err := url.Parse(p.link)
	if err != nil {
		t.Fatal(err)
	}
	c := &client.Client{Server: p.address}
	token, err := c.NewToken(t.Context(), client.SignIn{Code: link.Query().Get("code"), Name: "Robin"})
	if err != nil {
		t.Fatal(err)
	}
	c.Token = token.Token
	return c
}

// setUp writes the demo business into a service through its API.
func setUp(t *testing.T, c *client.Client, at demo.Outside, secret string) {
	t.Helper()
	documents, err := demo.Documents(at)
	if err != nil {
		t.Fatal(err)
	}
	for _, d := range documents {
		kind, _ := document.Find(kinds.Documents, d.Kind)
		if _, err := c.PutDocument(t.Context(), kind.Plural, d.Name, d.Text, 0); err != nil {
			t.Fatalf("%s %s: %v", d.Kind, d.Name, err)
		}
	}
	for connection, secret := range map[string]string{"text-gateway": secret, "office-mailbox": world.OfficePassword} {
		if err := c.PutSecret(t.Context(), connection, secret); err != nil {
			t.Fatal(err)
		}
	}
	for _, name := range []string{"questions.csv", "fares.md"} {
		content, err := os.ReadFile(filepath.Join("..", "demo", "knowledge", name))
		if err != nil {
			t.Fatal(err)
		}
		if _, err := c.AddSource(t.Context(), name, bytes.NewReader(content)); err != nil {
			t.Fatal(err)
		}
	}
}

// freePort returns an address that nobody listens on.
func freePort(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	return l.Addr().String()
}

// A siege is a service that is killed again and again while everything goes on at once:
// texts, tools, rows, the CRM, mails, crawls, and people who reply.
type siege struct {
	t       *testing.T
	ctx     context.Context
	kills   int
	phones  int
	outside *world.World
	client  *client.Client
	crawls  atomic.Int64
	replied sync.Map // by telephone: a person's words, acknowledged
}

// textsEach is how many texts each telephone sends.
const textsEach = 8

func (s *siege) phone(n int) string { return fmt.Sprintf("+4477%08d", 90_000_000+n) }

// wants reports whether a telephone asks for a person at its end.
func (s *siege) wants(phone int) bool { return phone%5 == 0 }

// words are what a telephone sends.
func (s *siege) words(phone, i int) string {
	switch {
	case i == 0:
		return fmt.Sprintf("hello, my name is Ada and my mail is ada%d@example.org", phone)
	case i == textsEach-1 && s.wants(phone):
		return wish
	}
	return []string{"is there food on board?", "When is the next boat to Hallow Point?", "can i take my bike?", "Do you run at night?"}[(phone+i)%4]
}

// insists does something until the service, which may be down, has taken it.
func (s *siege) insists(what string, do func() error) {
	tick := time.NewTicker(50 * time.Millisecond)
	defer tick.Stop()
	for {
		err := do()
		var answered *client.Error
		if err == nil || s.ctx.Err() != nil {
			return
		}
		if errors.As(err, &answered) && answered.Status < 500 {
			s.t.Errorf("%s: %v", what, err)
			return
		}
		<-tick.C
	}
}

// wish is how a telephone asks for a person.
const wish = "let me talk to someone please"

// told reports whether the bot's word that a person will come in has reached a telephone:
// one who comes in before silences it, as it must.
func (s *siege) told(phone int) bool {
	last := fmt.Sprintf("t-%d-%d", phone, textsEach-1)
	return slices.ContainsFunc(s.outside.Handset.Texts(s.phone(phone)), func(text world.Text) bool { return slices.Contains(text.Answers, last) })
}

// waiting returns all who wait for a person, as far as they can be had.
func (s *siege) waiting() (list []client.Conversation) {
	for cursor := ""; ; {
		page, err := s.client.Conversations(s.ctx, "waiting", "", cursor)
		list = append(list, page.Items...)
		if cursor = page.Next; err != nil || cursor == "" {
			return list
		}
	}
}

// people take whoever asked for one, and reply once to each.
func (s *siege) people(done <-chan struct{}) {
	asking := map[string]int{}
	for phone := range s.phones {
		if s.wants(phone) {
			asking[s.phone(phone)] = phone
		}
	}
	tick := time.NewTicker(100 * time.Millisecond)
	defer tick.Stop()
	for {
		select {
		case <-tick.C:
		case <-done:
			return
		}
		for _, c := range s.waiting() {
			phone, asks := asking[c.Address]
			if _, already := s.replied.Load(c.Address); already || !asks || !s.told(phone) {
				continue // others go on asking the bot
			}
			words := "Robin here, about " + c.ID
			s.insists("take", func() error { _, err := s.client.Take(s.ctx, c.ID, true); return err })
			s.insists("reply", func() error { _, err := s.client.Reply(s.ctx, c.ID, words, "key-"+c.ID); return err })
			s.replied.Store(c.Address, words)
		}
	}
}

// reads has the website read, again and again.
func (s *siege) reads(source string, done <-chan struct{}) {
	tick := time.NewTicker(300 * time.Millisecond)
	defer tick.Stop()
	for {
		select {
		case <-tick.C:
			if _, err := s.client.ReadSource(s.ctx, source); err == nil {
				s.crawls.Add(1)
			}
		case <-done:
			return
		}
	}
}

// around is an outside world for a service at an address: it, where it listens, and the secret
// that signs texts.
func around(t *testing.T, listen string) (outside *world.World, at demo.Outside, secret string) {
	t.Helper()
	secret = "whsec_" + base64.StdEncoding.EncodeToString([]byte("a secret that only this test knows"))
	outside, err := world.New(world.Options{Service: "http://" + listen, Workspace: "brackwater", Secret: secret})
	if err != nil {
		t.Fatal(err)
	}
	pages := httptest.NewServer(outside)
	t.Cleanup(pages.Close)
	at.World = pages.URL
	for address, serve := range map[*string]func(net.Listener) error{&at.Mailroom: outside.ServeMail, &at.Mailbox: outside.ServeMailbox} {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = l.Close() })
		*address = l.Addr().String()
		go func() { _ = serve(l) }() // it ends with its listener
	}
	return outside, at, secret
}

// Nothing acknowledged is lost, and nothing is done twice that the other side can
// recognise, although the service is killed again and again while all goes on at once
// (promises 1, 2 and 6). make kills does it a hundred times.
func TestACrashLosesNothingAndRepeatsNothing(t *testing.T) {
	kills := 3
	if more, err := strconv.Atoi(os.Getenv("KILLS")); err == nil {
		kills = more
	}
	phones := max(25, 3*kills)
	texts := phones * textsEach
	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute+time.Duration(kills)*10*time.Second)
	defer cancel()
	data, listen := t.TempDir(), freePort(t)
	outside, at, secret := around(t, listen)
	service := serve(t, data, listen)
	s := &siege{t: t, ctx: ctx, kills: kills, phones: phones, outside: outside, client: service.signedIn(t)}
	setUp(t, s.client, at, secret)
	site, err := s.client.AddWeb(ctx, client.WebSource{Name: "website", Address: at.World + "/website/", Follow: true, Pages: 20})
	if err != nil {
		t.Fatal(err)
	}
	booked := len(outside.ClientBook.People())

	acknowledged, done := make(chan string, texts), make(chan struct{})
	var sending, others sync.WaitGroup
	places := make(chan struct{}, 25)
	for phone := range phones {
		sending.Go(func() {
			places <- struct{}{}
			defer func() { <-places }()
			for i := range textsEach {
				id := fmt.Sprintf("t-%d-%d", phone, i)
				if err := outside.Handset.Send(ctx, s.phone(phone), id, s.words(phone, i)); err != nil {
					t.Errorf("%s: %v", id, err)
					return
				}
				acknowledged <- id
			}
		})
	}
	others.Go(func() { s.people(done) })
	others.Go(func() { s.reads(site.ID, done) })
	// Each kill comes in the middle of the work: after so many acknowledgements.
	for range kills {
		for range texts / (kills + 1) {
			<-acknowledged
		}
		service.kill()
		service = serve(t, data, listen)
	}
	sending.Wait()
	s.settles(texts)
	close(done)
	others.Wait()
	s.counts(texts, booked, site.ID)
}

// settles waits until all is answered and nothing is under way.
func (s *siege) settles(texts int) {
	s.t.Helper()
	answered := map[string]int{}
	if _, err := s.outside.Handset.Await(s.ctx, "", func(replies []world.Text) bool {
		answered = map[string]int{}
		people := 0
		for _, r := range replies {
			for _, id := range r.Answers {
				answered[id]++
			}
			if strings.HasPrefix(r.Text, "Robin here") {
				people++
			}
		}
		return len(answered) >= texts && people >= (s.phones+4)/5
	}); err != nil {
		for phone := range s.phones {
			for i := range textsEach {
				if id := fmt.Sprintf("t-%d-%d", phone, i); answered[id] == 0 {
					s.t.Logf("not answered: %s %q", id, s.words(phone, i))
				}
			}
		}
		s.t.Fatalf("%d of %d texts were answered: %v", len(answered), texts, err)
	}
	for id, times := range answered {
		if times != 1 {
			s.t.Errorf("the text %s was answered %d times", id, times)
		}
	}
	tick := time.NewTicker(50 * time.Millisecond)
	defer tick.Stop()
	for {
		status, err := s.client.Status(s.ctx)
		if err != nil {
			s.t.Fatal(err)
		}
		if status.Counts.Pending == 0 {
			if len(status.Troubles) > 0 {
				s.t.Errorf("in trouble are %+v", status.Troubles)
			}
			return
		}
		<-tick.C
	}
}

// counts holds what is kept, and what the outside world has, against what was done.
func (s *siege) counts(texts, booked int, site string) {
	t := s.t
	t.Helper()
	kept, conversations, cursor := 0, 0, ""
	for {
		page, err := s.client.Conversations(s.ctx, "", "", cursor)
		if err != nil {
			t.Fatal(err)
		}
		for _, conversation := range page.Items {
			conversations++
			messages, err := s.client.Messages(s.ctx, conversation.ID, "")
			if err != nil {
				t.Fatal(err)
			}
			replies, mine := map[string]int{}, 0
			for _, m := range messages.Items {
				switch m.Author {
				case "customer":
					mine++
					replies[m.Turn] += 0
				case "bot":
					replies[m.Turn]++
				}
			}
			for turn, n := range replies {
				if turn == "" || n != 1 {
					t.Errorf("%s: the turn %q made %d replies", conversation.Address, turn, n)
				}
			}
			if kept += mine; mine != textsEach {
				t.Errorf("%s: %d texts are kept, want %d", conversation.Address, mine, textsEach)
			}
		}
		if cursor = page.Next; cursor == "" {
			break
		}
	}
	if conversations != s.phones {
		t.Errorf("there are %d conversations, want %d", conversations, s.phones)
	}
	people := map[string]int{}
	for _, text := range s.outside.Handset.Texts("") {
		if strings.HasPrefix(text.Text, "Robin here") {
			people[text.Phone]++
		}
	}
	wanted := 0
	for phone := range s.phones {
		if !s.wants(phone) {
			continue
		}
		if wanted++; people[s.phone(phone)] != 1 {
			t.Errorf("%s has %d replies of a person", s.phone(phone), people[s.phone(phone)])
		}
	}
	if mails := len(s.outside.Mailroom.Mails()); mails < wanted {
		t.Errorf("%d mails tell of %d who wait", mails, wanted)
	}
	records := map[string]int{}
	for _, p := range s.outside.ClientBook.People()[booked:] {
		records[p.Email]++
	}
	for email, n := range records {
		if n != 1 {
			t.Errorf("%s has %d records in the client book", email, n)
		}
	}
	rows, err := s.client.Rows(s.ctx, "enquiries")
	if err != nil || len(records) != s.phones || len(rows.Items) != s.phones {
		t.Errorf("%d records and %d rows of %d customers, %v", len(records), len(rows.Items), s.phones, err)
	}
	// The reading that the last kill cut off is taken up by itself.
	tick := time.NewTicker(100 * time.Millisecond)
	defer tick.Stop()
	for source, err := s.client.Source(s.ctx, site); source.State != "ready"; source, err = s.client.Source(s.ctx, site) {
		if <-tick.C; err != nil {
			t.Fatalf("the website is %s: %v", source.State, err)
		}
	}
	passages, err := s.client.Passages(s.ctx, site)
	if err != nil || len(passages.Items) == 0 {
		t.Errorf("the website has %d passages, %v", len(passages.Items), err)
	}
	response, err := http.Get(s.client.Server + "/readyz")
	if err != nil || response.StatusCode != http.StatusOK {
		t.Errorf("after the crashes: %v, %v", response, err)
	}
	t.Logf("%d kills: %d texts, %d kept, each answered once; %d replies of people, %d mails, %d rows, %d records, %d crawls begun", s.kills, texts, kept, wanted, len(s.outside.Mailroom.Mails()), len(rows.Items), len(records), s.crawls.Load())
}
