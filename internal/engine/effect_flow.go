package engine

import (
	"context"
	"fmt"
	"time"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/store"
)

// What flows decide on beside what bots do. Most of it is recorded, and done with that.

var tagKind = EffectKind{Name: "tag", Decide: func(_ context.Context, c *Committing, e dialogue.Effect) {
	tag := e.(flow.Tag)
	if tag.OnTalk {
		c.commit.TalkTags = append(c.commit.TalkTags, tag)
	} else {
		c.commit.Tags = append(c.commit.Tags, tag)
	}
	c.Happened(tag.Words())
}}

var stageKind = EffectKind{Name: "stage", Decide: func(_ context.Context, c *Committing, e dialogue.Effect) {
	stage := e.(flow.Stand).Stage
	c.commit.Stage = &stage
	c.Happened("Stage: " + stage)
}}

var noteKind = EffectKind{Name: "note", Decide: func(_ context.Context, c *Committing, e dialogue.Effect) {
	c.Happened("Note: " + e.(flow.Note).Text)
}}

var assignKind = EffectKind{Name: "assign", Decide: func(_ context.Context, c *Committing, e dialogue.Effect) {
	c.commit.Bot = e.(flow.Assign).Bot
	c.Happened("Given to the bot " + c.commit.Bot)
}}

var closeKind = EffectKind{Name: "close", Decide: func(_ context.Context, c *Committing, e dialogue.Effect) {
	c.commit.Close = true
	why := e.(flow.Close).Why
	if why != "" {
		why = ": " + why
	}
	c.Happened("Closed by a flow" + why)
}}

var countKind = EffectKind{Name: "count", Decide: func(_ context.Context, c *Committing, e dialogue.Effect) {
	c.commit.Milestones = append(c.commit.Milestones, store.Milestone{Name: e.(flow.Count).Milestone, Contact: c.contact(), Conversation: c.talk.ID})
}}

var optOutKind = EffectKind{Name: "opt_out", Decide: func(_ context.Context, c *Committing, e dialogue.Effect) {
	opts := e.(dialogue.OptOut)
	c.commit.OptOut, c.commit.Address = &opts, c.talk.Address
	if opts.Again {
		c.Happened("The customer wants to be written to again")
	} else {
		c.Happened("The customer does not want to be written to")
	}
}}

// startKind starts another flow.
var startKind = EffectKind{Name: "start", Decide: func(_ context.Context, c *Committing, e dialogue.Effect) {
	s := e.(flow.Start)
	h := flow.Happening{Kind: flow.ByHand, Flow: s.Flow, Values: s.Values, Contact: c.contact(), Talk: c.talk.ID, Depth: c.depthOf(s.Key) + 1, By: "flow"}
	if s.For != "" && s.For != h.Contact {
		h.Contact, h.Talk = s.For, ""
	}
	c.commit.Happenings = append(c.commit.Happenings, h)
}}

type flowCallBody struct {
	dialogue.Call
	Run string `json:"run"`
	Key string `json:"key"`
}

// flowCallKind calls a tool that a run waits for.
var flowCallKind = EffectKind{
	Name: "flow_call",
	Decide: func(_ context.Context, c *Committing, e dialogue.Effect) {
		call := e.(flow.Call)
		c.Later("flow_call", "flow_call/"+runOfKey(call.Key), flowCallBody{dialogue.Call{Tool: call.Tool, Arguments: call.Arguments}, runOfKey(call.Key), call.Key})
	},
	Time: callKind.Time, To: callKind.To, GiveUp: 10 * time.Minute,
	Carry: func(ctx context.Context, w *Workspace, e store.Effect) (any, error) {
		b, err := body[flowCallBody](e)
		if err != nil {
			return nil, err
		}
		came := calledBack{}
		came.Value, came.kept, err = w.Tools.call(ctx, b.Call, caller{id: e.ID, by: "flow", conversation: e.ConversationID})
		if err != nil {
			came.Error = err.Error()
			return came, fmt.Errorf("%w: %w", outbound.ErrRefused, err)
		}
		return came, nil
	},
	Settle: func(tx *store.Tx, e store.Effect, result any) error {
		b, err := body[flowCallBody](e)
		if err != nil {
			return nil // it never came to a call
		}
		event := flow.Event{Kind: flow.Result, Effect: b.Key, Error: e.Error}
		if came, ok := result.(calledBack); ok {
			event.Value, event.Error = came.Value, came.Error
			if err := came.keep(tx); err != nil {
				return err
			}
		}
		if _, err = tx.Tell(b.Run, event); err == store.ErrNotFound {
			return nil // it has ended meanwhile
		}
		return err
	},
	Then: func(w *Workspace, e store.Effect) {
		if b, err := body[flowCallBody](e); err == nil {
			w.Flows.lookAgain(b.Run)
		}
	},
}
