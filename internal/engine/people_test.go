package engine

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/emersion/go-smtp"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/store"
)

// postOffice takes mails, unless it is told to fail.
type postOffice struct {
	mu    sync.Mutex
	fails *smtp.SMTPError
	mails []string // "to1,to2: letter"
}

func (p *postOffice) NewSession(*smtp.Conn) (smtp.Session, error) { return &postSession{p: p}, nil }

type postSession struct {
	p  *postOffice
	to []string
}

func (s *postSession) Mail(string, *smtp.MailOptions) error { return nil }
func (s *postSession) Rcpt(to string, _ *smtp.RcptOptions) error {
	s.to = append(s.to, to)
	return nil
}

func (s *postSession) Data(r io.Reader) error {
	letter, err := io.ReadAll(r)
	s.p.mu.Lock()
	defer s.p.mu.Unlock()
	if s.p.fails != nil {
		return s.p.fails
	}
	s.p.mails = append(s.p.mails, strings.Join(s.to, ",")+": "+string(letter))
	return err
}
func (s *postSession) Reset()        { s.to = nil }
func (s *postSession) Logout() error { return nil }

func (p *postOffice) got() []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return append([]string{}, p.mails...)
}

// opens starts the office's mail server and connects the workspace to it.
func (s *stage) opensPost(p *postOffice) {
	s.t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	s.must(err)
	server := smtp.NewServer(p)
	server.Domain, server.AllowInsecureAuth = "office", true
	go func() { _ = server.Serve(l) }() // it ends with the server
	s.t.Cleanup(func() { _ = server.Close() })
	s.put("connection", "connection: office\nkind: smtp\naddress: "+l.Addr().String()+"\nfrom: pip@brackwater.example\n")
}

func TestPeopleAreToldAndTakeOver(t *testing.T) {
	s := openStage(t)
	post := &postOffice{}
	s.opensPost(post)
	s.put("person", "person: kim\nname: Kim\naddress: kim@brackwater.example\nteams: [crew]\n")
	id := s.rings("+447700900150", "1", "do you run on Christmas Day?")
	contains(t, s.answered(1)[0], "asked a colleague")
	s.until("the crew is told", func() bool { return len(post.got()) == 1 })
	contains(t, strings.ReplaceAll(post.got()[0], "=\r\n", ""), "kim@brackwater.example,robin@brackwater.example: ", "Christmas Day", "https://chat.example.org/inbox/"+id, "auto-generated")
	c := s.conversation(id)
	if c.Lead != dialogue.Waiting || c.Reason != bot.OnNotKnown || c.WaitingSince.IsZero() {
		t.Errorf("the conversation stands at %+v", c)
	}
	if _, err := s.Inbox.Reply(t.Context(), id, "Robin", "No.", ""); !errors.Is(err, store.ErrLead) {
		t.Errorf("somebody who has not taken the conversation replied: %v", err)
	}
	s.must(s.Inbox.Take(t.Context(), id, "Robin", false))
	s.must(s.Inbox.Take(t.Context(), id, "Robin", false)) // again, and nothing happens
	if err := s.Inbox.Take(t.Context(), id, "Kim", false); !errors.Is(err, store.ErrLead) {
		t.Errorf("Kim took what Robin has: %v", err)
	}
	first, err := s.Inbox.Reply(t.Context(), id, "Robin", "We rest on Christmas Day.", "key")
	s.must(err)
	again, err := s.Inbox.Reply(t.Context(), id, "Robin", "We rest on Christmas Day.", "key")
	if err != nil || again.ID != first.ID {
		t.Errorf("a repeat became %+v, %v", again, err)
	}
	s.answered(2)
	if c := s.conversation(id); !c.WaitingSince.IsZero() {
		t.Error("the clock runs although Robin has answered")
	}
	s.must(s.Inbox.Take(t.Context(), id, "Kim", true))
	if _, err := s.Inbox.Reply(t.Context(), id, "Robin", "x", ""); !errors.Is(err, store.ErrLead) {
		t.Errorf("Robin replied although Kim has taken over: %v", err)
	}
	contains(t, strings.Join(s.lines(id), "\n"), "event: Escalated to people: the bot does not know", "event: Robin took the conversation", "event: Kim took the conversation")
	// What Robin said is proposed as a lesson, without the customer.
	lessons, err := s.Store().Lessons(t.Context(), "proposed", 10)
	if err != nil || len(lessons) != 1 || !strings.Contains(lessons[0].Answer, "rest on Christmas Day") || lessons[0].GapID == "" {
		t.Errorf("lessons are %+v, %v", lessons, err)
	}
	s.must(s.Inbox.Close(t.Context(), id, "Kim"))
	if c := s.conversation(id); c.Outcome != "person" || c.Lead != dialogue.Closed {
		t.Errorf("closed as %+v", c)
	}
	for _, act := range []error{s.Inbox.Take(t.Context(), id, "Kim", true), s.Inbox.Return(t.Context(), id, "Kim", false), s.Inbox.Close(t.Context(), id, "Kim")} {
		if !errors.Is(act, store.ErrLead) {
			t.Errorf("a closed conversation was changed: %v", act)
		}
	}
	if other := s.rings("+447700900150", "2", "hello"); other == id {
		t.Error("after the close no new conversation began")
	}
}

