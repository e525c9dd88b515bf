package test

import (
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/service"
	"urgentparrot.example/internal/world"
)

// ticketState is what the ledger says of a ticket.
func (s *stage) ticketState(number string) string {
	for _, t := range s.World.Ledger.Tickets() {
		if t.Number == number {
			return t.State
		}
	}
	return ""
}

// What a person has to allow is not done before; what they say reaches the customer, once, in
// the console as on the command line; a person who leads the conversation is not talked over.
func TestMoneyIsGivenBackOnceAPersonAllowsIt(t *testing.T) {
	s := open(t)
	v := s.visitor()
	contains(t, s.asks(v, "please refund my ticket bf-1042"), "asked a colleague")
	if got := s.ticketState("BF-1042"); got != "valid" {
		t.Fatalf("before anybody allowed it the ticket is %s", got)
	}
	waiting, err := s.client.Allowances(s.ctx, "")
	s.must(err)
	if len(waiting.Items) != 1 || waiting.Items[0].Arguments["number"] != "BF-1042" || waiting.Items[0].Question == "" {
		t.Fatalf("what waits is %+v", waiting.Items)
	}
	s.eventually("people are told by mail", func() bool {
		for _, m := range s.World.Mailroom.Mails() {
			if strings.Contains(m.Subject+m.Body, "has to allow") && strings.Contains(m.Body, "BF-1042") {
				return true
			}
		}
		return false
	})
	p := s.console("Robin", false)
	s.must(errors.Join(p.Go(s.PublicURL+"/today"), p.AwaitText("What a bot may do only if you allow it", false), p.AwaitText("number: BF-1042", false), p.Click("Allow it", false), p.Await(`!document.body.innerText.includes("Allow it")`)))
	s.eventually("the customer hears of it", func() bool { return strings.Contains(strings.Join(s.said(s.conversation("").ID), "\n"), "£25.9") })
	if got := s.ticketState("BF-1042"); got != "refunded" {
		t.Errorf("after it was allowed the ticket is %s", got)
	}
	var decided *client.Error
	if err := s.client.Refuse(s.ctx, waiting.Items[0].ID, ""); !errors.As(err, &decided) || decided.Status != 409 {
		t.Errorf("a second word is taken: %v", err)
	}

	other := s.visitor()
	s.asks(other, "refund ticket BF-1077 please")
	out, _, _ := s.parrot("", "tool", "waiting")
	contains(t, out, "BF-1077", "refund")
	waiting, err = s.client.Allowances(s.ctx, "")
	s.must(err)
	if out, said, code := s.parrot("", "tool", "refuse", waiting.Items[0].ID[24:], "It was bought more than a year ago."); code != 0 {
		t.Errorf("%s %s", out, said)
	}
	s.eventually("the customer hears why not", func() bool {
		said := strings.Join(s.said(s.conversation("").ID), "\n")
		return strings.Contains(said, "cannot be done") && strings.Contains(said, "more than a year ago")
	})
	if got := s.ticketState("BF-1077"); got != "valid" {
		t.Errorf("a refused refund left the ticket %s", got)
	}

	third := s.visitor()
	s.asks(third, "refund ticket BF-1123 please")
	waiting, err = s.client.Allowances(s.ctx, "")
	s.must(err)
	_, err = s.client.Take(s.ctx, waiting.Items[0].Conversation, false)
	s.must(err)
	if err := s.client.Allow(s.ctx, waiting.Items[0].ID); err == nil {
		t.Error("a bot is let loose where a person leads")
	}
}

// The log says of each call what was sent and what came back, never a secret; a tool that
// fails says so there, and the customer is told that it cannot be reached.
func TestCallsOfToolsAreLogged(t *testing.T) {
	s := open(t)
	s.must(s.client.PutSecret(s.ctx, "ledger", "swordfish-1234"))
	contains(t, s.asks(s.visitor(), "is my ticket BF-1108 still valid?"), "has been used")
	s.World.Harbour.Trouble.Set(true, 0)
	contains(t, s.asks(s.visitor(), "is the boat to gannet holm delayed?"), "cannot reach the harbour office")
	calls, err := s.client.ToolCalls(s.ctx, "")
	s.must(err)
	if len(calls.Items) != 2 || calls.Items[0].State != "failed" || calls.Items[0].Error == "" || calls.Items[1].Status != 200 || calls.Items[1].Conversation == "" {
		t.Fatalf("the log holds %+v", calls.Items)
	}
	call, err := s.client.ToolCall(s.ctx, calls.Items[1].ID)
	s.must(err)
	contains(t, call.Request, "GET ", "/tickets/BF-1108", "***")
	contains(t, call.Response, "Little Sorrel")
	if strings.Contains(call.Request+call.Response, "swordfish") {
		t.Errorf("the log holds the secret: %s", call.Request)
	}
	out, _, _ := s.parrot("", "tool", "calls", "ticket")
	contains(t, out, "number: BF-1108", "done")
	tools, err := s.client.Tools(s.ctx)
	s.must(err)
	for _, info := range tools.Items {
		if info.Name == "boats-running" && (info.Failed != 1 || info.LastError == "" || !slices.Contains(info.Bots, "travel-help")) {
			t.Errorf("how it stands: %+v", info)
		}
	}
}

