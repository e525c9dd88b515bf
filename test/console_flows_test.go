package test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"urgentparrot.example/client"
	"urgentparrot.example/test/browser"
)

// line clicks the line of a script that shows some words.
func line(p *browser.Page, words string) error {
	at := fmt.Sprintf(`[...document.querySelectorAll("button[aria-expanded]")].find(b => b.innerText.includes(%q))`, words)
	return errors.Join(p.Await(at), p.Do(at+".click()"))
}

// entry adds an entry of a kind to the last list of a page whose button says so.
func entry(p *browser.Page, add, kind string) error {
	at := fmt.Sprintf(`[...document.querySelectorAll("button")].filter(b => b.innerText.trim() === %q).at(-1)`, add)
	item := fmt.Sprintf(`[...document.querySelectorAll("[role=menuitem]")].find(e => e.innerText.split("\n")[0].trim() === %q)`, kind)
	return errors.Join(p.Await(at), p.Do(at+".scrollIntoView(); "+at+".click()"), p.Await(item), p.Do(item+".click()"))
}

// A builder who has never seen the language of flows makes one that asks, checks, branches
// and hands over, and a rehearsal for it, out of fields alone. What they make works.
func TestABuilderMakesAFlowOfFieldsAlone(t *testing.T) {
	s := open(t)
	p := s.console("Robin", false)
	s.must(errors.Join(
		p.Go(s.PublicURL+"/flows?new=1"), p.Fill("Name in other documents", "wedding"),
		line(p, "thank you so much"), p.Fill("It contains, 1", "wedding party"), p.AwaitText("something with “wedding party”", false), line(p, "something with “wedding party”"),
		line(p, "Count “kind word”"), p.Click("Remove it", false), p.Await(`!document.body.innerText.includes("kind word")`),
		line(p, "That is kind of you"), p.Fill("What is said", "Congratulations!"), p.AwaitText("Say “Congratulations!”", false), line(p, "Say “Congratulations!”"),

		entry(p, "Add a step", "Ask"), p.AwaitText("needs “Keep the value as”", false), p.Fill("The question", "How many guests?"),
		p.Fill("Keep the value as", "Guests!"), p.AwaitText("is no name for a value", false), p.Fill("Keep the value as", "guests"),
		p.Click("More that it can do", false), p.Choose("What the reply holds", "integer"),
		p.Fill("Value", "guests"), p.Choose("How it is held against it", ">="), p.Fill("What it is held against", "2"),
		p.AwaitText("wait for a whole number for which guests is at least 2", false), line(p, "How many guests?"),

		entry(p, "Add a step", "Branch"), p.Fill("Value", "guests"), p.Choose("How it is held against it", ">"), p.Fill("What it is held against", "60"),
		p.AwaitText("If guests > 60:", false),
		// The last two buttons are that of the flow and, before it, that of the case.
		p.Do(`[...document.querySelectorAll("button")].filter(b => b.innerText.trim() === "Add a step").at(-2).click()`),
		p.Await(`[...document.querySelectorAll("[role=menuitem]")].length > 10`),
		p.Do(`[...document.querySelectorAll("[role=menuitem]")].find(e => e.innerText.startsWith("Escalate")).click()`),
		p.Fill("Because", "A large wedding"), p.AwaitText("If guests is more than 60:", false), p.AwaitText("because “A large wedding”", false),
		entry(p, "Add a step", "Say"), p.Choose("Put a value into What is said", "guests"), p.Fill("What is said", "We have room for {{ guests }} guests."),
		p.Await(`!document.querySelector("[aria-label=Findings]")`), p.Click("Keep the draft", false), p.Click("Put version 1 live", false), p.AwaitText("Version 1 is live", false),
	))
	kept, err := s.client.Document(s.ctx, "flows", "wedding")
	s.must(err)
	contains(t, kept.Text, "flow: wedding\n", `contains: ["wedding party"]`, "- ask: \"How many guests?\"\n    save: guests\n    as: integer\n    check: guests >= 2\n", "- if: \"guests > 60\"\n", `- escalate: "A large wedding"`)

	s.must(errors.Join(
		p.Go(s.PublicURL+"/rehearsals?new=1"), p.Fill("Title", "A wedding's guests"), p.Choose("Channel", "website"),
		line(p, "can i take my bike?"), p.Fill("What the customer writes", "we are a wedding party of 30"), line(p, "wedding party of 30"),
		line(p, "bicycle"), p.Fill("It contains, 1", "Congratulations"), line(p, "Congratulations"),
		line(p, "Expect"), p.Choose("Answered", ""), p.Choose("A person was brought in", "false"), line(p, "Expect: a person was brought in no"),
		entry(p, "Add a line", "The bot says"), p.Fill("It contains, one more", "room for 30 guests"),
		p.Click("Keep it", false), p.AwaitText("Version 1 is kept", false), p.Click("Play them all", false),
		p.AwaitText("of 14 passed", false), p.AwaitText("We have room for 30 guests.", false),
	))
	out, err := s.client.Rehearse(s.ctx, client.Rehearse{})
	s.must(err)
	for _, r := range out.Items {
		if !r.Passed {
			t.Errorf("%s fails: %+v", r.Title, r.Lines)
		}
	}
}

