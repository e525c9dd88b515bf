package engine

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/flow/triggers"
	"urgentparrot.example/internal/safely"
	"urgentparrot.example/internal/store"
)

// listen looks at what may start flows, as it comes.
func (f *Flows) listen() {
	w := f.w
	f.happening.signal("")
	for {
		select {
		case <-w.store.Occurred():
			f.happening.signal("")
		case <-w.running.Done():
			return
		}
	}
}

// look looks at what may start flows, until nothing is left.
func (f *Flows) look() {
	w := f.w
	const page = 100
	for w.Paused() == nil {
		list, err := w.store.Happenings(w.running, page)
		for i := 0; err == nil && i < len(list); i++ {
			err = safely.Do(func() error { return f.lookAt(w.running, list[i]) })
			var broken *safely.Broken
			if errors.As(err, &broken) { // it is dropped: it would break again
				w.log.Error("what may start flows broke", "cause", broken.Cause, "stack", broken.Stack)
				err = w.write(w.running, func(tx *store.Tx) error {
					_, err := tx.LookedAt(list[i].ID, nil, nil, w.Clock.Now())
					return err
				})
			}
		}
		switch {
		case w.running.Err() != nil || err == nil && len(list) < page:
			return
		case err != nil:
			w.log.Error("what may start flows could not be looked at; it will be tried again", "error", err)
			passed, stop := w.Clock.Timer(w.options.RetryBase)
			select {
			case <-passed:
			case <-w.running.Done():
			}
			stop()
		}
	}
}

// lookAt starts the flows that something starts.
func (f *Flows) lookAt(ctx context.Context, h store.Happened) error {
	w := f.w
	var runs []store.Run
	var missed []store.Missed
	stage, talk, blocked, err := f.circumstances(ctx, h.Happening)
	if err != nil {
		return err
	}
	for _, live := range w.config.Load().live() {
		if h.Flow != "" && h.Flow != live.Name || !live.Listens(h.Kind) {
			continue
		}
		trigger, why := live.Fits(h.Happening, stage, func(said string, examples []string) float64 { return w.like(ctx, said, examples) })
		switch {
		case trigger == nil:
		case h.Contact != "" && stage.Contact == nil:
			why = fmt.Sprintf("there is no contact with the id %q", h.Contact)
		case blocked:
			why = "the contact is blocked"
		case h.Depth >= flow.Deepest:
			why = flow.CutOff
			w.log.Warn("flows start each other", "flow", live.Name, "by", h.By)
		default:
			runs = append(runs, f.fresh(live, h.Happening, talk))
			continue
		}
		missed = append(missed, store.Missed{Flow: live.Name, Why: why})
	}
	var started []store.Run
	if err := w.write(ctx, func(tx *store.Tx) (err error) {
		started, err = tx.LookedAt(h.ID, runs, missed, w.Clock.Now())
		return err
	}); err != nil {
		return err
	}
	for _, r := range started {
		f.signal(r.ID, r.ConversationID)
	}
	return nil
}

// circumstances are what a happening is looked at with: its contact, and its conversation
// while that is open.
func (f *Flows) circumstances(ctx context.Context, h flow.Happening) (stage flow.Stage, talk string, blocked bool, err error) {
	w := f.w
	var who *store.Contact
	var c *store.Conversation
	var lines []flow.Line
	if h.Contact != "" {
		known, err := w.store.Contact(ctx, h.Contact)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return stage, "", false, err
		}
		if err == nil {
			who, blocked = &known, known.Blocked || known.NoBots
		}
	}
	if h.Talk != "" {
		known, err := w.store.Conversation(ctx, h.Talk)
		if err != nil {
			return stage, "", false, err
		}
		if lines, err = w.linesOf(ctx, h.Talk); err != nil {
			return stage, "", false, err
		}
		c, talk = &known, h.Talk
	}
	stage, err = w.stageOf(ctx, who, c, lines)
	return stage, talk, blocked, err
}

