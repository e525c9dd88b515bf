package test

import (
	"errors"
	"os"
	"strings"
	"testing"
)

// A builder changes a brief without seeing its text: what is wrong stands at its field, the
// comments and the order of the text stay, and what was live before can be taken up again.
func TestABuilderFillsInABriefAsAForm(t *testing.T) {
	s := open(t)
	s.bot(func(brief string) string { return "# Pip, at the front.\n" + brief })
	p := s.console("Robin", false)
	const threshold, name = "It answers from a confidence of", "Name"
	s.must(errors.Join(
		p.Click("Bots", false), p.Click("Front desk", false), p.AwaitText("The brief of front-desk", false), p.AwaitText("Version 2 is live", false),
		p.Fill(threshold, "7"), p.AwaitText("The threshold must lie between 0 and 1", false), p.Await(`!document.querySelector("[aria-label=Problems]")`),
		p.Await(`[...document.querySelectorAll("button")].find(b => b.innerText === "Put live")?.disabled`),
		p.Fill(threshold, "0.8"), p.Fill(name, "Polly"),
		p.Click("the customer is angry", false), // no more
		p.Click("Add a matter", false), p.Await(`[...document.querySelectorAll("label")].filter(l => l.innerText === "What it is about").length === 2`),
		p.AwaitText("forbidden matter needs about, questions (examples) and reply", false),
		p.Click("Remove Forbidden matters, 2", false),
		p.Fill("Off topic, one more", "What is the price of gold?"),
		p.Await(`![...document.querySelectorAll("button")].find(b => b.innerText === "Put live")?.disabled`), p.Click("Put live", false), p.AwaitText("Version 3 is live", false),
	))
	kept, err := s.client.Document(s.ctx, "bots", "front-desk")
	s.must(err)
	contains(t, kept.Text, "# Pip, at the front.\nbot: front-desk\ntitle: Front desk\nname: Polly\nrole: >-\n", "bicycles, dogs, fares, storms and\n  lost property", "threshold: 0.8\ntools: [timetable, boats-running, ticket, refund]\npass:\n  - to: bot/freight\n", "capture:\n  needs: [name, email]\n", "on: [not known, wish]\n  notify", "Mongolia?\"\n    - \"What is the price of gold?\"\nwhile_waiting")

	s.must(errors.Join(
		p.Tab("Versions"), p.AwaitText("What version 3 changed", false), p.Click("Version 1", false), p.Click("Take up this text again", false),
		p.AwaitText("Changes that are not live yet", false), p.Click("Put live", false), p.AwaitText("Version 4 is live", false),
	))
	kept, err = s.client.Document(s.ctx, "bots", "front-desk")
	s.must(err)
	contains(t, kept.Text, "name: Pip\n", "threshold: 0.65\n", "on: [not known, wish, anger]")
}

