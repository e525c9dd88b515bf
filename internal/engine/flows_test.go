package engine

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/store"
)

const groupFlow = `flow: group-crossing
title: Group crossing
when:
  - message: { contains: [group, school class] }
steps:
  - say: "Happy to help with a group crossing."
  - ask: "How many of you will travel?"
    save: party_size
    as: integer
  - ask: "Which e-mail address should the quote go to?"
    save: contact.email
    patience: 30m
    if_silent:
      - say: "Shall I keep your enquiry open?"
      - await_reply: 1d
      - branch:
          - if: "!replied"
            steps: [ { close: "No address given" } ]
  - record: { sheet: enquiries, row: { E-mail: "{{ contact.email }}", Name: "{{ party_size }} people" } }
  - tag: group
  - start: { flow: follow-up, with: { about: "{{ party_size }}" } }
  - say: "The quote is on its way to {{ contact.email }}."
`

const followUpFlow = `flow: follow-up
when:
  - by hand: { with: [about] }
steps:
  - loop:
      at_most: 3
      steps:
        - wait: { for: 1d, or_reply: true }
        - branch:
            - if: "replied"
              steps: [ { end: "They replied" } ]
        - say: "Day {{ round }}: did the quote for {{ event.about.orValue('you') }} arrive?"
  - set: { stage: enquiry }
`

// live keeps a flow and puts it live.
func (s *stage) live(text string) {
	s.t.Helper()
	s.put("flow", text)
	_, rest, _ := strings.Cut(text, "flow: ")
	name, _, _ := strings.Cut(rest, "\n")
	s.must(s.Documents.GoLive(s.t.Context(), "flow", name, 0, "Robin"))
}

// runs are the runs of a flow, the latest first.
func (s *stage) runs(flow string) []store.Run {
	s.t.Helper()
	list, err := s.Store().Runs(s.t.Context(), store.RunFilter{Flow: flow, Limit: 100})
	s.must(err)
	return list
}

// comesTo waits until the latest run of a flow stands so.
func (s *stage) comesTo(flow, status string) store.Run {
	s.t.Helper()
	s.until(flow+" is "+status, func() bool {
		list := s.runs(flow)
		return len(list) > 0 && list[0].Status == status
	})
	return s.runs(flow)[0]
}

// later walks the clock on, from one time that something is due to the next, and lets the
// service catch up with each.
func (s *stage) later(d time.Duration) {
	s.t.Helper()
	for end := s.clock.Now().Add(d); ; {
		timers, err := s.Store().Timers(s.t.Context(), 1)
		s.must(err)
		if len(timers) == 0 || timers[0].DueAt.After(end) {
			s.clock.Walk(end.Sub(s.clock.Now()))
			s.atRest()
			return
		}
		s.clock.Walk(max(0, timers[0].DueAt.Sub(s.clock.Now())))
		due := timers[0]
		s.wait("the timer "+due.ID+" has fired", func() bool {
			timers, err := s.Store().Timers(s.t.Context(), 1)
			s.must(err)
			return len(timers) == 0 || timers[0] != due
		}, s.Timers.nudge) // it may just have looked at the clock when that was walked
		s.atRest()
	}
}

// atRest waits until nothing is left to decide or to look at.
func (s *stage) atRest() {
	s.t.Helper()
	rest := func() bool {
		undecided, err := s.Store().Undecided(s.t.Context())
		s.must(err)
		events, err := s.Store().RunEvents(s.t.Context(), "")
		s.must(err)
		happenings, err := s.Store().Happenings(s.t.Context(), 1)
		s.must(err)
		homeless, err := s.Store().Homeless(s.t.Context())
		s.must(err)
		pending, err := s.Store().Effects(s.t.Context(), "pending", 10)
		s.must(err)
		pending = slices.DeleteFunc(pending, func(e store.Effect) bool { return e.Kind == "notify" }) // nobody is there
		return len(undecided)+len(events)+len(happenings)+len(homeless)+len(pending) == 0
	}
	// What is looked at one after another may move from one to the next meanwhile.
	s.until("nothing is left to do", func() bool { return rest() && rest() && rest() })
}

func (s *stage) says(want ...string) {
	s.t.Helper()
	s.atRest()
	got := s.sent()
	if len(got) != len(want) {
		s.t.Fatalf("%d messages were carried, not %d: %q", len(got), len(want), got)
	}
	for i, words := range want {
		if !strings.Contains(got[i], words) {
			s.t.Fatalf("message %d is %q, not %q", i+1, got[i], words)
		}
	}
}

