package engine

import (
	"context"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/store"
)

// heard is how many of the latest messages a turn looks at.
const heard = 60

// decide decides on what is undecided in a conversation, until nothing is or a
// tool has to be waited for.
func (w *Workspace) decide(id string) {
	for {
		again, err := w.decideOnce(w.running, id)
		switch {
		case errors.Is(err, context.Canceled), errors.Is(err, store.ErrClosed):
			return
		case err != nil:
			w.log.Error("a turn failed and will be tried again", "conversation", id, "error", err)
			w.later(id, w.options.RetryBase)
			return
		case !again:
			return
		}
	}
}

func (w *Workspace) later(id string, pause time.Duration) {
	time.AfterFunc(pause, func() { w.turns.signal(id) })
}

// decideOnce makes one decision and commits it. It reports true if there may be
// more to decide: the conversation changed while the decision was made, so it
// was thrown away.
func (w *Workspace) decideOnce(ctx context.Context, id string) (again bool, err error) {
	started := time.Now()
	c, known, err := w.store.ConversationWithFacts(ctx, id)
	if err != nil {
		return false, err
	}
	all, err := w.store.Heard(ctx, id, heard)
	if err != nil {
		return false, err
	}
	snapshot := dialogue.Snapshot{Elapsed: func() time.Duration { return time.Since(started) }}
	var latest time.Time
	external := map[string]string{}
	for _, m := range all {
		switch {
		case m.Author == store.ByCustomer && m.TurnID == "":
			snapshot.Messages = append(snapshot.Messages, dialogue.Incoming{ID: m.ID, Text: m.Text})
			external[m.ID] = m.ExternalID
			latest = m.At
		case m.Author == store.ByBot:
			snapshot.LastReply = m.Text
		}
	}
	config := w.config.Load()
	ch := config.channels[c.Channel]
	if len(snapshot.Messages) == 0 || c.Lead == dialogue.Closed || ch == nil {
		return false, nil
	}
	if pause := time.Duration(ch.Pause) - w.options.Now().Sub(latest); ch.Pause > 0 && pause > 0 && c.Calling == "" {
		w.later(id, pause)
		return false, nil
	}
	turn := store.Turn{ID: store.NewID(), ConversationID: id}
	if c.Calling != "" {
		if turn, err = w.store.Turn(ctx, c.Calling); err != nil {
			return false, err
		}
		for _, r := range turn.Results {
			if !r.Done {
				return false, nil // the tool's answer will signal the conversation
			}
			snapshot.Results = append(snapshot.Results, r.Result)
		}
	}
	if err := json.Unmarshal([]byte(c.State), &snapshot.State); err != nil {
		return false, err
	}
	snapshot.State.Lead, snapshot.Known = c.Lead, known
	w.furnish(&snapshot, config, c.Bot, ch)

	read := time.Since(started)
	decision := dialogue.Decide(snapshot)
	decision.Trace.Timings = append([]dialogue.Timing{
		{Part: "wait", Microseconds: w.options.Now().Sub(latest).Microseconds()},
		{Part: "read", Microseconds: read.Microseconds()},
	}, decision.Trace.Timings...)
	return w.commit(ctx, c, ch, turn, snapshot, decision, external)
}

// furnish adds to a snapshot what a bot works with.
func (w *Workspace) furnish(s *dialogue.Snapshot, config *config, botName string, ch *openChannel) {
	s.Now = w.options.Now().In(config.settings.Zone())
	s.Settings, s.Channel = config.settings, ch.Channel
	brief, ok := config.bots[botName]
	if !ok { // the bot that began is gone: the channel's takes over
		brief = config.bots[ch.Bot]
	}
	s.Brief, s.Finder = brief, w.Finder(brief)
	for _, name := range brief.Tools {
		if tool, ok := config.tools[name]; ok {
			s.Tools = append(s.Tools, tool)
		}
	}
}

