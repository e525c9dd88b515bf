package engine

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/safely"
	"urgentparrot.example/internal/store"
)

// runOf is a run as the core plays it.
func (f *Flows) runOf(ctx context.Context, kept store.Run) (dialogue.Run, error) {
	live, err := f.at(ctx, kept.Flow, kept.Version)
	if err != nil {
		return dialogue.Run{}, err
	}
	r := dialogue.Run{ID: kept.ID, Flow: live.Checked, Started: kept.StartedAt, Depth: kept.Depth, By: kept.StartedBy}
	if err := json.Unmarshal([]byte(kept.State), &r.State); err != nil {
		return r, &undecidable{fmt.Sprintf("the state of the run %s cannot be read: %v", kept.ID, err)}
	}
	return r, nil
}

// step steps a run without a conversation with what happened to it.
func (f *Flows) step(id string) {
	w := f.w
	for {
		again, err := false, error(nil)
		if broken := safely.Do(func() error { again, err = f.stepOnce(w.running, id); return nil }); broken != nil {
			err = broken
		}
		switch {
		case errors.Is(err, store.ErrStale):
			continue
		case errors.Is(err, store.ErrNotFound), w.running.Err() != nil:
			return
		case err != nil:
			w.log.Error("a run could not be stepped", "run", id, "error", err)
			if failed := f.fail(id, err); failed != nil {
				w.log.Error("a failed run could not be recorded; it is tried again", "run", id, "error", failed)
				f.later(id)
			}
			return
		case !again:
			return
		}
	}
}

// later has a run looked at again after a pause.
func (f *Flows) later(id string) {
	w := f.w
	w.working.Go(func() {
		passed, stop := w.Clock.Timer(w.options.RetryBase)
		defer stop()
		select {
		case <-passed:
			f.runs.signal(id)
		case <-w.running.Done():
		}
	})
}

// fail ends a run that cannot be stepped, for a reason of its own.
func (f *Flows) fail(id string, why error) error {
	w := f.w
	kept, err := w.store.Run(w.running, id)
	if err != nil {
		return err
	}
	var state flow.State
	_ = json.Unmarshal([]byte(kept.State), &state) // unreadable: it failed for that
	state.Wait, state.End = nil, &flow.End{How: flow.Failed, Why: why.Error()}
	kept.Stand(state)
	events, err := w.store.RunEvents(w.running, id)
	if err != nil {
		return err
	}
	var ids []string
	for _, e := range events {
		ids = append(ids, e.ID)
	}
	if err := w.write(w.running, func(tx *store.Tx) error {
		return tx.CommitRun(&store.Changes{Runs: []store.Run{kept}}, ids, w.Clock.Now())
	}); err != nil {
		return err
	}
	f.tellOfFailures()
	return nil
}

// stepOnce steps a run with what happened to it so far, and commits what comes of it.
func (f *Flows) stepOnce(ctx context.Context, id string) (again bool, err error) {
	w := f.w
	if w.Paused() != nil {
		return false, nil
	}
	events, err := w.store.RunEvents(ctx, id)
	if err != nil || len(events) == 0 {
		return false, err
	}
	kept, err := w.store.Run(ctx, id)
	if err != nil {
		return false, err
	}
	if kept.ConversationID != "" {
		return false, nil // it is stepped in turns
	}
	r, err := f.runOf(ctx, kept)
	if err != nil {
		return false, err
	}
	var who *store.Contact
	if kept.ContactID != "" {
		known, err := w.store.Contact(ctx, kept.ContactID)
		if err != nil {
			return false, err
		}
		who = &known
	}
	committing := &Committing{w: w, now: w.Clock.Now(), run: &kept}
	var ids []string
	for _, e := range events {
		stage, err := w.stageOf(ctx, who, nil, nil)
		if err != nil {
			return false, err
		}
		stage.Run, stage.Started, stage.Conduct = kept.ID, kept.StartedAt, outOfTalk{w: w}
		if who != nil && who.Blocked && r.State.End == nil {
			r.State.Wait, r.State.End = nil, &flow.End{How: flow.Stopped, Why: "the contact is blocked"}
		}
		out := r.Flow.Advance(r.State, e.Event, stage)
		r.State = out.State
		kept.Passed = append(kept.Passed, out.Passed...)
		ids = append(ids, e.ID)
		memory := stage.Contact
		if memory == nil {
			memory = contact.Memory{}
		}
		for _, effect := range out.Effects {
			outward := dialogue.Outward(effect, memory)
			if remember, ok := outward.(dialogue.Remember); ok {
				memory = memory.With(remember.Fact)
			}
			kind, ok := w.effects[outward.Kind()]
			if !ok || kind.Decide == nil {
				return false, fmt.Errorf("it decided on %s, and there is no such kind of effect", outward.Kind())
			}
			kind.Decide(ctx, committing, outward)
		}
		if who != nil {
			for _, fact := range memory {
				who.Facts = replaced(who.Facts, fact)
			}
		}
	}
	kept.Stand(r.State)
	changes := committing.commit.Changes
	changes.Contact, changes.Runs = kept.ContactID, append(changes.Runs, kept)
	if err := w.write(ctx, func(tx *store.Tx) error { return tx.CommitRun(&changes, ids, committing.now) }); err != nil {
		return false, err
	}
	w.Outbox.add(changes.Effects...)
	for _, row := range changes.Rows {
		w.Sheets.changed(row.Sheet)
	}
	f.settle(kept)
	return len(events) == 100, nil
}