func TestAMailThatIsRefusedIsGivenUpAndOneThatIsNotIsTriedAgain(t *testing.T) {
	s := openStage(t)
	post := &postOffice{fails: &smtp.SMTPError{Code: 451, Message: "try later"}}
	s.opensPost(post)
	s.rings("+447700900150", "1", "a human please")
	s.until("it was tried", func() bool {
		e := s.effects("pending")
		return len(e) == 1 && e[0].Kind == "notify" && e[0].Attempts == 1
	})
	post.mu.Lock()
	post.fails = nil
	post.mu.Unlock()
	s.walking("it is sent", func() bool { return len(post.got()) == 1 })
	post.mu.Lock()
	post.fails = &smtp.SMTPError{Code: 550, Message: "no such mailbox"}
	post.mu.Unlock()
	s.rings("+447700900151", "2", "a human please")
	s.until("it is given up", func() bool { return len(s.effects("failed")) == 1 })
	contains(t, s.effects("failed")[0].Error, "550", "no such mailbox")
	// A team without anybody is named, not passed over.
	s.must(s.Documents.Remove(t.Context(), "person", "robin"))
	s.rings("+447700900152", "3", "a human please")
	s.until("it is named", func() bool {
		for _, e := range s.effects("pending") {
			if strings.Contains(e.Error, "team/crew has no people") {
				return true
			}
		}
		return false
	})
}

func TestTheTeamIsCalledAsItSays(t *testing.T) {
	s := openStage(t)
	s.put("person", "person: kim\nname: Kim\naddress: kim@brackwater.example\nteams: [crew]\n")
	c := s.config.Load()
	for to, want := range map[string]string{
		"team/crew": "[kim@brackwater.example robin@brackwater.example]", "person/kim": "[kim@brackwater.example]",
		"desk@brackwater.example": "[desk@brackwater.example]", "team/gone": "[]", "person/gone": "[]",
	} {
		if got := fmt.Sprint(c.addresses(to)); got != want {
			t.Errorf("%s reaches %s, want %s", to, got, want)
		}
	}
	s.put("team", "team: crew\ncall: in order\norder: [robin, kim]\n")
	if got := fmt.Sprint(s.config.Load().addresses("team/crew")); got != "[robin@brackwater.example]" {
		t.Errorf("in order it reaches %s", got)
	}
}

