package test

import (
	"bufio"
	"bytes"
	"context"
	"encoding/base64"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
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
func serve(t *testing.T, data, listen string) *process {
	t.Helper()
	p := &process{command: exec.Command(program(t), "serve", "-data", data, "-listen", listen, "-workspace", "brackwater", "-allow", "127.0.0.1")}
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
func setUp(t *testing.T, c *client.Client, worldURL, secret string) {
	t.Helper()
	documents, err := demo.Documents(worldURL, "127.0.0.1:1")
	if err != nil {
		t.Fatal(err)
	}
	for _, d := range documents {
		kind, _ := document.Find(kinds.Documents, d.Kind)
		if _, err := c.PutDocument(t.Context(), kind.Plural, d.Name, d.Text, 0); err != nil {
			t.Fatalf("%s %s: %v", d.Kind, d.Name, err)
		}
	}
	if err := c.PutSecret(t.Context(), "text-gateway", secret); err != nil {
		t.Fatal(err)
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

// Nothing acknowledged is lost, and nothing is answered twice, although the
// service is killed again and again while texts come in (promises 1 and 2).
func TestACrashLosesNothingAndRepeatsNothing(t *testing.T) {
	const (
		texts  = 200
		phones = 25
		kills  = 3
	)
	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
	defer cancel()
	data, listen := t.TempDir(), freePort(t)
	secret := "whsec_" + base64.StdEncoding.EncodeToString([]byte("a secret that only this test knows"))
	outside, err := world.New(world.Options{Service: "http://" + listen, Workspace: "brackwater", Secret: secret})
	if err != nil {
		t.Fatal(err)
	}
	web := httptest.NewServer(outside)
	t.Cleanup(web.Close)
	service := serve(t, data, listen)
	setUp(t, service.signedIn(t), web.URL, secret)

	var sending sync.WaitGroup
	acknowledged := make(chan string, texts)
	for phone := range phones {
		sending.Add(1)
		go func() {
			defer sending.Done()
			for i := range texts / phones {
				id := fmt.Sprintf("t-%d-%d", phone, i)
				question := []string{"is there food on board?", "When is the next boat to Hallow Point?", "can i take my bike?", "Do you run at night?"}[(phone+i)%4]
				if err := outside.Handset.Send(ctx, fmt.Sprintf("+4477009%05d", phone), id, question); err != nil {
					t.Errorf("%s: %v", id, err)
					return
				}
				acknowledged <- id
			}
		}()
	}
	// Each kill comes in the middle of the work: after so many acknowledgements.
	for kill := range kills {
		for range texts / (kills + 1) {
			<-acknowledged
		}
		service.kill()
		arrived, _ := outside.Handset.Await(ctx, "", func([]world.Text) bool { return true })
		t.Logf("kill %d: %d replies had arrived", kill+1, len(arrived))
		service = serve(t, data, listen)
	}
	sending.Wait()

	answered := map[string]int{}
	if _, err := outside.Handset.Await(ctx, "", func(replies []world.Text) bool {
		answered = map[string]int{}
		for _, r := range replies {
			for _, id := range r.Answers {
				answered[id]++
			}
		}
		return len(answered) >= texts
	}); err != nil {
		t.Fatalf("%d of %d texts were answered: %v", len(answered), texts, err)
	}
	for id, times := range answered {
		if times != 1 {
			t.Errorf("the text %s was answered %d times", id, times)
		}
	}

	c := service.signedIn(t)
	kept := map[string]int{}
	conversations, err := c.Conversations(ctx, "", "", "")
	if err != nil {
		t.Fatal(err)
	}
	if len(conversations.Items) != phones {
		t.Errorf("there are %d conversations, want %d", len(conversations.Items), phones)
	}
	for _, conversation := range conversations.Items {
		page, err := c.Messages(ctx, conversation.ID, "")
		if err != nil {
			t.Fatal(err)
		}
		replies := map[string]int{}
		for _, m := range page.Items {
			switch m.Author {
			case "customer":
				kept[conversation.Address]++
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
	}
	for address, n := range kept {
		if n != texts/phones {
			t.Errorf("%s: %d texts are kept, want %d", address, n, texts/phones)
		}
	}
	if len(kept) != phones {
		t.Errorf("texts of %d telephones are kept, want %d", len(kept), phones)
	}
	response, err := http.Get(service.address + "/readyz")
	if err != nil || response.StatusCode != http.StatusOK {
		t.Errorf("after the crashes: %v, %v", response, err)
	}
}
