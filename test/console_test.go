package test

import (
	"errors"
	"testing"

	"urgentparrot.example/internal/service"
	"urgentparrot.example/test/browser"
)

// A customer asks in one tab what the bot does not know; a teammate takes it in
// another, and the answer arrives in the first.
func TestATeammateAnswersInTheConsole(t *testing.T) {
	s := open(t)
	b, err := browser.Start()
	s.must(err)
	t.Cleanup(b.Close)
	link, err := s.SignInLink(s.ctx, service.DemoWorkspace, "Robin")
	s.must(err)
	console, err := b.Open(1280, 800, false)
	s.must(err)
	page, err := b.Open(1280, 800, false)
	s.must(err)

	s.must(errors.Join(
		console.Go(s.PublicURL+"/inbox"), console.AwaitText("Sign-in code or token", false), // nobody gets in without
		console.Go(link), console.Click("Sign in", false), console.AwaitText("Nobody. When a bot hands", false),

		page.Go(s.WorldURL+"/ferries"), page.Click("Open the chat", true),
		page.Type("textarea", "can i take my bike on the boat?", true), page.Click("Send", true), page.AwaitText("£2.50", true),
		page.AwaitText("Source: ", true),
		page.Type("textarea", "do you run on Christmas Day?", true), page.Click("Send", true), page.AwaitText("someone will answer you here", true),

		// It stands in the console without reloading.
		console.AwaitText("do you run on Christmas Day?", false), console.Click("Inbox", false), console.Click("A visitor", false),
		console.AwaitText("the bot does not know", false),
		console.Click("Why?", false), console.AwaitText("What was understood", false), console.Click("Close this panel", false),
		console.Await(`!document.querySelector("[role=dialog]")`), console.Key("t"), console.AwaitText("you lead", false),
		console.Type(`textarea[aria-label="Your reply"]`, "No, the boats rest on Christmas Day.", false), console.Click("Send", false),
		page.AwaitText("the boats rest on Christmas Day", true), page.AwaitText("Robin", true),

		// The conversation survives a reload of the page.
		page.Go(s.WorldURL+"/ferries"), page.AwaitText("the boats rest on Christmas Day", true),

		console.Click("Hand back to the bot", false), console.AwaitText("the bot leads", false),
		page.Type("textarea", "is there food on board?", true), page.Click("Send", true), page.AwaitText("soup", true),
		console.AwaitText("soup", false),
	))
	for _, p := range []*browser.Page{console, page} {
		for _, complaint := range p.Errors() {
			t.Errorf("the page complains: %s", complaint)
		}
	}
}

func TestABuilderMendsTheBriefBesideATrial(t *testing.T) {
	s := open(t)
	b, err := browser.Start()
	s.must(err)
	t.Cleanup(b.Close)
	link, err := s.SignInLink(s.ctx, service.DemoWorkspace, "Robin")
	s.must(err)
	p, err := b.Open(1280, 800, true)
	s.must(err)
	const brief, trial = `textarea[aria-label="The text of the brief of front-desk"]`, `input[aria-label="Write as a customer"]`
	s.must(errors.Join(
		p.Go(link), p.Click("Sign in", false), p.Click("Bots", false), p.AwaitText("Version 1 is live", false),
		p.Type(brief, "x", false), p.Await(`document.querySelector("[aria-label=Problems]")`), p.Click("Discard", false),
		p.Type(brief, "# a note\n", false), p.AwaitText("not live yet", false),
		p.Type(trial, "how much is a van?", false), p.Click("Say", false), p.AwaitText("£41", false),
		p.Click("Put live", false), p.AwaitText("Version 2 is live", false),

		p.Click("Knowledge", false), p.Click("Fares", false), p.AwaitText("Islanders with a resident's card", false), p.Click("Close this panel", false),
		p.Click("Search", false), p.Type("input[type=search]", "what does a dog cost", false), p.AwaitText("Dogs travel free", false),
		p.Click("Sheets", false), p.AwaitText("No rows yet", false),
	))
	s.asks(s.visitor(), "I'm Ada Moss, ada@example.org")
	s.must(p.AwaitText("Ada Moss", false))
	for _, complaint := range p.Errors() {
		t.Errorf("the page complains: %s", complaint)
	}
}

// A teammate answers a gap from the list, and writes a house answer with an end.
func TestATeammateTeachesInTheConsole(t *testing.T) {
	s := open(t)
	v := s.visitor()
	s.asks(v, "Can I rent a canoe at the pier?")
	b, err := browser.Start()
	s.must(err)
	t.Cleanup(b.Close)
	link, err := s.SignInLink(s.ctx, service.DemoWorkspace, "Robin")
	s.must(err)
	p, err := b.Open(1280, 800, false)
	s.must(err)
	s.must(errors.Join(
		p.Go(link), p.Click("Sign in", false), p.AwaitText("Who waits for a person", false),
		p.Go(s.PublicURL+"/knowledge/gaps"), p.AwaitText("1 customer waits", false), p.Click("Answer", false),
		p.Type("textarea", "yes, at the sail loft", false), p.Click("Keep as house answer", false), p.AwaitText("No question is without an answer", false),
		p.Go(s.PublicURL+"/knowledge/house-answers"), p.AwaitText("Yes, at the sail loft.", false),
		p.Go(s.PublicURL+"/knowledge/search"), p.Type("input[type=search]", "rent a canoe", false), p.AwaitText("A bot would answer", false),
	))
	if c := s.conversation(""); c.Lead != "bot" {
		t.Errorf("who waited is led by %s", c.Lead)
	}
	for _, complaint := range p.Errors() {
		t.Errorf("the page complains: %s", complaint)
	}
}