// What is known goes to the sheet and the CRM once it is complete, and again when
// it changes.
func TestWhatIsKnownIsWrittenOut(t *testing.T) {
	s := openStage(t)
	var mu sync.Mutex
	var written []string
	s.world.answers(func(w http.ResponseWriter, r *http.Request) {
		raw, _ := io.ReadAll(r.Body)
		mu.Lock()
		defer mu.Unlock()
		if r.Method != http.MethodGet {
			written = append(written, r.Method+" "+r.Header.Get("Idempotency-Key")+" "+string(raw))
		}
		fmt.Fprint(w, `{"items":[]}`)
	})
	id := s.rings("+447700900150", "1", "my mail is ada@example.org")
	s.settled(id)
	s.until("the CRM has it", func() bool { mu.Lock(); defer mu.Unlock(); return len(written) == 1 })
	contains(t, written[0], `"email":"ada@example.org"`, `"phone":"+447700900150"`, "as said by the customer")
	s.rings("+447700900150", "2", "what does a bicycle cost?")
	s.settled(id)
	s.rings("+447700900150", "3", "I'm Ada Brill")
	s.until("the CRM has the name", func() bool { mu.Lock(); defer mu.Unlock(); return len(written) == 2 })
	contains(t, written[1], `"name":"Ada Brill"`)
	if one, two := strings.Fields(written[0])[1], strings.Fields(written[1])[1]; one == two || one == "" {
		t.Errorf("both were written under the key %s", one)
	}
	rows, err := s.Store().Rows(t.Context(), "enquiries")
	if err != nil || len(rows) != 1 || rows[0].Cells["Name"] != "Ada Brill" || rows[0].Cells["E-mail"] != "ada@example.org" {
		t.Errorf("the rows are %+v, %v", rows, err)
	}
	s.until("the file follows", func() bool {
		file, err := os.ReadFile(s.Sheets.File("enquiries"))
		return err == nil && string(file) == "Name,E-mail\r\nAda Brill,ada@example.org\r\n"
	})
	contains(t, strings.Join(s.lines(id), "\n"), "event: Row written to the sheet enquiries")
	s.settled(id)
	if strings.Count(strings.Join(s.lines(id), "\n"), "Row written") != 2 {
		t.Errorf("what did not change was written again: %q", s.lines(id))
	}
}

// A sheet whose file cannot be written is written once it can.
func TestASheetsFileIsWrittenAgain(t *testing.T) {
	s := openStage(t)
	file := s.Sheets.File("enquiries")
	s.settled(s.rings("+447700900151", "0", "my mail is bob@example.org"))
	s.until("it is there", func() bool { _, err := os.Stat(file); return err == nil })
	s.must(os.Remove(file))
	s.must(os.MkdirAll(file+"/in-the-way", 0o700))
	s.settled(s.rings("+447700900150", "1", "my mail is ada@example.org"))
	s.until("its writing is put off", func() bool { _, ok := s.clock.Next(); return ok })
	s.must(os.RemoveAll(file))
	s.walking("it is written", func() bool {
		raw, err := os.ReadFile(file)
		return err == nil && strings.Contains(string(raw), "ada@example.org")
	})
}

