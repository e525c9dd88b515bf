package test

import (
	"encoding/json"
	"errors"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/service"
	"urgentparrot.example/internal/world"
)

// asked is a text of a connection that asks the office at the consent desk.
func (s *stage) asked(text, scope string) string {
	return text + "consent:\n  issuer: " + s.WorldURL + "/consent-desk\n  client: " + world.ConsentClient + "\n  scopes: [" + scope + "]\n"
}

// kept returns the text of a connection as it is kept.
func (s *stage) kept(connection string) string {
	s.t.Helper()
	d, err := s.client.Document(s.ctx, "connections", connection)
	s.must(err)
	return d.Text
}

// asksForConsent makes a connection ask for consent, with the secret of the service there.
func (s *stage) asksForConsent(connection, scope string) {
	s.t.Helper()
	_, err := s.client.PutDocument(s.ctx, "connections", connection, s.asked(s.kept(connection), scope), 0)
	s.must(err)
	s.must(s.client.PutSecret(s.ctx, connection, world.ConsentSecret))
}

// A signedIn person has a browser in which somebody is signed in to the console.
type signedIn struct {
	s *stage
	*http.Client
}

func (s *stage) signsIn(person string) signedIn {
	s.t.Helper()
	jar, err := cookiejar.New(nil)
	s.must(err)
	in := signedIn{s, &http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}}
	link, err := s.SignInLink(s.ctx, service.DemoWorkspace, person)
	s.must(err)
	code := link[strings.LastIndexAny(link, "=#/")+1:]
	in.posts("/api/v1/sessions", `{"code":"`+code+`","name":"`+person+`"}`, http.StatusCreated, nil)
	return in
}

func (in signedIn) posts(path, body string, wanted int, into any) {
	in.s.t.Helper()
	request, err := http.NewRequest(http.MethodPost, in.s.PublicURL+path, strings.NewReader(body))
	in.s.must(err)
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set("Origin", in.s.PublicURL)
	response, err := in.Do(request)
	in.s.must(err)
	defer response.Body.Close()
	if response.StatusCode != wanted {
		in.s.t.Fatalf("%s: %s", path, response.Status)
	}
	if into != nil {
		in.s.must(json.NewDecoder(response.Body).Decode(into))
	}
}

// says answers what the desk asks, at an address, and returns where the person is sent back to.
func (in signedIn) says(address, decision string) string {
	in.s.t.Helper()
	u, err := url.Parse(address)
	in.s.must(err)
	form := u.Query()
	form.Set("decision", decision)
	u.RawQuery = ""
	response, err := in.PostForm(u.String(), form)
	in.s.must(err)
	response.Body.Close()
	if response.StatusCode != http.StatusSeeOther {
		in.s.t.Fatalf("the desk answers %s", response.Status)
	}
	return response.Header.Get("Location")
}

// comesBack follows the way back, and returns the status and where it leads on.
func (in signedIn) comesBack(to string) (int, string) {
	in.s.t.Helper()
	response, err := in.Get(to)
	in.s.must(err)
	response.Body.Close()
	return response.StatusCode, response.Header.Get("Location")
}

// connects lets the service in to the other side of a connection.
func (in signedIn) connects(connection string) {
	in.s.t.Helper()
	var ask client.ConsentAddress
	in.posts("/api/v1/connections/"+connection+"/consent", "", http.StatusCreated, &ask)
	if status, leads := in.comesBack(in.says(ask.Address, "yes")); status != http.StatusSeeOther || leads != "/connections/"+connection {
		in.s.t.Fatalf("back at the service: %d, %s", status, leads)
	}
}

// consent is how it stands with the consent of a connection.
func (s *stage) consent(connection string) client.Consent {
	s.t.Helper()
	state, err := s.client.Consent(s.ctx, connection)
	s.must(err)
	return state
}

// fault is why a channel does not work, "" if it does.
func (s *stage) fault(channel string) string {
	s.t.Helper()
	page, err := s.client.Channels(s.ctx)
	s.must(err)
	for _, ch := range page.Items {
		if ch.Name == channel {
			return ch.Fault
		}
	}
	return "there is no such channel"
}

