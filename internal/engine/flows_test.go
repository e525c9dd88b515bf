package engine

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

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
  - by hand: { with: [about?] }
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
	contacts, err := s.Store().Contacts(t.Context(), store.ContactFilter{Limit: 1})
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

// followsUp puts the follow-up live and starts it for a contact who had an answer.
func (s *stage) followsUp() (contact string) {
	s.t.Helper()
	s.live(followUpFlow)
	id := s.rings("+447700900101", "1", "Do dogs cost anything?")
	s.says("free of charge")
	c, err := s.Store().Conversation(s.t.Context(), id)
	s.must(err)
	s.must(s.Flows.Start(s.t.Context(), "follow-up", "Robin", []Start{{Contact: c.ContactID}}))
	return c.ContactID
}

func TestAFollowUpRunsToItsEnd(t *testing.T) {
	s := openStage(t)
	contact := s.followsUp()
	s.comesTo("follow-up", "waiting")
	s.later(4 * 24 * time.Hour)
	s.says("free of charge", "Day 1: did the quote for you", "Day 2", "Day 3")
	s.comesTo("follow-up", "done")
	who, err := s.Store().Contact(t.Context(), contact)
	s.must(err)
	if who.Stage != "enquiry" {
		t.Errorf("the stage is %q", who.Stage)
	}
	// "ignore": a second start while one runs is left out, and it is said why.
	s.must(s.Flows.Start(t.Context(), "follow-up", "Robin", []Start{{Contact: contact}, {Contact: contact}}))
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
	s.says("free of charge", "Happy to help", "How many of you") // what is not sent yet ends with the conversation
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
	id := s.rings("+447700900101", "1", "Do dogs cost anything? I'm Ada Quill.")
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