// Vectors from a model outside are fetched before the decision, bounded in time;
// when they are not there, words must do.
func TestAModelOutsideMakesTheVectors(t *testing.T) {
	s := openStage(t)
	s.put("connection", "connection: model\nkind: http\naddress: "+s.world.URL+"/v1\n")
	var mu sync.Mutex
	var texts []string
	slow := make(chan struct{})
	answering := true
	s.world.answers(func(w http.ResponseWriter, r *http.Request) {
		raw, _ := io.ReadAll(r.Body)
		mu.Lock()
		ok := answering
		texts = append(texts, string(raw))
		mu.Unlock()
		if !ok {
			select {
			case <-slow:
			case <-r.Context().Done():
			}
			return
		}
		var data []string
		for i := range strings.Count(string(raw), `","`) + 1 {
			vector := make([]string, 64)
			for j := range vector {
				vector[j] = "0.1"
			}
			data = append(data, fmt.Sprintf(`{"index":%d,"embedding":[%s]}`, i, strings.Join(vector, ",")))
		}
		fmt.Fprintf(w, `{"data":[%s]}`, strings.Join(data, ","))
	})
	s.put("settings", "settings: main\nembeddings: { connection: model, model: small }\n")
	s.until("the passages have vectors", func() bool {
		left, err := s.Store().PassagesWithout(t.Context(), "model/small/"+knowledge.ViewsVersion, 10)
		return err == nil && len(left) == 0
	})
	s.rings("+447700900150", "1", "what does a bicycle cost?")
	contains(t, s.answered(1)[0], "£2.50")
	mu.Lock()
	asked := strings.Join(texts, "\n")
	answering = false
	mu.Unlock()
	contains(t, asked, "what does a bicycle cost?", "tea counter")
	s.rings("+447700900151", "2", "do dogs travel free?")
	s.until("the model is asked", func() bool {
		mu.Lock()
		defer mu.Unlock()
		return strings.Contains(texts[len(texts)-1], "do dogs travel free?")
	})
	begun := s.clock.Now()
	s.wait("it is answered by its words", func() bool { return len(s.sent()) == 2 }, func() { s.clock.Walk(100 * time.Millisecond) })
	if took := s.clock.Now().Sub(begun); took < time.Second || took > 5*time.Second {
		t.Errorf("the model was waited for %s", took)
	}
	contains(t, s.sent()[1], "lead")
	close(slow)
}

// A trial, a quiz and a customer get the same answer.
func TestTrialsQuizzesAndCustomersGetTheSame(t *testing.T) {
	s := openStage(t)
	for i, asked := range []string{"what does a bicycle cost?", "is there food on board?", "do you run on Christmas Day?"} {
		s.rings(fmt.Sprintf("+44770090020%d", i), fmt.Sprint(i), asked)
		customer := s.answered(i + 1)[i]
		trial, err := s.Try(t.Context(), Trial{Bot: "front-desk", Message: asked})
		s.must(err)
		desk, err := s.Desk("front-desk")
		s.must(err)
		if single := desk.Ask(t.Context(), asked).Words; trial.Words != customer || single != customer {
			t.Errorf("%q: the customer reads %q, the trial says %q, a single question %q", asked, customer, trial.Words, single)
		}
	}
	if _, err := s.Desk("nobody"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("nobody's desk: %v", err)
	}
	// A trial keeps nothing and touches nothing.
	before := len(s.world.requests())
	turn, err := s.Try(t.Context(), Trial{Bot: "front-desk", Message: "my mail is eve@example.org. I want to talk to a person"})
	s.must(err)
	if turn.Memory["email"].Value != "eve@example.org" || turn.State.Lead != dialogue.Waiting {
		t.Errorf("the trial came to %+v", turn)
	}
	if rows, err := s.Store().Rows(t.Context(), "enquiries"); err != nil || len(rows) != 0 || len(s.world.requests()) != before {
		t.Errorf("a trial wrote %+v, or asked %v", rows, s.world.requests()[before:])
	}
}

// A send that outlives its time is broken off and tried again.
func TestASendHasItsTime(t *testing.T) {
	s := openStage(t)
	var mu sync.Mutex
	tries := 0
	s.bell.OnSend = func(ctx context.Context, _ channel.Outgoing) error {
		mu.Lock()
		tries++
		first := tries == 1
		mu.Unlock()
		if first {
			<-ctx.Done()
			return ctx.Err()
		}
		return nil
	}
	s.rings("+447700900150", "1", "is there food on board?")
	s.until("it hangs", func() bool { mu.Lock(); defer mu.Unlock(); return tries == 1 })
	s.clock.Walk(sendTime - time.Second)
	if e := s.effects("pending"); len(e) != 1 || e[0].Attempts != 0 {
		t.Errorf("it was broken off before its time: %+v", e)
	}
	s.walking("it is sent", func() bool { return len(s.sent()) == 1 })
	if took := s.clock.Now().Sub(start); took < sendTime {
		t.Errorf("it took %s", took)
	}
}
