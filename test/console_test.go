package test

import (
	"errors"
	"testing"

	"urgentparrot.example/internal/service"
	"urgentparrot.example/test/browser"
)

// browser starts a browser for the time of the test.
func (s *stage) browser() *browser.Browser {
	b, err := browser.Start()
	s.must(err)
	s.t.Cleanup(b.Close)
	return b
}

// page opens a tab, which must not complain until the test ends.
func (s *stage) page(b *browser.Browser, dark bool) *browser.Page {
	p, err := b.Open(1280, 800, dark)
	s.must(err)
	s.t.Cleanup(func() {
		for _, complaint := range p.Errors() {
			s.t.Errorf("the page complains: %s", complaint)
		}
	})
	return p
}

// console opens the console, with a person signed in.
func (s *stage) console(person string, dark bool) *browser.Page {
	p := s.page(s.browser(), dark)
	link, err := s.SignInLink(s.ctx, service.DemoWorkspace, person)
	s.must(err)
	s.must(errors.Join(p.Go(link), p.Click("Sign in", false), p.Await(`document.querySelector("nav a[href='/inbox']")`)))
	return p
}

// A customer asks in one tab what the bot does not know; a teammate takes it in
// another, and the answer arrives in the first.
func TestATeammateAnswersInTheConsole(t *testing.T) {
	s := open(t)
	b := s.browser()
	console, page := s.page(b, false), s.page(b, false)
	link, err := s.SignInLink(s.ctx, service.DemoWorkspace, "Robin")
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
}

func TestABuilderMendsTheBriefBesideATrial(t *testing.T) {
	s := open(t)
	s.encoded("how much is a van?")
	p := s.console("Robin", true)
	const brief, trial = `textarea[aria-label="The text of the brief of front-desk"]`, `input[aria-label="Write as a customer"]`
	s.must(errors.Join(
		p.Click("Bots", false), p.Click("Front desk", false), p.AwaitText("The brief of front-desk", false), p.AwaitText("Version 1 is live", false), p.Tab("Text"),
		p.Type(brief, "x", false), p.Await(`document.querySelector("[aria-label=Problems]")`), p.Click("Discard", false),
		p.Type(brief, "# a note\n", false), p.AwaitText("not live yet", false),
		p.Type(trial, "how much is a van?", false), p.Click("Say", false), p.AwaitText("£41", false),
		p.Click("Put live", false), p.AwaitText("Version 2 is live", false),

		p.Click("Knowledge", false), p.Click("Fares", false), p.AwaitText("Islanders with a resident's card", false), p.Click("Close this panel", false),
		p.Click("Search", false), p.Type("input[type=search]", "what does a dog cost", false), p.AwaitText("Dogs travel free", false),
		p.Click("Sheets", false), p.Click("Enquiries", false), p.AwaitText("No rows yet", false),
	))
	s.asks(s.visitor(), "I'm Ada Moss, ada@example.org")
	s.must(p.AwaitText("Ada Moss", false))
}

// A teammate answers a gap from the list, and writes a house answer with an end.
func TestATeammateTeachesInTheConsole(t *testing.T) {
	s := open(t)
	v := s.visitor()
	s.asks(v, "Can I rent a canoe at the pier?")
	p := s.console("Robin", false)
	s.must(errors.Join(
		p.AwaitText("Who waits for a person", false),
		p.Go(s.PublicURL+"/knowledge/gaps"), p.AwaitText("1 customer waits", false), p.Click("Answer", false),
		p.Type("textarea", "yes, at the sail loft", false), p.Click("Keep as house answer", false), p.AwaitText("No question is without an answer", false),
		p.Go(s.PublicURL+"/knowledge/house-answers"), p.AwaitText("Yes, at the sail loft.", false),
		p.Go(s.PublicURL+"/knowledge/search"), p.Type("input[type=search]", "rent a canoe", false), p.AwaitText("A bot would answer", false),
	))
	if c := s.conversation(""); c.Lead != "bot" {
		t.Errorf("who waited is led by %s", c.Lead)
	}
}