// A flow that a message starts asks what it needs, writes it down, and starts a follow-up,
// which speaks day by day until somebody replies.
func TestAFlowCapturesAndFollowsUp(t *testing.T) {
	s := openStage(t)
	s.live(followUpFlow)
	s.live(groupFlow)
	id := s.rings("+447700900101", "1", "we are a school class and want to cross")
	s.says("Happy to help", "How many")
	s.rings("+447700900101", "2", "34")
	s.says("Happy to help", "How many", "Which e-mail")
	s.rings("+447700900101", "3", "ada@example.org, thanks")
	s.says("Happy to help", "How many", "Which e-mail", "on its way to ada@example.org")
	if run := s.comesTo("group-crossing", "done"); run.ConversationID != id {
		t.Errorf("the run is in %s", run.ConversationID)
	}
	rows, err := s.Store().Rows(t.Context(), "enquiries")
	s.must(err)
	if !slices.ContainsFunc(rows, func(r store.Row) bool {
		return r.Cells["Name"] == "34 people" && r.Cells["E-mail"] == "ada@example.org"
	}) {
		t.Errorf("the rows are %+v", rows)
	}
	s.comesTo("follow-up", "waiting")
	s.later(24*time.Hour + time.Minute)
	s.says("Happy", "How", "Which", "on its way", "Day 1: did the quote for 34 arrive?")
	s.rings("+447700900101", "4", "it did, thank you")
	s.atRest()
	if run := s.comesTo("follow-up", "done"); run.Why != "They replied" {
		t.Errorf("the follow-up ended: %s", run.Why)
	}
	before := len(s.sent())
	s.later(5 * 24 * time.Hour)
	if got := s.sent(); len(got) != before {
		t.Errorf("although they replied they got %q", got[before:])
	}
	var who store.Contact
	contacts, err := s.Store().Contacts(t.Context(), 1)
	s.must(err)
	if who = contacts[0]; !slices.Contains(who.Tags, "group") {
		t.Errorf("the contact is %+v", who)
	}
	steps, err := s.Store().RunSteps(t.Context(), s.runs("group-crossing")[0].ID)
	s.must(err)
	if len(steps) < 8 {
		t.Errorf("the path has %d steps: %+v", len(steps), steps)
	}
	// Played again, nothing would be said otherwise; against a draft, what that changes.
	for draft, same := range map[string]bool{"": true, strings.Replace(groupFlow, "How many of you will travel?", "How many are you?", 1): false} {
		drafts := map[string]string{}
		if draft != "" {
			drafts["group-crossing"] = draft
		}
		replayed, err := s.Replay(t.Context(), 10, drafts)
		s.must(err)
		if len(replayed) != 1 || replayed[0].Passed != same {
			t.Errorf("played again it comes to %+v", replayed)
		}
	}
}

func TestAFollowUpRunsToItsEnd(t *testing.T) {
	s := openStage(t)
	s.live(followUpFlow)
	id := s.rings("+447700900101", "1", "Do dogs cost anything?")
	s.says("free of charge")
	c, err := s.Store().Conversation(t.Context(), id)
	s.must(err)
	s.must(s.Flows.Start(t.Context(), "follow-up", "Robin", []Start{{Contact: c.ContactID}}))
	s.comesTo("follow-up", "waiting")
	s.later(4 * 24 * time.Hour)
	s.says("free of charge", "Day 1: did the quote for you", "Day 2", "Day 3")
	s.comesTo("follow-up", "done")
	who, err := s.Store().Contact(t.Context(), c.ContactID)
	s.must(err)
	if who.Stage != "enquiry" {
		t.Errorf("the stage is %q", who.Stage)
	}
	// "ignore": a second start while one runs is left out, and it is said why.
	s.must(s.Flows.Start(t.Context(), "follow-up", "Robin", []Start{{Contact: c.ContactID}, {Contact: c.ContactID}}))
	s.atRest()
	if n := len(s.runs("follow-up")); n != 2 {
		t.Errorf("there are %d runs, not 2", n)
	}
	states, err := s.Flows.States(t.Context())
	s.must(err)
	if !strings.Contains(states[0].Fired.Missed, "running for the contact already") {
		t.Errorf("why it did not start: %q", states[0].Fired.Missed)
	}
}