func replaced(facts []store.Fact, with contact.Fact) []store.Fact {
	for i := range facts {
		if facts[i].Field == with.Field {
			facts[i].Fact = with
			return facts
		}
	}
	return append(facts, store.Fact{Fact: with})
}

// settle does what follows from where a run stands now.
func (f *Flows) settle(r store.Run) {
	switch {
	case r.Status == "failed":
		f.tellOfFailures()
	case r.Status == "waiting" && r.WaitsFor == flow.ForTalk:
		f.w.working.Go(func() { f.house(r.ID) })
	case r.Status == "waiting":
		f.w.Timers.nudge()
	}
}

// house finds a conversation for a run that wants to speak and has none: the open one, or a
// new one, on the flow's channel or the one that the contact used last.
func (f *Flows) house(id string) {
	w := f.w
	ctx := w.running
	r, err := w.store.Run(ctx, id)
	if err != nil || r.Status != "waiting" || r.WaitsFor != flow.ForTalk {
		return
	}
	channel, address, why := f.handle(ctx, r)
	if why == nil {
		conversation := ""
		ch := w.Channels.named(channel)
		err = w.write(ctx, func(tx *store.Tx) (err error) {
			conversation, err = tx.GiveTalk(r, channel, address, ch.Bot, w.Clock.Now())
			return err
		})
		if err == nil && conversation != "" {
			w.turns.signal(conversation)
		}
	} else {
		err = f.fail(id, why)
	}
	if err != nil && ctx.Err() == nil {
		w.log.Error("a run could not be given a conversation; it is tried at the next start", "run", id, "error", err)
	}
}

// handle is where a run speaks to its contact.
func (f *Flows) handle(ctx context.Context, r store.Run) (channel, address string, err error) {
	w := f.w
	if r.ContactID == "" {
		return "", "", errors.New("there is nobody to talk to: it has no contact")
	}
	live, err := f.at(ctx, r.Flow, r.Version)
	if err != nil {
		return "", "", err
	}
	handles, err := w.store.Handles(ctx, r.ContactID)
	if err != nil {
		return "", "", err
	}
	for _, h := range handles {
		if ch := w.Channels.named(h.Channel); ch != nil && (live.SpeakOn == "" || live.SpeakOn == h.Channel) {
			return h.Channel, h.Address, nil
		}
	}
	if live.SpeakOn == "" {
		return "", "", errors.New("there is no channel on which the contact could be written to: set speak_on")
	}
	ch := w.Channels.named(live.SpeakOn)
	if ch == nil {
		return "", "", fmt.Errorf("there is no channel called %s any more", live.SpeakOn)
	}
	// Where a handle is a detail of the contact, such as a telephone number, it is known.
	settings := w.Documents.Settings()
	if field, ok := settings.Fields.Of(ch.abilities.Handle); ok && ch.abilities.Handle != "" {
		facts, err := w.store.Facts(ctx, r.ContactID)
		if err != nil {
			return "", "", err
		}
		if value := memoryOf(facts)[field.Name].Value; value != "" {
			err := w.write(ctx, func(tx *store.Tx) error { return tx.PutHandle(live.SpeakOn, value, r.ContactID) })
			return live.SpeakOn, value, err
		}
		return "", "", fmt.Errorf("the contact's %s is not known, so that they cannot be written to on %s", strings.ToLower(field.Label), ch.Title)
	}
	return "", "", fmt.Errorf("the contact has not written on %s, and nobody can be written to there first", ch.Title)
}

