package engine

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/store"
)

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

// One switch pauses all that bots and flows do; what waited goes on when it is over, once.
func TestAPausedWorkspaceIsSilent(t *testing.T) {
	s := openStage(t)
	s.followsUp()
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
	s.pausing("the run has failed", time.Minute, func() bool { list := s.runs("tides"); return len(list) == 1 && list[0].Status == "failed" })
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
	// Nothing pauses now; a clock that walks on would run out under the call.
	s.until("the run is done", func() bool { return s.runs("tides")[0].Status == "done" })
	if err := s.Flows.Retry(t.Context(), run.ID); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a run that is done is retried: %v", err)
	}
}