// Closing a conversation ends what was asked in it, and what a person had paused; what waits
// over days goes on, and hears the reply in the conversation that the customer opens next.
func TestRunsOutliveTheirConversation(t *testing.T) {
	const phone = "+447700900101"
	s := openStage(t)
	s.live(followUpFlow)
	s.live(groupFlow)
	id := s.rings(phone, "1", "Do dogs cost anything?")
	s.says("free of charge")
	c, err := s.Store().Conversation(t.Context(), id)
	s.must(err)
	s.rings(phone, "2", "we are a school class")
	s.comesTo("group-crossing", "waiting")
	s.must(s.Flows.Start(t.Context(), "follow-up", "Robin", []Start{{Contact: c.ContactID}}))
	s.comesTo("follow-up", "waiting")
	s.must(s.Inbox.Close(t.Context(), id, "Robin"))
	if run := s.comesTo("group-crossing", "stopped"); run.Why != "the conversation was closed" {
		t.Errorf("the question ended because %q", run.Why)
	}
	s.comesTo("follow-up", "waiting")
	s.later(25 * time.Hour) // it speaks, in a conversation that it opens
	s.says("free of charge", "Happy to help", "How many of you", "Day 1")
	opened := s.runs("follow-up")[0].ConversationID
	if opened == id {
		t.Error("it spoke in the closed conversation")
	}
	s.must(s.Inbox.Close(t.Context(), opened, "Robin"))
	s.atRest()
	next := s.rings(phone, "3", "Yes, it did, thank you")
	if next == id || next == opened {
		t.Error("the closed conversation goes on")
	}
	if run := s.comesTo("follow-up", "done"); run.Why != "They replied" {
		t.Errorf("the follow-up ended because %q", run.Why)
	}

	// One that has not spoken yet hears the reply too.
	s.must(s.Flows.Start(t.Context(), "follow-up", "Robin", []Start{{Contact: c.ContactID}}))
	s.comesTo("follow-up", "waiting")
	s.rings(phone, "4", "Do dogs cost anything?")
	if run := s.comesTo("follow-up", "done"); run.Why != "They replied" {
		t.Errorf("the follow-up that had not spoken ended because %q", run.Why)
	}

	// What waits for the person who has the conversation ends when that person closes it.
	s.must(s.Flows.Start(t.Context(), "follow-up", "Robin", []Start{{Contact: c.ContactID}}))
	s.atRest()
	s.must(s.Inbox.Take(t.Context(), next, "Robin", false))
	s.later(25 * time.Hour)
	s.must(s.Inbox.Close(t.Context(), next, "Robin"))
	s.comesTo("follow-up", "stopped")
}

// A wish not to be written to ends what would write, and a person who comes in pauses it.
func TestPeopleAndWishesComeFirst(t *testing.T) {
	s := openStage(t)
	s.live(followUpFlow)
	begin := func(phone string) (string, string) {
		t.Helper()
		id := s.rings(phone, phone+"-1", "Do dogs cost anything?")
		s.atRest()
		c, err := s.Store().Conversation(t.Context(), id)
		s.must(err)
		s.must(s.Flows.Start(t.Context(), "follow-up", "Robin", []Start{{Contact: c.ContactID}}))
		s.atRest()
		return id, c.ContactID
	}
	begin("+447700900101")
	s.rings("+447700900101", "stop", "STOP")
	s.atRest()
	if run := s.comesTo("follow-up", "stopped"); !strings.Contains(run.Why, "does not want to be written to") {
		t.Errorf("it stopped: %s", run.Why)
	}
	if got := s.sent(); !strings.Contains(got[len(got)-1], "no more messages") {
		t.Errorf("to STOP it says %q", got[len(got)-1])
	}
	id, _ := begin("+447700900102")
	s.later(25 * time.Hour)
	before := len(s.sent())
	s.must(s.Inbox.Take(t.Context(), id, "Robin", false))
	s.later(24 * time.Hour)
	run := s.comesTo("follow-up", "waiting")
	if run.WaitsFor != "person" || len(s.sent()) != before {
		t.Errorf("while Robin leads the run waits for %q, and %q was said", run.WaitsFor, s.sent()[before:])
	}
	s.must(s.Inbox.Return(t.Context(), id, "Robin", false))
	s.atRest()
	if got := s.sent(); len(got) != before+1 || !strings.Contains(got[before], "Day 2") {
		t.Errorf("given back it says %q", got[before:])
	}
	s.must(s.Inbox.Take(t.Context(), id, "Robin", false))
	s.later(24 * time.Hour)
	s.must(s.Inbox.Return(t.Context(), id, "Robin", true))
	s.atRest()
	if run := s.comesTo("follow-up", "stopped"); !strings.Contains(run.Why, "gave the conversation back") {
		t.Errorf("it stopped: %s", run.Why)
	}
	_, contact := begin("+447700900103")
	blocked := true
	s.must(s.Contacts.Change(t.Context(), contact, "Robin", ContactEdit{Blocked: &blocked}))
	s.comesTo("follow-up", "stopped")
	before = len(s.sent())
	s.rings("+447700900103", "again", "Do bicycles cost anything?")
	s.later(48 * time.Hour)
	if got := s.sent(); len(got) != before {
		t.Errorf("a blocked contact gets %q", got[before:])
	}
}

