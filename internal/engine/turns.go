package engine

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"runtime/debug"
	"time"

	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/store"
)

// heard is how many of the latest messages a turn looks at.
const heard = 60

// decide decides on what is undecided in a conversation, until nothing is or a
// tool has to be waited for.
func (w *Workspace) decide(id string) {
	for {
		again, err := w.decideSafely(w.running, id)
		switch {
		case errors.Is(err, context.Canceled), errors.Is(err, store.ErrClosed):
			return
		case err != nil:
			w.log.Error("a turn failed and will be tried again", "conversation", id, "error", err)
			w.look(id, w.options.RetryBase)
			return
		case !again:
			return
		}
	}
}

// decideSafely is decideOnce, where a panic costs this one turn only.
func (w *Workspace) decideSafely(ctx context.Context, id string) (again bool, err error) {
	defer func() {
		if cause := recover(); cause != nil {
			err = fmt.Errorf("it broke: %v\n%s", cause, debug.Stack())
		}
	}()
	return w.decideOnce(ctx, id)
}

// decideOnce makes one decision and commits it. It reports true if there may be
// more to decide: the conversation changed while the decision was made, so it
// was thrown away.
func (w *Workspace) decideOnce(ctx context.Context, id string) (again bool, err error) {
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
	all, err := w.store.Heard(ctx, id, heard)
	if err != nil {
		return false, err
	}
	latest := started
	external := map[string]string{}
	for _, m := range all {
		switch {
		case m.Author == store.ByCustomer && m.TurnID == "":
			snapshot.Messages = append(snapshot.Messages, dialogue.Incoming{ID: m.ID, Text: m.Text, Left: m.Position <= left})
			external[m.ID] = m.ExternalID
			latest = m.At
		case m.Author == store.ByBot:
			snapshot.LastReply = m.Text
		}
	}
	if len(snapshot.Messages) == 0 && len(snapshot.Wakes) == 0 {
		return false, nil
	}
	if pause := time.Duration(ch.Pause) - started.Sub(latest); ch.Pause > 0 && pause > 0 && c.Calling == "" && len(snapshot.Wakes) == 0 {
		w.look(id, pause)
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
	}
	if err := json.Unmarshal([]byte(c.State), &snapshot.State); err != nil {
		return false, err
	}
	snapshot.State.Lead = c.Lead
	w.furnish(&snapshot, c.Bot, ch)

	read := w.Clock.Now().Sub(started)
	decision := w.deskOf(snapshot).Decide(ctx, snapshot)
	decision.Trace.Timings = append([]dialogue.Timing{
		{Part: "wait", Microseconds: started.Sub(latest).Microseconds()},
		{Part: "read", Microseconds: read.Microseconds()},
	}, decision.Trace.Timings...)
	return w.commit(ctx, &Committing{w: w, talk: c, channel: ch, snapshot: snapshot, external: external, commit: store.Commit{Turn: turn}}, decision)
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

// commit keeps a decision and sets its effects going.
func (w *Workspace) commit(ctx context.Context, c *Committing, d dialogue.Decision) (again bool, err error) {
	state, err := json.Marshal(d.State)
	if err != nil {
		return false, err
	}
	trace, err := json.Marshal(d.Trace)
	if err != nil {
		return false, err
	}
	c.now = w.Clock.Now()
	turn := c.commit.Turn
	turn.State, turn.Code, turn.Trace = "done", d.Trace.Code, string(trace)
	c.commit = store.Commit{
		Turn: turn, Version: c.talk.Version, Incoming: c.talk.Incoming, Woken: c.talk.Woken > 0, Channel: c.talk.Channel, Contact: c.talk.ContactID,
		Lead: d.State.Lead, State: string(state),
	}
	for _, call := range d.Calls {
		c.commit.Turn.State = "calling"
		c.commit.Turn.Results = append(c.commit.Turn.Results, store.ToolResult{Result: dialogue.Result{Call: call}})
		c.Later("call", "call/"+turn.ID, call)
	}
	for _, e := range d.Effects {
		kind, ok := w.effects[e.Kind()]
		if !ok {
			return false, fmt.Errorf("a turn decided on %s, and there is no such kind of effect", e.Kind())
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
	return false, nil
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
