package store

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/flow"
)

// ledger is a store with one contact, and what it takes to keep runs.
type ledger struct {
	*Store
	t       *testing.T
	contact string
	talk    string
	now     time.Time
}

func openLedger(t *testing.T) *ledger {
	l := &ledger{Store: openStore(t), t: t, now: time.Now()}
	r := receive(t, l.Store, "1", "hello")
	c, err := l.Conversation(t.Context(), r.ConversationID)
	if err != nil {
		t.Fatal(err)
	}
	l.contact, l.talk = c.ContactID, c.ID
	return l
}

func (l *ledger) write(do func(*Tx) error) error { return l.Write(l.t.Context(), do) }

func (l *ledger) must(err error) {
	l.t.Helper()
	if err != nil {
		l.t.Fatal(err)
	}
}

// run is a run of the contact's that waits.
func (l *ledger) run(name string, w flow.WaitFor, in string) Run {
	r := Run{ID: NewID(), Flow: name, Version: 1, ContactID: l.contact, ConversationID: in, Talks: true, StartedBy: "Robin", New: true}
	s := flow.Begin(nil)
	s.Wait = &flow.Wait{ID: 1, For: w, Since: l.now}
	r.Stand(s)
	return r
}

// keep keeps a run as new, and returns it as it is kept.
func (l *ledger) keep(r Run) Run {
	l.t.Helper()
	l.must(l.write(func(tx *Tx) error { return tx.CommitRun(&Changes{Contact: r.ContactID, Runs: []Run{r}}, nil, l.now) }))
	return l.kept(r.ID)
}

func (l *ledger) kept(id string) Run {
	l.t.Helper()
	r, err := l.Run(l.t.Context(), id)
	l.must(err)
	return r
}

// woken are the runs that a conversation's turn is told of, in order.
func (l *ledger) woken(conversation string) (list []string) {
	l.t.Helper()
	wakes, err := l.Wakes(l.t.Context(), conversation)
	l.must(err)
	for _, w := range wakes {
		list = append(list, w.Kind+" "+w.Body)
	}
	return list
}

// Of two that step a run from the same place, one is kept.
func TestARunIsSteppedOnFromWhereItStood(t *testing.T) {
	l := openLedger(t)
	r := l.keep(l.run("follow-up", flow.ForTime, ""))
	var won, lost int
	var mu sync.Mutex
	var racing sync.WaitGroup
	for i := range 8 {
		racing.Go(func() {
			mine := r
			s := flow.Begin(nil)
			s.End = &flow.End{How: flow.Done, Why: fmt.Sprint("stepper ", i)}
			mine.Stand(s)
			err := l.write(func(tx *Tx) error { return tx.CommitRun(&Changes{Contact: l.contact, Runs: []Run{mine}}, nil, l.now) })
			mu.Lock()
			defer mu.Unlock()
			switch {
			case err == nil:
				won++
			case errors.Is(err, ErrStale):
				lost++
			default:
				t.Error(err)
			}
		})
	}
	racing.Wait()
	if won != 1 || lost != 7 || l.kept(r.ID).Status != "done" {
		t.Errorf("%d were kept, %d were too late, and the run is %s", won, lost, l.kept(r.ID).Status)
	}
	if err := l.write(func(tx *Tx) error { _, err := tx.Tell(r.ID, flow.Event{Kind: flow.Time, Wait: 1}); return err }); !errors.Is(err, ErrNotFound) {
		t.Errorf("a run that has ended is told: %v", err)
	}
}

// Limits hold however many want to start at once: one at a time, so often for a contact, so
// often in an hour.
func TestLimitsHoldUnderRacingStarts(t *testing.T) {
	for _, c := range []struct {
		what   string
		limits Limits
		ended  bool
		start  int
		says   string
	}{
		{"no limit", Limits{}, false, 20, ""},
		{"one at a time", Limits{One: true}, false, 1, "running for the contact already"},
		{"one at a time, each over", Limits{One: true}, true, 20, ""},
		{"three for a contact", Limits{PerContact: 3, Within: 24 * time.Hour}, true, 3, "3 times for the contact within"},
		{"five in an hour", Limits{PerHour: 5}, true, 5, "5 times within the hour"},
	} {
		l := openLedger(t)
		started := 0
		var mu sync.Mutex
		var racing sync.WaitGroup
		for range 20 {
			racing.Go(func() {
				r := l.run("often", flow.ForTime, "")
				if r.Limits = c.limits; c.ended {
					s := flow.Begin(nil)
					s.End = &flow.End{How: flow.Done}
					r.Stand(s)
				}
				err := l.write(func(tx *Tx) error { return tx.CommitRun(&Changes{Contact: l.contact, Runs: []Run{r}}, nil, l.now) })
				mu.Lock()
				defer mu.Unlock()
				switch {
				case err == nil:
					started++
				case !errors.Is(err, ErrLimit) || c.says == "" || !strings.Contains(err.Error(), c.says):
					t.Errorf("%s: %v", c.what, err)
				}
			})
		}
		racing.Wait()
		if started != c.start {
			t.Errorf("%s: %d started, not %d", c.what, started, c.start)
		}
		later := l.run("often", flow.ForTime, "")
		later.Limits = c.limits
		err := l.write(func(tx *Tx) error {
			return tx.CommitRun(&Changes{Contact: l.contact, Runs: []Run{later}}, nil, l.now.Add(25*time.Hour))
		})
		if stillOne := c.limits.One && !c.ended; (err == nil) == stillOne {
			t.Errorf("%s: the day after it comes to %v", c.what, err)
		}
	}
}