// A tool, hours and a form are made of fields alone, from an example.
func TestABuilderMakesDocumentsOfFieldsAlone(t *testing.T) {
	s := open(t)
	p := s.console("Robin", false)
	s.must(errors.Join(
		p.Go(s.PublicURL+"/settings/hours?new=1"), p.Fill("Name in other documents", "ticket-office"), p.Click("Put live", false), p.AwaitText("already; give this one another name", false),
		p.Fill("Name in other documents", "harbour"), p.Fill("Title", "Harbour office"),
		p.Fill("Saturday, 1", "9 to twelve"), p.Await(`document.querySelector("[role=alert]")`),
		p.Fill("Saturday, 1", "09:00-12:00"), p.Fill("Sunday, one more", "10:00-11:00"),
		p.Await(`!document.querySelector("[role=alert]")`), p.Click("Put live", false), p.AwaitText("Version 1 is live", false),

		p.Go(s.PublicURL+"/settings/tools?new=1"), p.Fill("Name in other documents", "tides"), p.AwaitText("here is no connection to an HTTP system", false),
		p.Choose("System that is asked", "timetable"), p.Await(`!document.querySelector("[role=alert]")`),
		p.Fill("Questions that it answers, 1", "When is low water?"), p.Click("Put live", false), p.AwaitText("Version 1 is live", false),

		// Its name follows the title, and it is called before it is kept.
		p.Go(s.PublicURL+"/tools"), p.Click("New tool", false), p.Click("From an example", false), p.Fill("Title", "Boats of the day"),
		p.Await(`[...document.querySelectorAll("input")].some(e => e.value === "boats-of-the-day")`),
		p.Choose("System that is asked", "timetable"), p.Fill("Path below the address of the system", "/departures"), p.Click("Call it", false), p.AwaitText("What came back", false),
		p.Click("Put live", false), p.AwaitText("Nothing uses it yet", false),

		p.Go(s.PublicURL+"/settings/forms?new=1"), p.Fill("Name in other documents", "wish"), p.Click("Add a field", false), p.Await(`document.querySelector("[role=alert]")`),
		p.Click("Remove Fields, 4", false), p.Click("Remove Fields, 2", false), p.Click("Down", false),
		p.Await(`!document.querySelector("[role=alert]")`), p.Click("Put live", false), p.AwaitText("Version 1 is live", false),
	))
	s.must(errors.Join(
		p.Go(s.PublicURL+"/bots/freight"), p.AwaitText("The brief of freight", false), p.Click("Duplicate", false), p.AwaitText("The brief of a new bot", false),
		p.Fill("Name in other documents", "parcels"), p.Fill("Name", "Peck"), p.Click("Put live", false), p.AwaitText("The brief of parcels", false), p.AwaitText("Version 1 is live", false),
	))
	parcels, err := s.client.Document(s.ctx, "bots", "parcels")
	s.must(err)
	contains(t, parcels.Text, "bot: parcels\ntitle: Freight (copy)\nname: Peck\n", "sources: [freight.html, boats-and-piers.md]")
	office, err := s.client.Document(s.ctx, "hours", "ticket-office")
	s.must(err)
	if office.Version != 1 {
		t.Errorf("a new document took the place of one that was there: %s", office.Text)
	}
	s.must(errors.Join(
		p.Go(s.PublicURL+"/settings/hours/harbour"), p.Click("Rename", false), p.Fill("Name", "Quay"), p.Click("Rename it", false), p.AwaitText("is not a name", false),
		p.Fill("Name", "quay"), p.Click("Rename it", false), p.AwaitText("Hours quay", false), p.Await(`location.pathname === "/settings/hours/quay"`),
	))
	hours, err := s.client.Document(s.ctx, "hours", "quay")
	s.must(err)
	contains(t, hours.Text, "Harbour office", "saturday: [\"09:00-12:00\"]\n", "10:00-11:00")
	tides, err := s.client.Document(s.ctx, "tools", "tides")
	s.must(err)
	contains(t, tides.Text, "connection: timetable", "When is low water?")
	wish, err := s.client.Document(s.ctx, "forms", "wish")
	s.must(err)
	contains(t, wish.Text, "- {field: mail, label: Your e-mail address, as: email, required: true, save: email}\n  - {field: who,")
}

// What is being written is kept as a draft for every builder, on all machines, while customers
// talk to what is live; it says what is missing, and ends when it is put live or thrown away.
func TestADraftOfABriefStandsBesideWhatIsLive(t *testing.T) {
	s := open(t)
	p := s.console("Robin", false)
	greets := func(with string) {
		t.Helper()
		turn, err := s.client.Ask(s.ctx, "front-desk", "hello, do dogs travel free?")
		if s.must(err); !strings.Contains(turn.Answer, with) {
			t.Errorf("what is live says %q", turn.Answer)
		}
	}
	s.must(errors.Join(
		p.Go(s.PublicURL+"/bots/front-desk"), p.AwaitText("Version 1 is live", false), p.Fill("Name", "Polly"), p.Click("Keep as a draft", false),
		p.AwaitText("A draft, by Robin, kept", false), p.AwaitText("version 1 is live", false),
	))
	greets("I'm Pip")
	s.must(errors.Join(
		// Another builder, at another machine, finds it and goes on.
		p.Do(`sessionStorage.clear()`), p.Go(s.PublicURL+"/bots/front-desk"), p.AwaitText("A draft, by Robin, kept", false), p.Await(`[...document.querySelectorAll("input")].some(i => i.value === "Polly")`),
		p.Type(`input[aria-label="Write as a customer"]`, "hello", false), p.Click("Say", false), p.AwaitText("I'm Polly", false),
		p.Click("Put live", false), p.AwaitText("Version 2 is live", false),
	))
	greets("I'm Polly")
	page, err := s.client.Drafts(s.ctx, "bots")
	if s.must(err); len(page.Items) > 0 {
		t.Errorf("drafts that were put live are kept: %+v", page.Items)
	}
	s.must(errors.Join(
		p.Fill("Name", "Percy"), p.Click("Keep as a draft", false), p.AwaitText("version 2 is live", false), p.Click("Discard the draft", false), p.AwaitText("Version 2 is live", false),
		// One that was never live has a draft too.
		p.Go(s.PublicURL+"/bots?new=1"), p.Fill("Name in other documents", "gate"), p.AwaitText("still missing", false), p.Click("Keep as a draft", false), p.AwaitText("A draft, by Robin, kept", false),
		p.Do(`sessionStorage.clear()`), p.Go(s.PublicURL+"/bots"), p.Click("gate · draft", false), p.AwaitText("A draft, by Robin", false), p.Tab("Powers"), p.AwaitText("No customer reaches it", false),
	))
	if _, err := s.client.Document(s.ctx, "bots", "gate"); err == nil {
		t.Error("a draft alone is a bot")
	}
	file := t.TempDir() + "/gate.yaml"
	s.must(os.WriteFile(file, []byte("bot: gate\nname: Gus\ntools: [nothing]\n"), 0o600))
	out, complaint, code := s.parrot("", "bot", "push", "-draft", file)
	contains(t, out, "The draft of gate is kept; what is live stays as it is.")
	contains(t, complaint, "cannot go live yet", `nothing`)
	if code != 0 {
		t.Errorf("a draft that is not right yet ends with %d", code)
	}
	out, _, _ = s.parrot("", "bot", "drafts")
	contains(t, out, "gate", "just now")
	out, _, _ = s.parrot("", "bot", "show", "-draft", "gate")
	contains(t, out, "name: Gus")
	if err := s.client.PutDraft(s.ctx, "flows", "thanks", "flow: thanks"); err == nil {
		t.Error("a flow has a draft beside its draft")
	}
	if err := s.client.PutDraft(s.ctx, "bots", "No Name", "bot: x"); err == nil {
		t.Error("a draft has a name that no document can have")
	}
}