// A builder makes a tool of what another system says of itself, tries it beside the form, puts
// it live and grants it to a bot, without writing a line of it; a call that may change
// something is not made by trying it.
func TestABuilderMakesAToolOfAnOpenAPIDocument(t *testing.T) {
	s := open(t)
	p := s.console("Robin", false)
	s.must(errors.Join(
		p.Go(s.PublicURL+"/tools"), p.AwaitText("Next boats", false), p.Click("New tool", false), p.AwaitText("From an OpenAPI document", false), p.Click("From an OpenAPI document", false),
		p.AwaitText("Where the document stands", false), p.Await(`[...document.querySelectorAll("option")].some(o => o.text === "Ledger")`), p.Choose("Connection", "ledger"), p.Click("Show what it can do", false),
		p.AwaitText("GET /tickets/{number}", false), p.Await(`(() => { const li = [...document.querySelectorAll("li")].find(l => l.innerText.includes("GET /tickets")); const b = li && [...li.querySelectorAll("button")].at(-1); b?.click(); return !!b })()`),
		p.AwaitText("A new tool", false), p.Fill("Title", "Ticket desk"), p.Fill("number", "BF-1150"), p.Click("Call it", false), p.AwaitText("The customer is told", false), p.AwaitText("state: refunded", false),
		p.Await(`(() => { const b = document.querySelector('[title="result.to"]'); b?.click(); return !!b })()`), p.Click("Put it into the reply", false), p.AwaitText("it stands in the form beside", false),
		p.Await(`![...document.querySelectorAll("button")].find(b => b.innerText === "Put live")?.disabled`), p.Click("Put live", false), p.AwaitText("Version 1 is live", false),
		p.Go(s.PublicURL+"/tools/refund"), p.AwaitText("The tool refund", false), p.Fill("number", "BF-1042"), p.Click("Call it", false), p.AwaitText("it was not called", false),
	))
	if got := s.ticketState("BF-1042"); got != "valid" {
		t.Errorf("trying it changed the ticket to %s", got)
	}
	made, err := s.client.Document(s.ctx, "tools", "get-ticket")
	s.must(err)
	contains(t, made.Text, `title: "Ticket desk"`, "{{ result.to }}", "path: /tickets/{{ arguments.number }}")
	desk, err := s.client.Document(s.ctx, "bots", "lost-property")
	s.must(err)
	_, err = s.client.PutDocument(s.ctx, "bots", "lost-property", strings.Replace(desk.Text, "tools: [", "tools: [get-ticket, ", 1), desk.Version)
	s.must(err)
	answer, err := s.client.Ask(s.ctx, "lost-property", "Look up a ticket, BF-1042")
	s.must(err)
	contains(t, answer.Answer, "state: valid", "Gannet Holm")
}

// An MCP server is a system at an address, or a program that whoever runs the service allows,
// and no other; what it can do is listed, and nothing of it may be used before a builder grants
// it.
func TestAnMCPServerIsReached(t *testing.T) {
	data, self := t.TempDir(), os.Args[0]
	d, err := service.StartDemo(t.Context(), service.Options{Data: data, Listen: "127.0.0.1:0", Engine: engine.Options{Programs: map[string][]string{"harbour": {self, harbourMark}}}}, "127.0.0.1:0", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = d.Close() })
	token, err := d.NewToken(t.Context(), service.DemoWorkspace, "Robin")
	if err != nil {
		t.Fatal(err)
	}
	s := &stage{Demo: d, t: t, ctx: t.Context(), client: &client.Client{Server: d.PublicURL, Token: token}, data: data}
	overHTTP, err := s.client.MCPTools(s.ctx, "harbour-office")
	s.must(err)
	if len(overHTTP.Items) != 2 || !overHTTP.Items[0].ReadsOnly || overHTTP.Items[1].ReadsOnly {
		t.Fatalf("it can do %+v", overHTTP.Items)
	}
	_, err = s.client.PutDocument(s.ctx, "connections", "pier", "connection: pier\nkind: mcp\naddress: program:harbour\n", 0)
	s.must(err)
	here, err := s.client.MCPTools(s.ctx, "pier")
	s.must(err)
	text := strings.Replace(here.Items[0].Text, "say:", "# as it came\nsay:", 1)
	_, err = s.client.PutDocument(s.ctx, "tools", here.Items[0].Name, text, 0)
	s.must(err)
	tried, err := s.client.TryTool(s.ctx, here.Items[0].Name, client.ToolTrial{Arguments: map[string]any{"island": "Gannet Holm"}})
	s.must(err)
	contains(t, tried.Said, "delayed")
	if tried, err = s.client.TryTool(s.ctx, here.Items[0].Name, client.ToolTrial{Arguments: map[string]any{"island": "the moon"}}); err != nil || !strings.Contains(tried.Call.Error, "no such island") {
		t.Errorf("what the server refuses: %+v %v", tried.Call, err)
	}
	for address, says := range map[string]string{"program:shell": "may be started here", "program:../bin/sh": "not a name"} {
		_, err := s.client.PutDocument(s.ctx, "connections", "pier", "connection: pier\nkind: mcp\naddress: "+address+"\n", 0)
		if err == nil {
			_, err = s.client.MCPTools(s.ctx, "pier")
		}
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", address, err)
		}
	}
	if _, err := os.Stat(filepath.Join(data, "shell")); err == nil {
		t.Error("something was made")
	}
}

// harbourMark makes this program the harbour office, on its standard input and output.
const harbourMark = "be-the-harbour-office"

func beTheHarbourIfAsked() {
	if len(os.Args) > 1 && os.Args[1] == harbourMark {
		if err := world.ServeHarbour(); err != nil {
			os.Exit(1)
		}
		os.Exit(0)
	}
}