// A run without a conversation hears its contact wherever that writes next, and what happened
// to it before is told there in its order; runs of others, and silent ones, stay.
func TestRunsHearWhereTheirContactWrites(t *testing.T) {
	l := openLedger(t)
	waits, listens, silent, speaks := l.keep(l.run("waits", flow.ForTime, "")), l.run("listens", flow.ForReply, ""), l.run("silent", flow.ForTime, ""), l.keep(l.run("speaks", flow.ForTalk, ""))
	silent.Talks, listens.Talks = false, false
	listens, silent = l.keep(listens), l.keep(silent)
	stranger := l.run("waits", flow.ForTime, "")
	stranger.ContactID = ""
	stranger = l.keep(stranger)
	told := []flow.Event{{Kind: flow.Time, Wait: 1}, {Kind: flow.Result, Effect: "a/b", Value: "done"}}
	for _, r := range []Run{waits, silent} {
		for _, e := range told {
			l.must(l.write(func(tx *Tx) error { _, err := tx.Tell(r.ID, e); return err }))
		}
	}
	if got := l.woken(l.talk); len(got) != 0 {
		t.Fatalf("before anybody writes the conversation is told %q", got)
	}
	receive(t, l.Store, "2", "it is me")
	for _, r := range []Run{waits, listens} {
		if now := l.kept(r.ID); now.ConversationID != l.talk || now.Revision == r.Revision {
			t.Errorf("%s is in %q at revision %d", r.Flow, now.ConversationID, now.Revision)
		}
	}
	for _, r := range []Run{silent, speaks, stranger} {
		if now := l.kept(r.ID); now.ConversationID != "" || now.Revision != r.Revision {
			t.Errorf("%s is in %q at revision %d", r.Flow, now.ConversationID, now.Revision)
		}
	}
	want := []string{}
	for _, e := range told {
		want = append(want, string(dialogue.ByRun)+" "+asJSON(dialogue.RunWake{Run: waits.ID, Event: e}))
	}
	if got := l.woken(l.talk); !slices.Equal(got, want) {
		t.Errorf("the conversation is told %q, not %q", got, want)
	}
	if left, err := l.RunEvents(t.Context(), waits.ID); err != nil || len(left) != 0 {
		t.Errorf("%d events of the run are left, %v", len(left), err)
	}
	if kept, err := l.RunEvents(t.Context(), silent.ID); err != nil || len(kept) != len(told) {
		t.Errorf("of the silent run %d events are left, %v", len(kept), err)
	}
	// What happens from now on is told to the conversation.
	l.must(l.write(func(tx *Tx) error {
		in, err := tx.Tell(waits.ID, flow.Event{Kind: flow.Skipped})
		if in != l.talk {
			t.Errorf("it is told to %q", in)
		}
		return err
	}))
	if got := l.woken(l.talk); len(got) != 3 {
		t.Errorf("the conversation is told %q", got)
	}
}

// A run goes where it may speak once, however many want to take it there; and from a closed
// conversation to the one that comes after it, with what it was told.
func TestRunsAreTakenAlongOnce(t *testing.T) {
	l := openLedger(t)
	r := l.keep(l.run("speaks", flow.ForTalk, ""))
	var taken []string
	var mu sync.Mutex
	var racing sync.WaitGroup
	for range 6 {
		racing.Go(func() {
			var in string
			err := l.write(func(tx *Tx) (err error) {
				in, err = tx.GiveTalk(r, "text-line", "+447700900150", "front-desk", l.now)
				return err
			})
			mu.Lock()
			defer mu.Unlock()
			if err != nil {
				t.Error(err)
			}
			if in != "" {
				taken = append(taken, in)
			}
		})
	}
	racing.Wait()
	if !slices.Equal(taken, []string{l.talk}) || len(l.woken(l.talk)) != 1 {
		t.Fatalf("it was taken to %q, and the conversation is told %q", taken, l.woken(l.talk))
	}
	waits := l.keep(l.run("waits", flow.ForTime, l.talk))
	l.must(l.write(func(tx *Tx) error {
		if err := tx.Close(l.talk, "Robin closed it", l.now); err != nil {
			return err
		}
		_, err := tx.Tell(waits.ID, flow.Event{Kind: flow.Time, Wait: 1})
		return err
	}))
	next := receive(t, l.Store, "3", "here I am again").ConversationID
	if next == l.talk || l.kept(waits.ID).ConversationID != next {
		t.Errorf("from %s the run went to %s, and the contact writes in %s", l.talk, l.kept(waits.ID).ConversationID, next)
	}
	if got := l.woken(next); len(got) == 0 || !strings.Contains(got[len(got)-1], waits.ID) {
		t.Errorf("the new conversation is told %q", got)
	}
}