// A flow marks the conversation, which other flows see; people change it, within what the
// settings declare.
func TestConversationsAreTaggedByFlowsAndPeople(t *testing.T) {
	s := openStage(t)
	s.put("settings", "settings: main\ntitle: Brackwater Ferries\ntags: [group, storm]\n")
	s.live("flow: storm\nwhen:\n  - message: { exactly: [storm] }\nsteps:\n  - tag: { tag: storm, on: conversation }\n  - say: \"Noted: {{ conversation.tags }}.\"\n")
	s.live("flow: later\nwhen:\n  - message: { exactly: [well], if: \"'storm' in conversation.tags\" }\nsteps:\n  - say: After the storm.\n  - untag: { tag: storm, on: conversation }\n")
	s.live("flow: tagged\nwhen:\n  - contact: { tag: storm }\nsteps:\n  - note: A tag of the contact\n")
	id := s.rings("+447700900101", "1", "storm")
	s.atRest()
	if c := s.conversation(id); !slices.Equal(c.Tags, []string{"storm"}) || len(s.contacts()[0].Tags) != 0 {
		t.Errorf("the conversation has the tags %q, the contact %q", c.Tags, s.contacts()[0].Tags)
	}
	s.rings("+447700900101", "2", "well")
	s.atRest()
	s.says("Noted: storm.", "After the storm.")
	if c := s.conversation(id); len(c.Tags) != 0 || len(s.runs("tagged")) != 0 {
		t.Errorf("it has the tags %q, and of the contact's flow there are %d runs", c.Tags, len(s.runs("tagged")))
	}
	s.must(s.Inbox.Tag(t.Context(), id, "Robin", []string{"group", "storm"}))
	s.must(s.Inbox.Tag(t.Context(), id, "Robin", []string{"storm"}))
	if err := s.Inbox.Tag(t.Context(), id, "Robin", []string{"vip"}); !errors.Is(err, ErrUnknown) {
		t.Errorf("with a tag that is not declared: %v", err)
	}
	lines := strings.Join(s.lines(id), "\n")
	if c := s.conversation(id); !slices.Equal(c.Tags, []string{"storm"}) || !strings.Contains(lines, "Conversation no longer tagged: group, by Robin") {
		t.Errorf("it has the tags %q, and it is said:\n%s", c.Tags, lines)
	}
}

// A question that was open when a person came in is put again when they give the conversation
// back, unless what the customer told them answers it. It costs no patience meanwhile.
func TestAFlowGoesOnWhereAPersonLeavesIt(t *testing.T) {
	s := openStage(t)
	s.live("flow: party\nwhen:\n  - message: { exactly: [party] }\nsteps:\n  - ask: How many are you?\n    save: people\n    as: integer\n    patience: 1h\n  - ask: What for?\n    save: why\n  - say: \"{{ people }} for {{ why }}.\"\n")
	s.live("flow: nudge\nwhen:\n  - message: { exactly: [nudge] }\nsteps:\n  - say: Do write.\n  - await_reply: 1h\n  - say: \"{{ replied ? 'You wrote.' : 'You did not.' }}\"\n")
	n := 0
	led := func(flow string, end bool, told ...string) (before int, phone string) {
		t.Helper()
		n++
		phone = fmt.Sprintf("+4477009003%02d", n)
		id := s.rings(phone, phone+"-1", flow)
		s.atRest()
		s.must(s.Inbox.Take(t.Context(), id, "Robin", false))
		before = len(s.sent())
		for i, words := range told {
			s.rings(phone, fmt.Sprint(phone, "-told-", i), words)
			s.atRest()
		}
		s.later(3 * time.Hour)
		if got := s.sent(); len(got) != before {
			t.Errorf("while Robin leads %q is said", got[before:])
		}
		s.must(s.Inbox.Return(t.Context(), id, "Robin", end))
		s.atRest()
		return before, phone
	}
	said := func(before int, want ...string) {
		t.Helper()
		if got := s.sent()[before:]; !slices.Equal(got, want) {
			t.Errorf("it says %q, not %q", got, want)
		}
	}
	before, phone := led("party", false, "hello Robin", "we are thirty, by the way")
	said(before, "What for?")
	s.rings(phone, phone+"-2", "a wedding")
	s.atRest()
	said(before, "What for?", "30 for a wedding.")
	before, phone = led("party", false, "hello Robin")
	said(before, "How many are you?")
	s.rings(phone, phone+"-2", "four")
	s.atRest()
	said(before, "How many are you?", "What for?")
	before, _ = led("party", true, "we are thirty")
	said(before)
	before, _ = led("nudge", false, "yes I saw it")
	said(before, "You wrote.")
	before, _ = led("nudge", false)
	said(before)
	s.later(61 * time.Minute)
	said(before, "You did not.")
	before, phone = led("party", false, "STOP")
	said(before)
	for _, r := range s.runs("party") {
		if r.Status == "waiting" && r.StartedAt.After(s.clock.Now().Add(-4*time.Hour)) {
			t.Errorf("who said STOP to Robin still has a run at %s", r.Place)
		}
	}
	for _, c := range s.contacts() {
		if c.Facts[0].Value == phone {
			if out, err := s.Store().OptedOut(t.Context(), "bell", phone); err != nil || !out {
				t.Errorf("STOP, said to Robin, is not kept: %v", err)
			}
		}
	}
}