// A token that is revoked in the console lets its program in no more.
func TestAccessIsRevokedInTheConsole(t *testing.T) {
	s := open(t)
	p := s.console("Kim", false)
	_, err := s.client.Me(s.ctx)
	s.must(err)
	s.must(errors.Join(
		p.AwaitText("Who waits for a person", false),
		p.Click("Settings", false), p.AwaitText("Business", false), p.Click("Access", false), p.AwaitText("Token of a program", false), p.AwaitText("this is you", false),
		p.Await(`document.querySelectorAll("td button").length === 1`), p.Click("Revoke", false), p.AwaitText("cannot be given back", false), p.Click("Revoke it", false),
		p.Await(`!document.body.textContent.includes("Token of a program")`),
	))
	if _, err := s.client.Me(s.ctx); err == nil {
		t.Error("the token lets in as ever")
	}
}

// What is chosen stands in the address: links lead there, Back goes a step back,
// and an address that leads nowhere offers the way on.
func TestAddressesLeadBack(t *testing.T) {
	s := open(t)
	s.asks(s.visitor(), "Can I rent a canoe at the pier?")
	p := s.console("Robin", false)
	at := func(path string) error { return p.Await(`(location.pathname + location.search) === "` + path + `"`) }
	back := func() error { return p.Do(`history.back()`) }
	id := s.conversation("").ID
	s.must(errors.Join(
		p.AwaitText("Who waits for a person", false),
		// Tabs.
		p.Click("Knowledge", false), p.Click("Gaps", false), at("/knowledge/gaps"), p.AwaitText("asked once", false),
		p.Click("House answers", false), at("/knowledge/house-answers"), p.Click("Write one", false), at("/knowledge/house-answers?edit=new"), p.AwaitText("A new house answer", false),
		back(), p.Await(`!document.querySelector("[role=dialog]")`), at("/knowledge/house-answers"),
		back(), p.AwaitText("asked once", false), at("/knowledge/gaps"),
		// What is typed stands there a moment later, and a link to it finds the same.
		p.Go(s.PublicURL+"/knowledge/search?question=what+does+a+dog+cost"), p.AwaitText("Dogs travel free", false),
		// A conversation, its filter and the trace beside it.
		p.Go(s.PublicURL+"/inbox?show=all"), p.Click("A visitor", false), at("/inbox/"+id+"?show=all"),
		p.Click("Why?", false), p.AwaitText("What was understood", false), p.Await(`location.search.includes("turn=")`),
		back(), p.Await(`!document.querySelector("[role=dialog]")`), at("/inbox/"+id+"?show=all"),
		back(), at("/inbox?show=all"), p.AwaitText("Choose a conversation", false),
		// Addresses that lead nowhere.
		p.Go(s.PublicURL+"/nowhere"), p.AwaitText("There is no such page", false), p.Click("Sheets", false), at("/sheets"),
		p.Go(s.PublicURL+"/knowledge/nowhere"), p.Click("Show the sources", false), at("/knowledge"),
		p.Go(s.PublicURL+"/bots/nobody"), p.AwaitText("There is no bot called nobody", false), p.Click("Show those that are there", false), p.Click("Front desk", false), p.AwaitText("The brief of front-desk", false),
		p.Go(s.PublicURL+"/settings/faxes"), p.AwaitText("There are no such settings", false),
	))
}

// What happens while a conversation is read for the first time is seen all the same.
func TestNothingIsMissedWhileAPageLoads(t *testing.T) {
	s := open(t)
	v := s.visitor()
	s.asks(v, "Can I bring my dog?")
	p := s.console("Kim", false)
	s.must(errors.Join(
		p.Do(`window.read = 0; const straight = window.fetch; window.fetch = async (address, ...rest) => {
			const response = await straight(address, ...rest)
			if (String(address?.url ?? address).includes("/messages") && read++ === 0) await new Promise(go => window.letGo = go)
			return response
		}`),
		p.Click("Inbox", false), p.Click("All", false), p.Click("A visitor", false), p.Await("window.letGo"),
	))
	s.asks(v, "And what does a bicycle cost?")
	s.must(errors.Join(p.Await("read > 0 && (setTimeout(letGo, 400), true)"), p.AwaitText("And what does a bicycle cost?", false)))
}