// Who wants no more messages ends what would write to them, in all their conversations, and
// nothing else; a person's stop ends a run of any kind, once.
func TestWhatIsStoppedStaysStopped(t *testing.T) {
	l := openLedger(t)
	writes, elsewhere, silent := l.keep(l.run("writes", flow.ForReply, l.talk)), l.keep(l.run("writes", flow.ForTime, "")), l.run("silent", flow.ForTime, "")
	silent.Talks = false
	silent = l.keep(silent)
	l.must(l.write(func(tx *Tx) error {
		return tx.CommitRun(&Changes{Contact: l.contact, Channel: "text-line", Address: "+447700900150", OptOut: &dialogue.OptOut{}}, nil, l.now)
	}))
	for _, r := range []Run{writes, elsewhere} {
		now := l.kept(r.ID)
		if now.Status != "stopped" || !strings.Contains(now.Why, "does not want") || !strings.Contains(now.State, `"how":"stopped"`) || strings.Contains(now.State, `"wait"`) {
			t.Errorf("%s is %s: %s; its state is %s", r.Flow, now.Status, now.Why, now.State)
		}
	}
	if now := l.kept(silent.ID); now.Status != "waiting" {
		t.Errorf("what only works behind the scenes is %s", now.Status)
	}
	if out, err := l.OptedOut(t.Context(), "text-line", "+447700900150"); err != nil || !out {
		t.Errorf("the wish is not kept: %v", err)
	}
	for i, want := range []error{nil, ErrNotFound} {
		if err := l.write(func(tx *Tx) error { return tx.StopRun(silent.ID, "stopped by Robin", l.now) }); !errors.Is(err, want) {
			t.Errorf("stop %d: %v", i+1, err)
		}
	}
	// A step that was taken before the stop comes too late.
	s := flow.Begin(nil)
	s.Wait = &flow.Wait{ID: 2, For: flow.ForTime}
	silent.Stand(s)
	if err := l.write(func(tx *Tx) error { return tx.CommitRun(&Changes{Contact: l.contact, Runs: []Run{silent}}, nil, l.now) }); !errors.Is(err, ErrStale) {
		t.Errorf("a stopped run goes on: %v", err)
	}
}

// A conversation is marked with tags in their order, each once; what changes is said in line,
// what does not is not; and it is found by them.
func TestConversationsAreTagged(t *testing.T) {
	l := openLedger(t)
	tag := func(marks ...flow.Tag) {
		t.Helper()
		l.must(l.write(func(tx *Tx) error { return tx.Tag(l.talk, marks, flow.Tag.Words, l.now) }))
	}
	tags := func() string {
		t.Helper()
		c, err := l.Conversation(t.Context(), l.talk)
		l.must(err)
		return strings.Join(c.Tags, " ")
	}
	said := func() (n int) {
		messages, err := l.Messages(t.Context(), l.talk, 0, 50)
		l.must(err)
		return len(messages)
	}
	before := said()
	tag(flow.Tag{Tag: "refund", OnTalk: true}, flow.Tag{Tag: "storm", OnTalk: true}, flow.Tag{Tag: "refund", OnTalk: true}, flow.Tag{Tag: "group", Off: true, OnTalk: true})
	if tags() != "refund storm" || said() != before+2 {
		t.Errorf("it has the tags %q, and %d things are said of it", tags(), said()-before)
	}
	tag(flow.Tag{Tag: "refund", Off: true, OnTalk: true})
	if tags() != "storm" || said() != before+3 {
		t.Errorf("it has the tags %q, and %d things are said of it", tags(), said()-before)
	}
	for search, found := range map[string]int{"storm": 1, "refund": 0} {
		list, err := l.Conversations(t.Context(), Filter{Search: search, Limit: 10}, l.now)
		if l.must(err); len(list) != found {
			t.Errorf("by %q %d are found", search, len(list))
		}
	}
	if c, _, err := l.ConversationWithMemory(t.Context(), l.talk); err != nil || !slices.Equal(c.Tags, []string{"storm"}) {
		t.Errorf("for a turn its tags are %q, %v", c.Tags, err)
	}
	if err := l.write(func(tx *Tx) error { return tx.Tag("nobody", []flow.Tag{{Tag: "x"}}, nil, l.now) }); !errors.Is(err, ErrNotFound) {
		t.Errorf("a conversation that is not there: %v", err)
	}
}