// A live flow that this version of the program cannot read is told as a fault: the others, and
// the service, work; a run of it is told to people as failed, and can be stopped.
func TestAFlowThatCannotBeReadHoldsNothingUp(t *testing.T) {
	s := openStage(t)
	s.live("flow: good\nwhen:\n  - message: { exactly: [good] }\nsteps:\n  - say: Good.\n")
	s.live("flow: odd\nwhen:\n  - message: { exactly: [odd] }\nsteps:\n  - say: Odd.\n  - await_reply: 1d\n  - say: Odder.\n")
	s.rings("+447700900101", "1", "odd")
	s.says("Odd.")
	s.close()
	s.spoil(`UPDATE document_version SET text = 'flow: odd' || char(10) || 'steps: [ { dance: x } ]' WHERE name = 'odd'`)
	s = openStageIn(t, s.folder, s.clock, s.bell, s.world)
	if faults := strings.Join(s.Documents.Faults(), "\n"); !strings.Contains(faults, "the flow odd cannot be read") {
		t.Errorf("the faults are %q", faults)
	}
	s.rings("+447700900102", "2", "good")
	s.says("Odd.", "Good.")
	s.rings("+447700900101", "3", "Do dogs cost anything?")
	s.says("Odd.", "Good.", "free of charge")
	if run := s.comesTo("odd", "failed"); !strings.Contains(run.Why, "cannot be read") {
		t.Errorf("its run failed: %s", run.Why)
	}
	s.must(s.Flows.Stop(t.Context(), s.runs("odd")[0].ID, "Robin"))
	s.comesTo("odd", "stopped")
}

// A batch starts a flow for each of the contacts that it picks; one for nobody's id is missed,
// and holds nothing up.
func TestABatchStartsAFlowForEachContact(t *testing.T) {
	s := openStage(t)
	s.live("flow: told\nwhen:\n  - by hand: { with: [boat] }\nsteps:\n  - say: \"The {{ event.boat.orValue('boat') }} sails again.\"\n")
	s.live("flow: batch\nwhen: by hand\nsteps:\n  - loop:\n      over: contacts\n      steps:\n        - start: { flow: told, for: \"{{ item.id }}\", with: { boat: Sorrel } }\n          if: \"'group' in item.tags\"\n")
	s.live("flow: astray\nwhen: by hand\nsteps:\n  - start: { flow: told, for: Ada }\n")
	for i, phone := range []string{"+447700900101", "+447700900102", "+447700900103"} {
		s.rings(phone, phone, "Do dogs cost anything?")
		s.atRest()
		if i < 2 {
			tags := []string{"group"}
			s.must(s.Contacts.Change(t.Context(), s.contacts()[0].ID, "Robin", ContactEdit{Tags: &tags}))
		}
	}
	before := len(s.sent())
	s.must(s.Flows.Start(t.Context(), "astray", "Robin", []Start{{}}))
	s.must(s.Flows.Start(t.Context(), "told", "Robin", []Start{{Contact: "nobody"}}))
	s.atRest()
	s.must(s.Flows.Start(t.Context(), "batch", "Robin", []Start{{}}))
	s.atRest()
	if got := s.sent()[before:]; !slices.Equal(got, []string{"The Sorrel sails again.", "The Sorrel sails again."}) {
		t.Errorf("it says %q", got)
	}
	states, err := s.Flows.States(t.Context())
	s.must(err)
	for _, f := range states {
		if f.Name == "told" && !strings.Contains(f.Fired.Missed, "no contact with the id") {
			t.Errorf("of the start for nobody it says %q", f.Fired.Missed)
		}
	}
}

// One switch pauses all that bots and flows do; what waited goes on when it is over, once.
func TestAPausedWorkspaceIsSilent(t *testing.T) {
	s := openStage(t)
	s.live(followUpFlow)
	id := s.rings("+447700900101", "1", "Do dogs cost anything?")
	s.says("free of charge")
	c, err := s.Store().Conversation(t.Context(), id)
	s.must(err)
	s.must(s.Flows.Start(t.Context(), "follow-up", "Robin", []Start{{Contact: c.ContactID}}))
	s.atRest()
	s.must(s.Pause(t.Context(), true, "Robin"))
	s.rings("+447700900102", "2", "Do bicycles cost anything?")
	s.clock.Walk(25 * time.Hour)
	s.wait("the timer has fired", func() bool {
		list, err := s.Store().TimersOf(t.Context(), "run")
		s.must(err)
		return len(list) == 0
	}, s.Timers.nudge)
	if got := s.sent(); len(got) != 1 {
		t.Errorf("paused, it says %q", got)
	}
	s.must(s.Pause(t.Context(), false, "Robin"))
	s.atRest()
	got := s.sent()
	slices.Sort(got)
	if len(got) != 3 || !strings.Contains(strings.Join(got, "|"), "Day 1") || !strings.Contains(strings.Join(got, "|"), "£2.50") {
		t.Errorf("afterwards it says %q", got)
	}
}

