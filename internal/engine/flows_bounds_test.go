package engine

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/flow"
)

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
	s.live("flow: told\nwhen:\n  - by hand: { with: [boat] }\nsteps:\n  - say: \"The {{ event.boat }} sails again.\"\n")
	s.live("flow: batch\nwhen: by hand\nsteps:\n  - loop:\n      over: contacts\n      steps:\n        - start: { flow: told, for: \"{{ item.id }}\", with: { boat: Sorrel } }\n          if: \"'group' in item.tags\"\n")
	s.live("flow: astray\nwhen: by hand\nsteps:\n  - start: { flow: told, for: Ada, with: { boat: Sorrel } }\n")
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
	s.must(s.Flows.Start(t.Context(), "told", "Robin", []Start{{Contact: "nobody", Values: map[string]any{"boat": "Sorrel"}}}))
	if err := s.Flows.Start(t.Context(), "told", "Robin", []Start{{Values: map[string]any{"boat": "Sorrel"}}, {Values: map[string]any{"boat": ""}}}); err == nil || !strings.Contains(err.Error(), "needs a value for boat (start 2 of 2)") {
		t.Errorf("a start without what the flow needs: %v", err)
	}
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
	steps, err := s.Store().RunSteps(t.Context(), s.runs("evening")[0].ID)
	s.must(err)
	if last := steps[len(steps)-1].Words; !strings.Contains(last, "quiet hours until 2026-11-25 08:00") {
		t.Errorf("why it waits is told as %q", last)
	}
	s.later(12 * time.Hour)
	if got := s.sent(); got[len(got)-1] != "Good news." {
		t.Errorf("in the morning it says %q", got[before:])
	}
	// It is the customer's night that counts, and the channel may have hours of its own.
	tell := func(phone string, later time.Duration) (told bool) {
		s.rings(phone, fmt.Sprint("hello from ", phone, later), "Do dogs cost anything?")
		s.atRest()
		s.later(later)
		before := len(s.sent())
		for _, c := range s.contacts() {
			if c.Facts[0].Value == phone {
				s.must(s.Flows.Start(t.Context(), "evening", "Robin", []Start{{Contact: c.ID}}))
			}
		}
		s.atRest()
		return len(s.sent()) > before
	}
	const pause = 11 * time.Minute
	if there := "+61291234566"; !tell(there, time.Minute) { // who wrote just now is awake
		t.Errorf("%s is not written to though they wrote just now", there)
	}
	if there := "+61291234567"; tell(there, pause) { // ten in the morning here is nine in the evening in Sydney
		t.Errorf("%s is written to in their night", there)
	}
	if here := "+447700900105"; !tell(here, pause) {
		t.Errorf("%s is not written to by day", here)
	}
	s.put("channel", "channel: bell\nkind: bell\nbot: front-desk\ntone: high\nquiet: { from: \"00:00\", to: \"00:00\" }\n")
	if there := "+61291234568"; !tell(there, pause) {
		t.Errorf("the channel has no quiet hours, and %s is not written to", there)
	}
}