// Free notes become parts of the brief: the builder sees what would change, leaves out what is
// not wanted, and nothing else of the text is touched.
func TestNotesAreSetInOrderInTheConsole(t *testing.T) {
	s := open(t)
	before, err := s.client.Document(s.ctx, "bots", "freight")
	s.must(err)
	p := s.console("Robin", true)
	s.must(errors.Join(
		p.Go(s.PublicURL+"/bots/freight?as=notes"), p.Fill("Notes", `You are Quill. Be warm and plain. Never promise a seat. The moon is big. Sign off with "Your crew".`), p.Click("Set in order", false),
		p.AwaitText("What would change", false), p.AwaitText("Now: Corrie", false), p.AwaitText("These have no place of their own", false), p.AwaitText("The moon is big.", false),
		p.Do(`[...document.querySelectorAll("[aria-label='What is proposed'] [role=checkbox]")].find(c => c.closest("div").innerText.trim() === "Name").click()`),
		p.Click("Take over these 3", false), p.AwaitText("Changes that are not live yet", false), p.Click("Put live", false), p.AwaitText("Version 2 is live", false),
	))
	after, err := s.client.Document(s.ctx, "bots", "freight")
	s.must(err)
	contains(t, after.Text, "name: Corrie\n", "warm and plain", "Never promise a seat", "sign_off:")
	for line := range strings.Lines(before.Text) {
		if !strings.Contains(after.Text, line) {
			t.Errorf("the line %q is gone", line)
		}
	}
	if _, err := s.client.OrderNotes(s.ctx, "freight", strings.Repeat("x", 20_001)); err == nil {
		t.Error("notes without end are read")
	}
	notes := t.TempDir() + "/notes.txt"
	s.must(os.WriteFile(notes, []byte("Never promise a seat. The moon is big."), 0o600))
	out, _, _ := s.parrot("", "bot", "order", notes)
	contains(t, out, "rules:\n  - Never promise a seat\n", "# not placed: The moon is big.")
}

// What another business built is taken in from its file, and what is left to do is a click away.
func TestATemplateIsTakenInInTheConsole(t *testing.T) {
	s := open(t)
	p := s.console("Robin", false)
	choose := func(text string) error {
		return errors.Join(p.Await(`document.querySelector("input[type=file]")`), p.Do(`const files = new DataTransfer(); files.items.add(new File([`+"`"+text+"`"+`], "template.yaml")); const i = document.querySelector("input[type=file]"); i.files = files.files; i.dispatchEvent(new Event("change", { bubbles: true }))`))
	}
	s.must(errors.Join(
		p.Go(s.PublicURL+"/settings/template"), choose("hello: you\n"), p.Click("Take it in", false), p.AwaitText("begins with none of the kinds of documents", false),
		choose("bot: baker\nname: Bram\nsources: [bread.md]\n---\nhours: ticket-office\nweek: {}\n---\nbot: lost\nname: L\ntools: [nothing]\n"), p.Click("Take it in", false),
		p.AwaitText("One document was taken in. 1 stays as it is: hours ticket-office.", false), p.AwaitText("bot lost is not taken in: line 3", false),
		p.AwaitText("the source bread.md, which the bot baker answers from", false), p.Click("Do it", false), p.Await(`location.pathname === "/knowledge"`),
	))
	if _, err := s.client.Document(s.ctx, "bots", "baker"); err != nil {
		t.Error(err)
	}
}