// fresh is a run that starts.
func (f *Flows) fresh(live *liveFlow, h flow.Happening, talk string) store.Run {
	if h.Values == nil {
		h.Values = map[string]any{}
	}
	h.Values["kind"] = h.Kind
	r := store.Run{
		ID: store.NewID(), Flow: live.Name, Version: live.version, ContactID: h.Contact, ConversationID: talk, Talks: live.Talks(),
		StartedBy: h.Kind, Depth: h.Depth, New: true, Limits: limitsOf(live),
	}
	if h.By != "" {
		r.StartedBy = h.By
	}
	r.Stand(flow.Begin(h.Values))
	return r
}

func limitsOf(live *liveFlow) store.Limits {
	return store.Limits{PerContact: live.PerContact, Within: live.Within, PerHour: live.PerHour, One: live.AlreadyRunning == "ignore"}
}

// Start starts a flow by hand, for contacts ("" for none), each with values. A flow that is
// not live, or does not start by hand, is ErrNotLive.
func (f *Flows) Start(ctx context.Context, name, person string, starts []Start) error {
	w := f.w
	live := w.config.Load().flows[name]
	switch {
	case live == nil:
		return fmt.Errorf("%wthe flow %s is not live", ErrNotLive, name)
	case !live.works():
		return fmt.Errorf("%wthe flow %s cannot run: %w", ErrNotLive, name, errorsOf(live.faults))
	case !live.Listens(flow.ByHand):
		return fmt.Errorf("%wthe flow %s does not start by hand: add \"- by hand\" to its when", ErrNotLive, name)
	}
	for i, s := range starts {
		if lacks := live.Lacks(s.Values); len(lacks) > 0 {
			of := ""
			if len(starts) > 1 {
				of = fmt.Sprintf(" (start %d of %d)", i+1, len(starts))
			}
			return fmt.Errorf("%wthe flow %s needs a value for %s%s", ErrNotLive, name, strings.Join(lacks, ", "), of)
		}
	}
	return w.write(ctx, func(tx *store.Tx) error {
		for _, s := range starts {
			if err := tx.Happen(flow.Happening{Kind: flow.ByHand, Flow: name, Contact: s.Contact, Values: s.Values, By: person}); err != nil {
				return err
			}
		}
		return nil
	})
}

// Start is for whom a flow is started, and with what.
type Start struct {
	Contact string
	Values  map[string]any
}

// tellTime tells a run that a time which it waited for has come. Another wait than that is
// not meant.
func tellTime(tx *store.Tx, timer store.Timer) error {
	wait := 0
	if _, err := fmt.Sscan(timer.Body, &wait); err != nil {
		return nil // of another version
	}
	_, err := tx.Tell(timer.Subject, flow.Event{Kind: flow.Time, Wait: wait})
	if errors.Is(err, store.ErrNotFound) {
		return nil // it has ended
	}
	return err
}

// lookAgain has a run stepped with what it was told.
func (f *Flows) lookAgain(id string) {
	if r, err := f.w.store.Run(f.w.running, id); err == nil {
		f.signal(r.ID, r.ConversationID)
	}
}

// scheduled starts a flow whose time has come, and sets the next time. A time that passed
// while the service was stopped counts once, or not at all, as the flow says.
func (f *Flows) scheduled(timer store.Timer) {
	w := f.w
	var body scheduleBody
	live := w.config.Load().flows[timer.Subject]
	if json.Unmarshal([]byte(timer.Body), &body) != nil || live == nil || body.Index >= len(live.Triggers) {
		return
	}
	t := live.Triggers[body.Index]
	now := w.Clock.Now().In(w.Documents.Settings().Zone())
	const late = time.Minute
	err := w.write(w.running, func(tx *store.Tx) error {
		if next, ok := triggers.Next(t, now); ok {
			if err := tx.PutTimer(scheduleTimer(live.Name, t, next)); err != nil {
				return err
			}
		}
		if now.Sub(timer.DueAt) > late && live.Missed == "skip" {
			return tx.Miss(store.Missed{Flow: live.Name, Why: "its time passed while the service was stopped"}, now)
		}
		return tx.Happen(flow.Happening{Kind: triggers.Schedule, Flow: live.Name, Index: t.Index, Values: map[string]any{"at": timer.DueAt.In(now.Location()).Format(time.RFC3339Nano)}})
	})
	if err != nil && w.running.Err() == nil {
		w.log.Error("a schedule could not be set; it is set again at the next change or start", "flow", live.Name, "error", err)
	}
	w.Timers.nudge()
}