// A builder connects a mailbox in the console whose owner is asked, and sees who let us in.
func TestABuilderIsLetInByConsent(t *testing.T) {
	s := open(t)
	p := s.console("Robin", false)
	s.must(errors.Join(
		p.Click("Connections", false), p.Click("Office mailbox", false), p.Await(`[...document.querySelectorAll("[role=status]")].some(e => e.innerText.includes("The other side has Drafts, INBOX"))`),
		p.Click("Consent instead of a password", false), p.Fill("Who asks for consent", s.WorldURL+"/consent-desk"), p.Fill("What we are called there", world.ConsentClient), p.Fill("What we ask to be allowed, one more", "mail"),
		p.Await(`!document.querySelector("[aria-label=Problems]")`), p.Click("Put live", false), p.AwaitText("It is not connected yet.", false),
		p.Type(`input[type=password]`, world.ConsentSecret, false), p.Click("Set it", false), p.AwaitText("It is set.", false),
		p.Click("Ask for consent", false), p.AwaitText("reading and sending the office's mails", false), p.Click("No", false),
		p.AwaitText("The office did not want it.", false),
		p.Click("Ask for consent", false), p.AwaitText("May urgent-parrot come in?", false), p.Click("Let it in", false),
		p.AwaitText("Connected by", false), p.AwaitText("The other side has Drafts, INBOX", false),
	))
	s.World.Consents.Withdraw()
	s.must(p.AwaitText("It has to be connected again: the consent was withdrawn", false))
}

// A mailbox works under a consent: its access is renewed unseen; when the consent is taken back
// the channel stops for all to see, and what waits goes out once it is given again.
func TestAMailboxGoesOnUnderAConsent(t *testing.T) {
	s := open(t)
	s.encoded("What does a bicycle cost?")
	channel, err := s.client.Document(s.ctx, "channels", "office-mail")
	s.must(err)
	_, err = s.client.PutDocument(s.ctx, "channels", "office-mail", strings.Replace(channel.Text, "replies: hold", "replies: send", 1), 0)
	s.must(err)
	s.asksForConsent("office-mailbox", "mail")
	if state := s.consent("office-mailbox"); state.Connected || !strings.Contains(state.Fault, "not connected yet") {
		t.Errorf("before anybody was asked: %+v", state)
	}
	robin := s.signsIn("Robin")
	robin.connects("office-mailbox")
	state := s.consent("office-mailbox")
	if !state.Connected || state.By != "Robin" || len(state.Scopes) != 1 || state.Scopes[0] != "mail" || state.EndsAt == nil || state.Fault != "" {
		t.Errorf("connected: %+v", state)
	}
	s.eventually("the channel works", func() bool { return s.fault("office-mail") == "" })

	s.mails("Ada <ada@example.org>", "Bicycle", "What does a bicycle cost?", "")
	s.eventually("it is answered", func() bool { return len(s.World.Mailroom.MailsTo("ada@example.org")) == 1 })

	// The access runs out: nobody sees it.
	s.World.Consents.Expire()
	s.mails("Ben <ben@example.org>", "Bicycle", "What does a bicycle cost?", "")
	s.eventually("it is answered with the next access", func() bool { return len(s.World.Mailroom.MailsTo("ben@example.org")) == 1 })
	if fault := s.fault("office-mail"); fault != "" || s.World.Consents.Renewed() == 0 {
		t.Errorf("renewed %d times, fault %q", s.World.Consents.Renewed(), fault)
	}

	// The office takes it back: the channel says so, and a mail and a person's reply wait.
	conversation := s.conversation("ada@example.org")
	s.World.Consents.Withdraw()
	s.eventually("the channel says so", func() bool { return strings.Contains(s.fault("office-mail"), "connected again") })
	today, err := s.client.Today(s.ctx)
	s.must(err)
	if !slices.ContainsFunc(today.Troubles, func(t client.Trouble) bool {
		return strings.HasPrefix(t.Detail, "Office mailbox: It has to be connected again")
	}) {
		t.Errorf("Today says nothing of it: %+v", today.Troubles)
	}
	_, err = s.World.Mailroom.Write("Cy <cy@example.org>", "Bicycle", "What does a bicycle cost?", "")
	s.must(err)
	_, err = s.client.Take(s.ctx, conversation.ID, false)
	s.must(err)
	_, err = s.client.Reply(s.ctx, conversation.ID, "It is £2.50, as said.", "one")
	s.must(err)

	// Given again, what waited goes on, once each.
	robin.connects("office-mailbox")
	s.eventually("what waited has arrived", func() bool {
		return len(s.World.Mailroom.MailsTo("cy@example.org")) == 1 && len(s.World.Mailroom.MailsTo("ada@example.org")) == 2
	})
}