// A builder who writes no files makes an hours document, is told what is wrong as
// they type, and has replies held; a teammate changes one and approves it.
func TestABuilderSetsThingsUpInTheConsole(t *testing.T) {
	s := open(t)
	p := s.console("Robin", true)
	const hours = `textarea[aria-label="The text of a new hours"]`
	write := func(selector, text string) error {
		at := "document.querySelector(`" + selector + "`)"
		return errors.Join(p.Await(at), p.Do(at+".select()"), p.Type(selector, text, false))
	}
	s.must(errors.Join(
		p.Click("Settings", false), p.AwaitText("Settings brackwater", false),
		p.Click("Hours", false), p.AwaitText("Used by: team crew", false), p.Click("Write a new one", false), p.AwaitText("begin from this example", false), p.Tab("Text"),
		write(hours, "hours: winter\nweek: { someday: [] }\n"), p.AwaitText("Line 2: \"someday\" is not a weekday", false),
		write(hours, "hours: winter\nweek: { monday: [\"10:00-12:00\"] }\n"), p.Await(`!document.querySelector("[aria-label=Problems]")`),
		p.Click("Put live", false), p.AwaitText("Version 1 is live", false), p.AwaitText("No other document refers to it", false),
		p.Click("Remove", false), p.Click("Remove it", false), p.AwaitText("Used by: team crew", false),
	))
	s.must(errors.Join(
		p.Go(s.PublicURL+"/settings/channels/website"), p.Choose("Replies of bots", "hold"), p.AwaitText("not live yet", false),
		p.Await(`!document.querySelector("[aria-label=Problems]")`), p.Click("Put live", false), p.AwaitText("Version 2 is live", false),
	))
	v := s.visitor()
	s.must(v.Say(s.ctx, "1", "I'm Noor. Is there food on board?"))
	s.must(errors.Join(
		p.Click("Inbox", false), p.Click("Noor", false), p.AwaitText("Waits for your approval", false),
		p.Click("Change it", false), p.Do(`document.querySelector("textarea").select()`), p.Type("textarea", "Soup and sandwiches, Noor.", false),
		p.Click("Send it so", false), p.AwaitText("Robin changed the reply and approved it", false),
	))
	said, err := v.Next(s.ctx)
	if err != nil || said.Text != "Soup and sandwiches, Noor." {
		t.Errorf("the visitor reads %+v, %v", said, err)
	}
	s.must(errors.Join(
		p.Click("Contacts", false), p.Click("Noor", false), p.AwaitText("Where they write from", false), p.Click("Change", false), p.AwaitText("counts as verified by you", false),
		p.Type(`input[type=email]`, "noor@example.org", false), p.Do(`document.querySelector("[role=dialog] [role=checkbox]").click()`), p.Click("Keep it", false),
		p.AwaitText("noor@example.org", false), p.AwaitText("verified", false), p.AwaitText("group", false),
	))
}

// A builder connects a model server by a form, has the bot think with it, tries it beside
// the brief, and reads why it said what it said. Comments in the documents stay.
func TestABuilderConnectsAModelInTheConsole(t *testing.T) {
	s := open(t)
	s.must(s.client.RemoveDocument(s.ctx, "connections", "reading-desk"))
	s.bot(func(brief string) string { return "# Pip, at the front.\n" + brief })
	p := s.console("Robin", false)
	s.must(errors.Join(
		p.Click("Connections", false), p.Click("Connect something", false), p.Click("Model server", false),
		p.AwaitText("Say which of the server's models is used", false),
		p.Fill("Title", "Reader"), p.Fill("Name in other documents", "reader"), p.Fill("Address", s.WorldURL+"/reading-desk/v1"),
		p.Click("Fetch the list", false), p.Click("desk-large", false), p.Fill("Price of a million tokens read", "0.5"),
		p.Await(`!document.querySelector("[aria-label=Problems]")`), p.Click("Put live", false), p.AwaitText("Version 1 is live", false),
		p.Tab("Text"),
		p.Await(`document.querySelector("textarea")?.value.includes("desk-large")`), p.Await(`document.querySelector("textarea")?.value.includes("read: 0.5")`),

		p.Click("Bots", false), p.Click("Front desk", false), p.AwaitText("The brief of front-desk", false), p.Click("What it thinks with", false), p.Choose("This bot thinks with", "reader"),
		p.AwaitText("Changes that are not live yet", false),
		p.Type(`input[aria-label="Write as a customer"]`, "Do dogs travel free?", false), p.Click("Say", false), p.AwaitText("Dogs travel free and are welcome", false),
		p.Click("Why?", false), p.AwaitText("What the model was asked", false), p.AwaitText("stands on", false), p.AwaitText("Reader, desk-large", false), p.Click("Close this panel", false),
		p.Click("Put live", false), p.AwaitText("Version 3 is live", false),
		p.Click("Today", false), p.AwaitText("What models were used for today", false),
	))
	kept, err := s.client.Document(s.ctx, "bots", "front-desk")
	s.must(err)
	contains(t, kept.Text, "# Pip, at the front.", "use: reader")
}
