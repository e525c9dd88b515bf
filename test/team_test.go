package test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/world"
)

// A customer is passed from bot to bot and back within their turns: each speaks under its own
// name, people read it in the conversation and why in the trace, and nothing that one bot
// captures is lost with the next.
func TestBotsShareAConversation(t *testing.T) {
	s := open(t)
	s.encoded("how much is a van?")
	s.texts("+447700900161", "1", "hello, how much is a van?", 1)
	s.texts("+447700900161", "2", "I'm Ada Moss, ada@example.org", 2)
	said := s.texts("+447700900161", "3", "can i bring my dog?", 3)
	contains(t, said[0].Text, "Corrie from freight here", "£41")
	contains(t, said[2].Text, "This is Pip", "Dogs travel free")
	c := s.conversation("+447700900161")
	if c.Bot != "front-desk" {
		t.Errorf("the conversation ends with %s", c.Bot)
	}
	page, err := s.client.Messages(s.ctx, c.ID, "")
	s.must(err)
	var lines []string
	var passed client.Turn
	for _, m := range page.Items {
		if m.Author != "customer" {
			lines = append(lines, m.Name+": "+m.Text)
		}
		if m.Author == "bot" && m.Name == "Corrie" && passed.ID == "" {
			passed, err = s.client.Turn(s.ctx, m.Turn)
			s.must(err)
		}
	}
	contains(t, strings.Join(lines, "\n"), ": Passed to Corrie: vans, cars and cargo\nCorrie: ", ": Passed to Pip\nPip: ")
	if p := passed.Trace.Passed; len(p) != 1 || p[0].From != "front-desk" || p[0].To != "bot/freight" || p[0].Why == "" {
		t.Errorf("the trace says %+v", p)
	}
	out, _, _ := s.parrot("", "trace", c.ID)
	contains(t, out, "passed from front-desk to bot/freight: ", "passed from freight to bot/front-desk: it is not this bot's own")
	s.eventually("the bot that it was passed to has written the row", func() bool {
		rows, err := s.client.Rows(s.ctx, "enquiries")
		s.must(err)
		return len(rows.Items) == 1
	})
}

// A builder tries the team beside the brief: the trial goes on with the bot that it was passed
// to. A bot that is named and not there yet is a warning, and no bot passes to one that its
// brief does not name.
func TestABuilderTriesTheTeam(t *testing.T) {
	s := open(t)
	s.encoded("how much is a van?")
	p := s.console("Robin", false)
	const trial = `input[aria-label="Write as a customer"]`
	s.must(errors.Join(
		p.Go(s.PublicURL+"/bots/front-desk"), p.AwaitText("The brief of front-desk", false),
		p.Type(trial, "how much is a van?", false), p.Click("Say", false), p.AwaitText("passed to freight", false),
		p.Type(trial, "does the driver pay extra?", false), p.Click("Say", false), p.AwaitText("The driver travels free", false),
		p.Type(trial, "can i bring my dog?", false), p.Click("Say", false), p.AwaitText("This is Pip. Dogs travel free", false),
		p.Click("Why?", false), p.AwaitText("Who was asked", false), p.Click("Close this panel", false), p.Await(`!document.querySelector("[role=dialog]")`),
		p.Fill("To", "bot/weddings"), p.Await(`document.querySelector("[aria-label=Warnings]")?.innerText.includes("bot called \"weddings\"")`),
		p.Await(`![...document.querySelectorAll("button")].find(b => b.innerText === "Put live")?.disabled`), p.Click("Put live", false), p.AwaitText("Version 2 is live", false),
	))
	answer, err := s.client.Ask(s.ctx, "front-desk", "how much is a van?")
	s.must(err)
	if len(answer.Trace.Passed) > 0 {
		t.Errorf("it was passed to who is not there: %+v", answer.Trace.Passed)
	}
}

