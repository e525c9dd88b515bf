package engine

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/safely"
	"urgentparrot.example/internal/store"
)

// turnTime is how long a turn may take by the machine's time, whatever the clock says:
// it bounds work, not waiting. What a turn has not read by then it leaves, and says so.
const turnTime = 10 * time.Second

// decide decides on what is undecided in a conversation, until nothing is or a
// tool has to be waited for.
func (w *Workspace) decide(id string) {
	for again := true; again; {
		if w.Paused() != nil {
			return // all that is undecided is looked at when it is over
		}
		var err error
		again, err = w.decideSafely(w.running, id, "")
		switch {
		case err == nil:
		case errors.Is(err, store.ErrStale), errors.Is(err, store.ErrLimit):
			again = true // a run, or how often a flow started, has changed
		case errors.Is(err, context.Canceled), errors.Is(err, store.ErrClosed), w.running.Err() != nil:
			return
		default:
			again = w.afterFailure(id, err)
		}
	}
}

// decideSafely is decideOnce, where a panic costs this one turn only.
func (w *Workspace) decideSafely(ctx context.Context, id, giveUp string) (again bool, err error) {
	err = safely.Do(func() (err error) {
		again, err = w.decideOnce(ctx, id, giveUp)
		return err
	})
	var broken *safely.Broken
	if errors.As(err, &broken) {
		w.log.Error("a turn broke", "conversation", id, "cause", broken.Cause, "stack", broken.Stack)
		err = &undecidable{broken.Error()}
	}
	return again, err
}

// decideOnce makes one decision and commits it: that of the core or, with a reason to
// give up, to hand the conversation to people. It reports true if there may be more to
// decide: not all was taken in, or the conversation changed while the decision was
// made, so that it was thrown away.
func (w *Workspace) decideOnce(ctx context.Context, id, giveUp string) (again bool, err error) {
	started := w.Clock.Now()
	c, memory, err := w.store.ConversationWithMemory(ctx, id)
	if err != nil {
		return false, err
	}
	ch := w.Channels.named(c.Channel)
	if ch == nil {
		return false, nil
	}
	snapshot := dialogue.Snapshot{Memory: memory, Elapsed: func() time.Duration { return w.Clock.Now().Sub(started) }}
	left, err := w.wakes(ctx, c, &snapshot)
	if err != nil {
		return false, err
	}
	h, err := w.hear(ctx, id, left)
	if err != nil {
		return false, err
	}
	if h.latest.IsZero() {
		h.latest = started
	}
	snapshot.Messages, snapshot.LastReply, snapshot.Streak = h.messages, h.lastReply, h.streak
	if len(snapshot.Messages) == 0 && len(snapshot.Wakes) == 0 {
		return false, nil
	}
	runs, err := w.Flows.furnish(ctx, &snapshot, c, h)
	if err != nil {
		return false, err
	}
	wait := max(time.Duration(ch.Pause), dialogue.LoopPause(h.streak)) - started.Sub(h.latest)
	if wait > 0 && c.Calling == "" && len(snapshot.Wakes) == 0 && giveUp == "" {
		w.look(id, wait)
		return false, nil
	}
	turn := store.Turn{ID: store.NewID(), ConversationID: id}
	if c.Calling != "" {
		if turn, err = w.store.Turn(ctx, c.Calling); err != nil {
			return false, err
		}
		for _, r := range turn.Results {
			if !r.Done {
				return false, nil // the tool's answer will wake the turn
			}
			snapshot.Results = append(snapshot.Results, r.Result)
		}
		for _, th := range turn.Thoughts {
			if th.Reply != nil {
				h.latest = h.latest.Add(time.Duration(th.Reply.Took) * time.Millisecond) // the model's time is shown apart
			}
			if !th.Done {
				return false, nil // the model's answer will wake the turn
			}
			snapshot.Thoughts = append(snapshot.Thoughts, th.Thought)
		}
	}
	if err := json.Unmarshal([]byte(c.State), &snapshot.State); err != nil {
		if giveUp == "" {
			return false, &undecidable{"the state of the conversation cannot be read: " + err.Error()}
		}
		snapshot.State = dialogue.State{}
	}
	snapshot.State.Lead = c.Lead
	snapshot.Talk = h.talk
	w.furnish(&snapshot, c.Bot, ch)
	if snapshot.Model, err = w.modelOf(ctx, snapshot.Brief); err != nil {
		return false, err
	}
	base := snapshot
	snapshot.Other = func(name string, work func(dialogue.Snapshot, bool)) { w.another(ctx, base, name, work) }

	read := w.Clock.Now().Sub(started)
	decision := w.decision(ctx, snapshot, giveUp)
	if err := ctx.Err(); err != nil {
		return false, err // the workspace is closing: it is decided when it is opened again
	}
	decision.Trace.Timings = append([]dialogue.Timing{
		{Part: "wait", Microseconds: max(0, started.Sub(h.latest)).Microseconds()},
		{Part: "read", Microseconds: read.Microseconds()},
	}, decision.Trace.Timings...)
	committing := &Committing{w: w, talk: c, channel: ch, snapshot: snapshot, hearing: h, commit: store.Commit{Turn: turn}}
	committing.gaveUp = giveUp != ""
	committing.commit.Channel, committing.commit.Contact, committing.commit.Conversation = c.Channel, c.ContactID, c.ID
	if !committing.gaveUp {
		w.Flows.changes(committing, runs, decision.Runs)
	}
	return w.commit(ctx, committing, decision)
}