// A nightly batch goes over the day's conversations at its hour of the workspace's zone; a
// time that passed while the service was stopped counts once.
func TestANightlyBatchComesOnce(t *testing.T) {
	s := openStage(t)
	s.put("sheet", "sheet: days\ncolumns: [Who, Grade, Summary]\n")
	s.live(`flow: nightly
when:
  - schedule: "0 20 * * *"
steps:
  - loop:
      over: conversations today
      steps:
        - record: { sheet: days, key: "{{ item.id }}", row: { Who: "{{ item.contact }}", Grade: "{{ item.grade }}", Summary: "{{ item.summary }}" } }
`)
	s.rings("+447700900101", "1", "Do dogs cost anything?")
	s.rings("+447700900102", "2", "This is ridiculous! I have had enough of you!!")
	s.atRest()
	s.later(11*time.Hour + time.Minute)
	s.comesTo("nightly", "done")
	rows, err := s.Store().Rows(t.Context(), "days")
	s.must(err)
	if len(rows) != 2 || rows[0].Cells["Grade"] != "5" || rows[1].Cells["Grade"] != "2" || !strings.Contains(rows[0].Cells["Summary"], "Do dogs cost anything?") {
		t.Errorf("the day reads %+v", rows)
	}
	s.close()
	s.clock.Walk(72 * time.Hour)
	again := openStageIn(t, s.folder, s.clock, s.bell, s.world)
	again.until("it has run again", func() bool { return len(again.runs("nightly")) == 2 })
	again.atRest()
	if n := len(again.runs("nightly")); n != 2 {
		t.Errorf("after three days it ran %d times", n)
	}
}

// Conversations that fall silent, contacts that change, and conversations that are closed
// or handed over start flows.
func TestWhatHappensStartsFlows(t *testing.T) {
	s := openStage(t)
	for name, when := range map[string]string{
		"idle": "conversation: { idle: 2h }", "closed": "conversation: { becomes: closed }", "escalated": "conversation: { becomes: escalated, if: \"event.reason == 'wish'\" }",
		"tagged": "contact: { tag: group }", "named": "contact: { field: name }", "new": "contact: { created: true }",
	} {
		s.live(fmt.Sprintf("flow: %s\nwhen:\n  - %s\nsteps:\n  - count: %s\n", name, when, name))
	}
	id := s.rings("+447700900101", "1", "Do dogs cost anything? I'm Ada Byron.")
	s.atRest()
	c, err := s.Store().Conversation(t.Context(), id)
	s.must(err)
	tags := []string{"group"}
	s.must(s.Contacts.Change(t.Context(), c.ContactID, "Robin", ContactEdit{Tags: &tags}))
	s.later(90 * time.Minute)
	if n := len(s.runs("idle")); n != 0 {
		t.Error("it is idle before its time")
	}
	s.later(time.Hour)
	s.rings("+447700900101", "2", "can I talk to a person please")
	s.atRest()
	s.must(s.Inbox.Close(t.Context(), id, "Robin"))
	s.atRest()
	for _, name := range []string{"new", "named", "tagged", "idle", "escalated", "closed"} {
		if n := len(s.runs(name)); n != 1 {
			t.Errorf("%s started %d times", name, n)
		}
	}
}

// A step that fails for good stops the run where it is, a person is told once, and it can be
// taken again.
func TestAFailedRunIsSeenAndTakenAgain(t *testing.T) {
	s := openStage(t)
	s.world.answers(func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusInternalServerError) })
	s.live(`flow: tides
when: by hand
steps:
  - call: { tool: tides }
    save: found
  - count: high water
`)
	s.must(s.Flows.Start(t.Context(), "tides", "Robin", []Start{{}}))
	s.walking("the run has failed", func() bool { list := s.runs("tides"); return len(list) == 1 && list[0].Status == "failed" })
	run := s.runs("tides")[0]
	if !strings.Contains(run.Why, "step 1 (line 4)") {
		t.Errorf("it failed: %s", run.Why)
	}
	s.until("somebody is told", func() bool {
		pending, err := s.Store().Effects(t.Context(), "pending", 10)
		s.must(err)
		return slices.ContainsFunc(pending, func(e store.Effect) bool { return e.Kind == "notify" && strings.Contains(e.Body, "tides failed") })
	})
	s.world.answers(func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, `{"high": "14:05"}`) })
	s.must(s.Flows.Retry(t.Context(), run.ID))
	s.until("the run is done", func() bool { return s.runs("tides")[0].Status == "done" })
	if err := s.Flows.Retry(t.Context(), run.ID); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a run that is done is retried: %v", err)
	}
}