// Each line of the demo's scripts can be opened and closed, and a look changes nothing.
func TestLookingAtAScriptChangesNothing(t *testing.T) {
	s := open(t)
	p := s.console("Robin", true)
	for _, plural := range []string{"flows", "rehearsals"} {
		docs, err := s.client.Documents(s.ctx, plural)
		s.must(err)
		for _, d := range docs.Items {
			s.must(errors.Join(p.Go(s.PublicURL+"/"+plural+"/"+d.Name), p.Await(`document.querySelector("li button[aria-expanded]:not([aria-haspopup])")`)))
			s.must(p.Do(`window.opened = 0
				const lines = () => [...document.querySelectorAll("li button[aria-expanded]:not([aria-haspopup])")]
				const step = i => {
					const b = lines()[i]
					if (!b) return (window.done = true)
					b.click()
					setTimeout(() => { if (b.getAttribute("aria-expanded") === "true") window.opened++; b.click(); setTimeout(() => step(i + 1), 10) }, 20)
				}
				window.done = false; step(0)`))
			s.must(p.Await(`window.done && window.opened > 0`))
			said, err := p.Text("")
			s.must(err)
			if strings.Contains(said, "Not kept yet") || strings.Contains(said, "not kept yet") || strings.Contains(said, "not known here") {
				t.Errorf("%s %s is changed by a look, or has lines that the form does not know", plural, d.Name)
			}
		}
	}
}

// Each flow that a builder may begin from goes live as it is, in the console too.
func TestFlowsBeginFromOurs(t *testing.T) {
	s := open(t)
	kinds, err := s.client.Kinds(s.ctx)
	s.must(err)
	p := s.console("Robin", false)
	s.must(errors.Join(p.Go(s.PublicURL+"/flows"), p.Click("New flow", false), p.AwaitText("Begin from one of these", false), p.Click("Take a request", false), p.AwaitText("Ask “What is it about?”", false), p.Click("Keep the draft", false), p.AwaitText("Only a draft: it does not start.", false), p.Click("Put version 1 live", false), p.AwaitText("Version 1 is live", false)))
	begun := 0
	for _, k := range kinds.Items {
		for _, start := range k.Starts {
			if k.Name != "flow" {
				continue
			}
			begun++
			checked, err := s.client.CheckDocument(s.ctx, k.Plural, start.Name, start.Text)
			s.must(err)
			for _, p := range checked.Problems {
				t.Errorf("%s, line %d: %s", start.Name, p.Line, p.Message)
			}
		}
	}
	if begun < 5 {
		t.Errorf("there are %d flows to begin from", begun)
	}
}