// A system that takes tokens is called with them: one that it does not take is renewed, and
// nothing that it gives back shows one.
func TestAToolGoesOnUnderAConsent(t *testing.T) {
	s := open(t)
	s.World.ClientBook.Guard.Store(s.World.Consents)
	s.World.Consents.Whole = 7 * 24 * time.Hour
	s.asksForConsent("client-book", "clients")
	s.signsIn("Kim").connects("client-book")
	before := len(s.World.ClientBook.People())
	s.texts("+447700900777", "1", "Hello, my name is Nora Field, my mail is nora@example.org", 1)
	s.eventually("she stands in the book", func() bool { return len(s.World.ClientBook.People()) == before+1 })
	s.World.Consents.Expire()
	s.texts("+447700900778", "2", "Hello, my name is Otto Field, my mail is otto@example.org", 1)
	s.eventually("he does too", func() bool { return len(s.World.ClientBook.People()) == before+2 })
	if n := s.World.Consents.Renewed(); n != 1 {
		t.Errorf("renewed %d times", n)
	}
	// It is asked for again in time.
	if state := s.consent("client-book"); !state.Connected || !strings.HasPrefix(state.Fault, "The consent ends on ") {
		t.Errorf("a week before its end: %+v", state)
	}
	s.must(s.client.WithdrawConsent(s.ctx, "client-book"))
	if state := s.consent("client-book"); state.Connected || s.World.Consents.Given() != 0 {
		t.Errorf("withdrawn here, it holds there: %+v", state)
	}
}

// What leads back to the service is good once, for who was asked, for a while, and for the
// connection as it was.
func TestNobodyElseConsents(t *testing.T) {
	s := open(t)
	s.asksForConsent("office-mailbox", "mail")
	robin, kim := s.signsIn("Robin"), s.signsIn("Kim")
	ask := func() string {
		var a client.ConsentAddress
		robin.posts("/api/v1/connections/office-mailbox/consent", "", http.StatusCreated, &a)
		if strings.Contains(a.Address, world.ConsentSecret) || !strings.Contains(a.Address, "code_challenge_method=S256") {
			t.Errorf("asked at %s", a.Address)
		}
		return a.Address
	}
	unconnected := func(what string) {
		t.Helper()
		if s.consent("office-mailbox").Connected {
			t.Fatalf("connected by %s", what)
		}
	}
	back := robin.says(ask(), "yes")
	if status, _ := (signedIn{s, &http.Client{}}).comesBack(back); status != http.StatusUnauthorized {
		t.Errorf("somebody who is not signed in: %d", status)
	}
	kim.comesBack(back) // it was not Kim who was asked
	unconnected("another person")
	robin.comesBack(back)
	unconnected("an answer that was used up")

	back = robin.says(ask(), "yes")
	u, err := url.Parse(back)
	s.must(err)
	q := u.Query()
	q.Set("code", "another")
	u.RawQuery = q.Encode()
	robin.comesBack(u.String())
	unconnected("a made-up code")
	if state := s.consent("office-mailbox"); !strings.Contains(state.Failed, "invalid_grant") {
		t.Errorf("nobody is told: %+v", state)
	}
	q.Set("state", "another")
	u.RawQuery = q.Encode()
	if status, _ := robin.comesBack(u.String()); status != http.StatusUnprocessableEntity && status != http.StatusBadRequest {
		t.Errorf("an unknown state: %d", status)
	}

	back = robin.says(ask(), "yes")
	text := s.kept("office-mailbox")
	_, err = s.client.PutDocument(s.ctx, "connections", "office-mailbox", strings.Replace(text, "sends: ", "sends: 127.0.0.1:9 # ", 1), 0)
	s.must(err)
	robin.comesBack(back)
	unconnected("an answer for another address")

	// Given for one address, it is not sent to another.
	_, err = s.client.PutDocument(s.ctx, "connections", "office-mailbox", text, 0)
	s.must(err)
	robin.connects("office-mailbox")
	_, err = s.client.PutDocument(s.ctx, "connections", "office-mailbox", strings.Replace(text, "sends: ", "sends: 127.0.0.1:9 # ", 1), 0)
	s.must(err)
	if tested, err := s.client.TestConnection(s.ctx, "office-mailbox"); err != nil || tested.Works || !strings.Contains(tested.Why, "leads to") {
		t.Errorf("%+v, %v", tested, err)
	}
}