// Only a version without errors goes live; runs finish on the version that they began with,
// or are moved; an older version can be put live again.
func TestVersionsOfFlows(t *testing.T) {
	s := openStage(t)
	s.live("flow: slow\nwhen: by hand\nsteps:\n  - wait: 1d\n  - count: first\n")
	s.must(s.Flows.Start(t.Context(), "slow", "Robin", []Start{{}}))
	first := s.comesTo("slow", "waiting")
	s.put("flow", "flow: slow\nwhen: by hand\nsteps:\n  - wait: 1d\n  - tag: nowhere\n")
	var problems document.Problems
	if err := s.Documents.GoLive(t.Context(), "flow", "slow", 0, "Robin"); !errors.As(err, &problems) || problems[0].Line != 5 {
		t.Errorf("a draft with an error goes live: %v", err)
	}
	s.live("flow: slow\nwhen: by hand\nalready_running: both\nsteps:\n  - wait: 1d\n  - count: second\n")
	s.must(s.Flows.Start(t.Context(), "slow", "Robin", []Start{{}, {}}))
	s.until("three run", func() bool { return len(s.runs("slow")) == 3 })
	s.atRest()
	s.must(s.Flows.Move(t.Context(), s.runs("slow")[2].ID))
	s.must(s.Flows.Stop(t.Context(), s.runs("slow")[0].ID, "Robin"))
	s.later(25 * time.Hour)
	steps, err := s.Store().RunSteps(t.Context(), first.ID)
	s.must(err)
	if last := steps[len(steps)-1].Words; last != "counted second" {
		t.Errorf("the moved run %s", last)
	}
	s.must(s.Documents.GoLive(t.Context(), "flow", "slow", 1, "Robin"))
	s.must(s.Flows.Start(t.Context(), "slow", "Robin", []Start{{}}))
	s.atRest()
	s.later(25 * time.Hour)
	steps, err = s.Store().RunSteps(t.Context(), s.runs("slow")[0].ID)
	s.must(err)
	if last := steps[len(steps)-1].Words; last != "counted first" {
		t.Errorf("of the version that was put back: %s", last)
	}
	versions, err := s.Store().Versions(t.Context(), "flow", "slow")
	s.must(err)
	if len(versions) != 3 {
		t.Errorf("%d versions are kept", len(versions))
	}
}

// Flows that start each other are cut off.
func TestFlowsThatStartEachOtherAreCutOff(t *testing.T) {
	s := openStage(t)
	s.put("flow", "flow: pong\nwhen: by hand\nsteps:\n  - count: pong\n")
	s.live("flow: ping\nwhen: by hand\nalready_running: both\nsteps:\n  - start: pong\n")
	s.live("flow: pong\nwhen: by hand\nalready_running: both\nsteps:\n  - start: ping\n")
	s.must(s.Flows.Start(t.Context(), "ping", "Robin", []Start{{}}))
	s.atRest()
	if n := len(s.runs("ping")) + len(s.runs("pong")); n != flow.Deepest {
		t.Errorf("there were %d runs", n)
	}
	fired, err := s.Store().Fired(t.Context())
	s.must(err)
	if all := fired["ping"].Missed + fired["pong"].Missed; !strings.Contains(all, "cut off") {
		t.Errorf("nobody sees why: %q", all)
	}
}

// A reply and the end of the time race: exactly one of the two wins, and a reply that lost is
// answered by the bot.
func TestAReplyAndItsTimeRace(t *testing.T) {
	s := openStage(t)
	s.live(`flow: race
when:
  - message: { contains: [race] }
steps:
  - say: "Go."
  - await_reply: 1m
  - branch:
      - if: "replied"
        steps: [ { say: "The reply won." } ]
      - else: [ { say: "The time won." } ]
`)
	const racers = 40
	for i := range racers {
		s.rings(fmt.Sprintf("+4477009001%02d", i), fmt.Sprintf("begin-%d", i), "a race")
	}
	s.atRest()
	var racing sync.WaitGroup
	for i := range racers {
		racing.Go(func() {
			_, err := s.bell.Ring(t.Context(), "bell", fmt.Sprintf("+4477009001%02d", i), fmt.Sprintf("reply-%d", i), "Do dogs cost anything?")
			if err != nil {
				t.Error(err)
			}
		})
		if i == racers/2 {
			racing.Go(func() { s.clock.Walk(time.Minute); s.Timers.nudge() })
		}
	}
	racing.Wait()
	s.atRest()
	s.Timers.nudge()
	s.until("all races are over", func() bool { return len(s.runs("race")) == racers && s.runs("race")[0].Status == "done" })
	s.atRest()
	replies, times, answers := 0, 0, 0
	for _, words := range s.sent() {
		switch {
		case strings.Contains(words, "reply won"):
			replies++
		case strings.Contains(words, "time won"):
			times++
		case strings.Contains(words, "free of charge"):
			answers++
		}
	}
	if replies+times != racers || answers != times {
		t.Errorf("%d replies and %d times won of %d; %d of the replies that lost were answered", replies, times, racers, answers)
	}
	t.Logf("%d replies and %d times won", replies, times)
}