// tellOfFailures tells people once of each run that failed.
func (f *Flows) tellOfFailures() {
	w := f.w
	failed, err := w.store.FailedRuns(w.running)
	if err != nil {
		w.log.Error("failed runs could not be read", "error", err)
		return
	}
	for _, r := range failed {
		title := r.Flow
		var effects []store.Effect
		if brief, ok := w.tellsBy(r); ok {
			effects = append(effects, w.effect("notify", "notify/run/"+r.ID, "", "", notifyBody{
				brief.Escalate.Notify, brief.Escalate.To, "A flow failed: " + title, w.withLink(fmt.Sprintf("The flow %s failed: %s\n", title, r.Why), "/flows/"+r.Flow+"?run="+r.ID),
			}))
		}
		if err := w.write(w.running, func(tx *store.Tx) error {
			for _, e := range effects {
				if err := tx.PutEffect(e, w.Clock.Now()); err != nil {
					return err
				}
			}
			return tx.Told(r.ID)
		}); err != nil {
			w.log.Error("nobody could be told of a failed run", "run", r.ID, "error", err)
			return
		}
		w.Outbox.add(effects...)
	}
}

// tellsBy is the brief by whose means people are told of a run: that of the conversation's
// bot, or the first that tells anybody.
func (w *Workspace) tellsBy(r store.Run) (bot.Brief, bool) {
	config := w.config.Load()
	if c, err := w.store.Conversation(w.running, r.ConversationID); err == nil {
		if brief, ok := find[bot.Brief](config, c.Bot); ok && brief.Escalate.Notify != "" {
			return brief, true
		}
	}
	for _, brief := range all[bot.Brief](config) {
		if brief.Escalate.Notify != "" {
			return brief, true
		}
	}
	return bot.Brief{}, false
}

// withLink puts a link to a page of the console below a text, where its address is known.
func (w *Workspace) withLink(text, path string) string {
	if url := w.options.PublicURL; url != "" {
		text += "\n" + strings.TrimSuffix(url, "/") + path + "\n"
	}
	return text
}

// tell tells a run what happened to it.
func (f *Flows) tell(ctx context.Context, id string, e flow.Event) error {
	conversation := ""
	err := f.w.write(ctx, func(tx *store.Tx) (err error) {
		conversation, err = tx.Tell(id, e)
		return err
	})
	if err == nil {
		f.signal(id, conversation)
	}
	return err
}

// signal has a run stepped: in its conversation's turn, or by itself.
func (f *Flows) signal(id, conversation string) {
	if conversation != "" {
		f.w.turns.signal(conversation)
	} else {
		f.runs.signal(id)
	}
}

// Stop ends a run. One that has ended is store.ErrNotFound.
func (f *Flows) Stop(ctx context.Context, id, person string) error {
	return f.w.write(ctx, func(tx *store.Tx) error { return tx.StopRun(id, "stopped by "+person, f.w.Clock.Now()) })
}

// Retry lets a failed run take its step again. One that has not failed is store.ErrNotFound.
func (f *Flows) Retry(ctx context.Context, id string) error {
	conversation := ""
	err := f.w.write(ctx, func(tx *store.Tx) (err error) {
		conversation, err = tx.RetryRun(id, f.w.Clock.Now())
		return err
	})
	if err == nil {
		f.signal(id, conversation)
	}
	return err
}

// Skip ends what a run waits for, as if the time had come.
func (f *Flows) Skip(ctx context.Context, id string) error {
	return f.tell(ctx, id, flow.Event{Kind: flow.Skipped})
}

// Move puts a waiting run on the live version of its flow, if its place is still there.
func (f *Flows) Move(ctx context.Context, id string) error {
	w := f.w
	kept, err := w.store.Run(ctx, id)
	if err != nil {
		return err
	}
	live := w.config.Load().flows[kept.Flow]
	if live == nil || !live.works() {
		return fmt.Errorf("%wno version of the flow %s is live", ErrNotLive, kept.Flow)
	}
	old, err := f.at(ctx, kept.Flow, kept.Version)
	if err != nil {
		return err
	}
	was, is := old.Step(kept.Place), live.Step(kept.Place)
	if kept.Status != "waiting" || was == nil || is == nil || was.Kind != is.Kind {
		return fmt.Errorf("%wthe run stands at step %s, and that is not there any more, or another one, in version %d: let it come to its end, or stop it", ErrNotLive, kept.Place, live.version)
	}
	kept.Version = live.version
	return w.write(ctx, func(tx *store.Tx) error {
		return tx.CommitRun(&store.Changes{Runs: []store.Run{kept}}, nil, w.Clock.Now())
	})
}