// decision makes a decision within the time of a turn.
func (w *Workspace) decision(ctx context.Context, s dialogue.Snapshot, giveUp string) dialogue.Decision {
	if giveUp != "" {
		return dialogue.GiveUp(s, fmt.Sprintf("no decision could be made in %d tries: %s", TurnTries, giveUp))
	}
	limited, cancel := context.WithTimeout(ctx, turnTime)
	defer cancel()
	return w.deskOf(s).Decide(limited, s)
}

// wakes adds what woke the turn beside messages. It returns the position up to
// which messages were left to a person.
func (w *Workspace) wakes(ctx context.Context, c store.Conversation, s *dialogue.Snapshot) (left int, err error) {
	if c.Woken == 0 {
		return 0, nil
	}
	list, err := w.store.Wakes(ctx, c.ID)
	for _, wake := range list {
		s.Wakes = append(s.Wakes, dialogue.Wake{Kind: dialogue.WakeKind(wake.Kind), Body: wake.Body})
		if s.Wakes[len(s.Wakes)-1].Kind == dialogue.ByHandBack {
			left = wake.Position
		}
	}
	return left, err
}

// furnish adds to a snapshot what a bot works with.
func (w *Workspace) furnish(s *dialogue.Snapshot, botName string, ch *openChannel) {
	config := w.config.Load()
	s.Now = w.Clock.Now().In(config.settings.Zone())
	s.Settings, s.Channel, s.Abilities = config.settings, ch.Channel, ch.abilities
	brief, ok := find[bot.Brief](config, botName)
	if !ok { // the bot that began is gone: the channel's takes over
		brief, _ = find[bot.Brief](config, ch.Bot)
	}
	w.instruct(s, brief)
}

// instruct gives a snapshot a brief, and the tools that it may use.
func (w *Workspace) instruct(s *dialogue.Snapshot, brief bot.Brief) {
	s.Brief, s.Tools = brief, nil
	for _, name := range brief.Tools {
		if tool, ok := w.config.Load().tools[name]; ok {
			s.Tools = append(s.Tools, tool)
		}
	}
}

// another runs work with the snapshot of another bot, as dialogue.Snapshot.Other does.
func (w *Workspace) another(ctx context.Context, s dialogue.Snapshot, name string, work func(dialogue.Snapshot, bool)) {
	brief, ok := find[bot.Brief](w.config.Load(), name)
	if !ok {
		work(dialogue.Snapshot{}, false)
		return
	}
	w.instruct(&s, brief)
	var err error
	if s.Model, err = w.modelOf(ctx, brief); err != nil {
		w.log.Warn("a bot thinks without its model", "bot", name, "error", err)
	}
	w.Library.With(ctx, brief, func(f answer.Finder) {
		s.Finder = f
		work(s, true)
	})
}