// A reply that comes before the wait begins counts; with limits, racing triggers start no
// more runs than may be; quiet hours are kept by what nobody waits for.
func TestEarlyRepliesLimitsAndQuietHours(t *testing.T) {
	s := openStage(t)
	s.put("settings", "settings: main\ntitle: Brackwater Ferries\ntime_zone: Europe/London\nquiet: { from: \"20:00\", to: \"08:00\" }\nstages:\n  - { stage: enquiry, label: Enquiry }\ntags: [group]\n")
	s.live("flow: early\nwhen:\n  - message: { exactly: [begin] }\nsteps:\n  - say: One.\n  - wait: 10m\n  - await_reply: 1h\n  - say: \"{{ replied ? 'You had written.' : 'Silence.' }}\"\n")
	s.live("flow: by-hand\nwhen: by hand\nsteps:\n  - wait: 10m\n  - await_reply: 1h\n  - say: \"{{ replied ? 'You had written.' : 'Silence.' }}\"\n")
	s.live("flow: often\nwhen:\n  - message: { exactly: [often] }\nalready_running: both\nlimits: { per_hour: 3 }\nsteps:\n  - wait: 1d\n")
	s.live("flow: evening\nwhen: by hand\nsteps:\n  - say: Good news.\n")
	s.rings("+447700900101", "1", "begin")
	s.says("One.")
	s.rings("+447700900101", "2", "Do dogs cost anything?")
	s.says("One.", "free of charge")
	s.later(11 * time.Minute)
	s.says("One.", "free of charge", "You had written.")
	s.must(s.Flows.Start(t.Context(), "by-hand", "Robin", []Start{{Contact: s.contacts()[0].ID}}))
	s.atRest()
	s.rings("+447700900101", "3", "Do bicycles cost anything?")
	s.atRest()
	s.later(11 * time.Minute)
	if got := s.sent(); got[len(got)-1] != "You had written." {
		t.Errorf("of a run that nobody's words started the early reply does not count: %q", got)
	}
	var racing sync.WaitGroup
	for i := range 20 {
		racing.Go(func() {
			if _, err := s.bell.Ring(t.Context(), "bell", fmt.Sprintf("+4477009002%02d", i), fmt.Sprintf("often-%d", i), "often"); err != nil {
				t.Error(err)
			}
		})
	}
	racing.Wait()
	s.atRest()
	if n := len(s.runs("often")); n != 3 {
		t.Errorf("%d runs started in the hour, not 3", n)
	}
	s.later(12 * time.Hour) // it is past nine in the evening
	before := len(s.sent())
	s.must(s.Flows.Start(t.Context(), "evening", "Robin", []Start{{Contact: s.contacts()[0].ID}}))
	s.atRest()
	if n := len(s.sent()); n != before {
		t.Errorf("in the quiet hours %q is said", s.sent()[before:])
	}
	s.later(12 * time.Hour)
	if got := s.sent(); got[len(got)-1] != "Good news." {
		t.Errorf("in the morning it says %q", got[before:])
	}
	// It is the customer's night that counts, and the channel may have hours of its own.
	tell := func(phone string) (told bool) {
		s.rings(phone, "hello from "+phone, "Do dogs cost anything?")
		s.atRest()
		before := len(s.sent())
		for _, c := range s.contacts() {
			if c.Facts[0].Value == phone {
				s.must(s.Flows.Start(t.Context(), "evening", "Robin", []Start{{Contact: c.ID}}))
			}
		}
		s.atRest()
		return len(s.sent()) > before
	}
	if there := "+61291234567"; tell(there) { // ten in the morning here is nine in the evening in Sydney
		t.Errorf("%s is written to in their night", there)
	}
	if here := "+447700900105"; !tell(here) {
		t.Errorf("%s is not written to by day", here)
	}
	s.put("channel", "channel: bell\nkind: bell\nbot: front-desk\ntone: high\nquiet: { from: \"00:00\", to: \"00:00\" }\n")
	if there := "+61291234568"; !tell(there) {
		t.Errorf("the channel has no quiet hours, and %s is not written to", there)
	}
}