// What the crew's own bot answers from, no other bot does, though it may answer from
// everything; what the crew notes by it, customers can be told of. Which bot a new conversation
// gets is what the channel's routes say.
func TestTheCrewHasABotOfItsOwn(t *testing.T) {
	s := open(t)
	s.encoded("when are found things noted?")
	crew := func() *world.Visitor {
		v, err := world.NewVisitor(s.ctx, strings.Replace(s.chat(), "/website", "/crew-room", 1))
		s.must(err)
		return v
	}
	contains(t, s.asks(crew(), "where is the key of the pier shed?"), "second hook")
	for _, words := range []string{"where is the key of the pier shed?", "what is the code of the freight cage?", "how is overtime paid?"} {
		if reply := s.asks(s.visitor(), words); strings.Contains(reply, "hook") || strings.Contains(reply, "first of the month") || strings.Contains(reply, "wages") {
			t.Errorf("a customer who asks %q is told: %s", words, reply)
		}
	}
	// A tool that looks in the knowledge and names no sources is no way round that.
	const looks = "tool: look\ndoes: search knowledge\nwhen: [look that up]\narguments: { type: object, properties: {} }\nquestion: where is the key of the pier shed?\nsay: [{ text: \"{{ result.answer }}\" }]\nsorry: No.\n"
	for sources, knows := range map[string]bool{"": false, "sources: [crew-notes.md]\n": true} {
		tried, err := s.client.TryTool(s.ctx, "look", client.ToolTrial{Text: looks + sources})
		s.must(err)
		if strings.Contains(fmt.Sprint(tried.Result), "second hook") != knows {
			t.Errorf("a tool with the sources %q finds %v", sources, tried.Result)
		}
	}
	found, err := s.client.Search(s.ctx, "where is the key of the pier shed?", "")
	s.must(err)
	if len(found.Items) == 0 || found.Items[0].Source != "crew-notes.md" {
		t.Errorf("the builder who looks for it finds %+v", found.Items)
	}
	s.encoded("has anybody handed in a scarf?")
	sailor := crew()
	contains(t, s.asks(sailor, "I found a green scarf on the Sandpiper"), "Noted: a green scarf (the Sandpiper)")
	contains(t, s.asks(sailor, "I found a wallet"), "Where was it?")
	contains(t, s.asks(sailor, "at the pier of Hallow Point"), "Noted: a wallet (the pier of Hallow Point)")
	contains(t, s.asks(s.visitor(), "has anybody handed in a green scarf?"), "Finch from lost property here", "automated assistant", "a green scarf (the Sandpiper)")

	// What people say to one another within is no lesson for customers' bots.
	s.asks(s.visitor(), "which paint is on the hull of the Tern?")
	s.asks(sailor, "which paint is on the funnel of the Tern?")
	s.asks(sailor, "let me talk to a person")
	within := s.conversation("")
	_, err = s.client.Take(s.ctx, within.ID, false)
	s.must(err)
	_, err = s.client.Reply(s.ctx, within.ID, "The funnel of the Tern has red paint, from the tin in the freight cage.", "1")
	s.must(err)
	gaps, err := s.client.Gaps(s.ctx)
	s.must(err)
	lessons, err := s.client.Lessons(s.ctx, "proposed")
	s.must(err)
	asked := fmt.Sprint(gaps.Items, lessons.Items)
	if !strings.Contains(asked, "hull") || strings.Contains(asked, "funnel") {
		t.Errorf("what is to be learnt is %s", asked)
	}

	website, err := s.client.Document(s.ctx, "channels", "website")
	s.must(err)
	_, err = s.client.PutDocument(s.ctx, "channels", "website", website.Text+"routes:\n  - { bot: freight, if: \"question.contains('pallet')\" }\n", website.Version)
	s.must(err)
	v := s.visitor()
	contains(t, s.asks(v, "I have a pallet to send to Gannet Holm"), "I'm Corrie, an automated assistant.")
	contains(t, s.asks(s.visitor(), "hello"), "I'm Pip, an automated assistant.")
}