// commit keeps a decision and sets its effects going.
func (w *Workspace) commit(ctx context.Context, c *Committing, d dialogue.Decision) (again bool, err error) {
	state, err := json.Marshal(d.State)
	if err != nil {
		return false, &undecidable{"its state cannot be kept: " + err.Error()}
	}
	trace, err := json.Marshal(d.Trace)
	if err != nil {
		return false, &undecidable{"its trace cannot be kept: " + err.Error()}
	}
	c.now, c.trace = w.Clock.Now(), d.Trace
	if d.Bot != "" && d.Bot != c.snapshot.Brief.Name { // it was passed to another one, which speaks and thinks
		w.another(ctx, c.snapshot, d.Bot, func(s dialogue.Snapshot, there bool) {
			if there {
				c.snapshot = s
			}
		})
	}
	turn := c.commit.Turn
	turn.State, turn.Code, turn.Trace = "done", d.Trace.Code, string(trace)
	c.commit.Turn, c.commit.Version, c.commit.Incoming, c.commit.Woken = turn, c.talk.Version, c.talk.Incoming, c.talk.Woken > 0
	c.commit.Lead, c.commit.State, c.commit.UpTo = d.State.Lead, string(state), c.hearing.upTo
	if len(c.hearing.messages) > 0 {
		c.commit.Idle = w.config.Load().idle(c.talk.Channel)
	}
	if !c.gaveUp && w.failures.over(c.talk.ID) {
		c.commit.Recovered = true
	}
	for _, call := range d.Calls {
		c.commit.Turn.State = "calling"
		c.commit.Turn.Results = append(c.commit.Turn.Results, store.ToolResult{Result: dialogue.Result{Call: call}})
		c.Later("call", "call/"+turn.ID, call)
	}
	if d.Think != nil {
		c.commit.Turn.State = "calling"
		c.commit.Turn.Thoughts = append(c.commit.Turn.Thoughts, store.Thought{Thought: *d.Think})
		c.Later("think", "think/"+turn.ID, thinkBody{c.snapshot.Model.Connection.Name, c.snapshot.Brief.Name})
	}
	for _, e := range d.Effects {
		kind, ok := w.effects[e.Kind()]
		if !ok {
			return false, &undecidable{fmt.Sprintf("it decided on %s, and there is no such kind of effect", e.Kind())}
		}
		kind.Decide(ctx, c, e)
	}
	committed := false
	err = w.write(ctx, func(tx *store.Tx) (err error) {
		committed, err = tx.CommitTurn(c.commit, c.now)
		return err
	})
	if err != nil || !committed {
		return err == nil, err
	}
	for _, said := range c.commit.Said {
		if said.Send != nil {
			w.Outbox.add(*said.Send)
		}
	}
	w.Outbox.add(c.commit.Effects...)
	w.hub.signal(customerTopic(c.talk.Channel, c.talk.Address))
	for _, row := range c.commit.Rows {
		w.Sheets.changed(row.Sheet)
	}
	for _, r := range c.commit.Runs {
		w.Flows.settle(r)
	}
	if len(c.commit.Idle) > 0 || c.commit.Promise != nil || slices.ContainsFunc(c.commit.Said, func(s store.Said) bool { return s.TooLong > 0 }) {
		w.Timers.nudge()
	}
	return c.hearing.more && len(d.Calls) == 0 && d.Think == nil, nil
}

// look has a turn look at a conversation again after a pause.
func (w *Workspace) look(id string, pause time.Duration) {
	err := w.Timers.set(w.running, store.Timer{ID: "look/" + id, Kind: "look", Subject: id, DueAt: w.Clock.Now().Add(pause)})
	if err == nil || w.running.Err() != nil {
		return
	}
	// Nothing can be kept at the moment, so it is remembered here.
	w.log.Error("a timer could not be set", "conversation", id, "error", err)
	w.working.Go(func() {
		passed, stop := w.Clock.Timer(max(pause, w.options.RetryBase))
		defer stop()
		select {
		case <-passed:
			w.turns.signal(id)
		case <-w.running.Done():
		}
	})
}