// commit keeps a decision and sets its effects going.
func (w *Workspace) commit(ctx context.Context, c store.Conversation, ch *openChannel, turn store.Turn, s dialogue.Snapshot, d dialogue.Decision, external map[string]string) (again bool, err error) {
	turn.State = "done"
	state, err := json.Marshal(d.State)
	if err != nil {
		return false, err
	}
	commit := store.Commit{
		Version: c.Version, Incoming: c.Incoming, Channel: c.Channel, Contact: c.ContactID,
		Lead: d.State.Lead, State: string(state),
	}
	now := w.options.Now()
	for _, call := range d.Calls {
		turn.State = "calling"
		turn.Results = append(turn.Results, store.ToolResult{Result: dialogue.Result{Call: call}})
		commit.Effects = append(commit.Effects, w.effect(store.Call, "call/"+turn.ID, c.ID, turn.ID, callBody{call.Tool, call.Arguments}))
	}
	for _, e := range d.Effects {
		switch e := e.(type) {
		case dialogue.Say:
			commit.Reply = &store.Message{
				ConversationID: c.ID, Author: store.ByBot, Name: s.Brief.Name, Text: e.Text,
				TurnID: turn.ID, Citations: e.Citations, At: now,
			}
			if !ch.fetches() {
				body := channel.Outgoing{Address: c.Address, Text: e.Text}
				for _, answered := range e.Answers {
					body.Answers = append(body.Answers, external[answered])
				}
				send := w.effect(store.Send, "send/"+c.ID, c.ID, turn.ID, sendBody{c.Channel, body})
				commit.Send = &send
			}
		case dialogue.Remember:
			commit.Facts = append(commit.Facts, store.Fact{Detail: e.Detail, Value: e.Value, MessageID: e.MessageID, LearntAt: now})
		case dialogue.Escalate:
			commit.Escalate = &e
			commit.Happened = append(commit.Happened, "Escalated to people: "+e.Reason)
		case dialogue.Missed:
			commit.Gaps = append(commit.Gaps, w.gapFor(e.Question))
		case dialogue.WriteRow:
			commit.Rows = append(commit.Rows, e)
			commit.Happened = append(commit.Happened, "Row written to the sheet "+e.Sheet)
		case dialogue.Sync:
			commit.Effects = append(commit.Effects, w.effect(store.Sync, "sync/"+c.ContactID, c.ID, turn.ID, syncBody{e.Connection, e.Details}))
		case dialogue.Notify:
			body := e.Body
			if w.options.PublicURL != "" {
				body += "\nOpen the conversation: " + strings.TrimSuffix(w.options.PublicURL, "/") + "/inbox/" + c.ID + "\n"
			}
			commit.Effects = append(commit.Effects, w.effect(store.Notify, "notify/"+c.ID, c.ID, turn.ID, notifyBody{e.Connection, e.To, e.Subject, body}))
		}
	}
	trace, err := json.Marshal(d.Trace)
	if err != nil {
		return false, err
	}
	turn.Trace = string(trace)
	commit.Turn = turn

	committed := false
	err = w.write(ctx, func(tx *store.Tx) (err error) {
		committed, err = tx.CommitTurn(commit, now)
		return err
	})
	if err != nil || !committed {
		return err == nil, err
	}
	if commit.Send != nil {
		w.outbox.add(*commit.Send)
	}
	w.outbox.add(commit.Effects...)
	w.hub.signal(visitorTopic(c.Channel, c.Address))
	for _, row := range commit.Rows {
		w.sheets.changed(row.Sheet)
	}
	return false, nil
}

func (w *Workspace) effect(kind store.EffectKind, lane, conversation, turn string, body any) store.Effect {
	raw, err := json.Marshal(body)
	if err != nil {
		panic(err) // the bodies hold nothing that cannot be encoded
	}
	return store.Effect{ID: store.NewID(), Kind: kind, Lane: lane, ConversationID: conversation, TurnID: turn, ByBot: true, Body: string(raw), CreatedAt: w.options.Now()}
}
