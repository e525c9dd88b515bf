package engine

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/safely"
	"urgentparrot.example/internal/store"
)

// An EffectKind is a kind of effect: something done in the world, or recorded.
// All that differs between kinds stands here; each has a file of its own and a
// line in effectKinds. A workspace does not open if a turn can decide on an
// effect without a kind, or if a kind is not whole.
type EffectKind struct {
	// Name is that of the effects that turns decide on (dialogue.Effect.Kind), and of
	// those that are kept to be carried out.
	Name string

	// Decide adds what a turn decided on to what is committed with it; nil for kinds
	// that no turn decides on. It is called once, by one goroutine, and must not touch
	// the outside: what is to be done there is added as an effect to be carried out.
	Decide func(ctx context.Context, c *Committing, e dialogue.Effect)

	// Carry does what a kept effect says, with its id as the idempotency key, before
	// ctx ends; nil for kinds that are done with the commit. It is called from many
	// goroutines, for effects of one lane one after another, again and again until it
	// succeeds, wraps outbound.ErrRefused, or is given up. The result goes to Settle,
	// also with an error.
	Carry func(ctx context.Context, w *Workspace, e store.Effect) (result any, err error)

	// Time is how long one try may take.
	Time func(w *Workspace, e store.Effect) time.Duration

	// To names what the effect is carried to: the connection or the channel. Only so
	// many effects are carried to one place at once, so that one that hangs holds up
	// nobody else. nil: all of the kind go to one place.
	To func(w *Workspace, e store.Effect) string

	// AtOnce is how many effects may be carried to the same place at once; nil: as many as
	// to most.
	AtOnce func(w *Workspace, e store.Effect) int

	// Patience is how long an effect waits until there is room at its place before it is
	// given up; nil: as long as it takes.
	Patience func(w *Workspace, e store.Effect) time.Duration

	// GiveUp is how long it is tried; the workspace's option if zero.
	GiveUp time.Duration

	// Settle keeps what came of an effect in the transaction that marks it as done or
	// failed; nil if there is nothing to keep. A turn that waits for it is woken.
	Settle func(tx *store.Tx, e store.Effect, result any) error

	// Then is called once what came of it is kept; nil: nothing follows.
	Then func(w *Workspace, e store.Effect)

	// OfBot says that the effect ends when a person comes in.
	OfBot bool

	// Trouble says what went wrong, for people: "A reply could not be delivered"; ""
	// if nobody need be told.
	Trouble string
}

// effectKinds is where the kinds of effects are registered.
var effectKinds = []EffectKind{
	sayKind, sendKind, rememberKind, escalateKind, passKind, gapKind, exampleKind, rowKind, callKind, thinkKind, summariseKind, syncKind, notifyKind,
	tagKind, stageKind, noteKind, assignKind, closeKind, countKind, optOutKind, startKind, flowCallKind, allowKind, proposeKind,
}

// registerEffects returns the kinds by name, or what is wrong with them.
func registerEffects(kinds []EffectKind) (map[string]EffectKind, error) {
	byName := map[string]EffectKind{}
	for _, kind := range kinds {
		_, twice := byName[kind.Name]
		switch {
		case kind.Name == "" || twice:
			return nil, fmt.Errorf("the kind of effect %q is registered twice, or has no name", kind.Name)
		case kind.Decide == nil && kind.Carry == nil:
			return nil, fmt.Errorf("the kind of effect %s does nothing", kind.Name)
		case kind.Carry != nil && kind.Time == nil:
			return nil, fmt.Errorf("the kind of effect %s does not say how long a try may take", kind.Name)
		case kind.Carry == nil && (kind.Settle != nil || kind.OfBot || kind.Trouble != ""):
			return nil, fmt.Errorf("the kind of effect %s is done with the commit, and cannot fail or be called off", kind.Name)
		}
		byName[kind.Name] = kind
	}
	for _, e := range dialogue.Effects {
		if byName[e.Kind()].Decide == nil {
			return nil, fmt.Errorf("turns decide on %T, but no kind of effect called %s takes it", e, e.Kind())
		}
	}
	return byName, nil
}

// A Committing is a decision on its way into the store.
type Committing struct {
	w        *Workspace
	talk     store.Conversation
	channel  *openChannel
	snapshot dialogue.Snapshot
	hearing  hearing
	gaveUp   bool       // on deciding: people are to do it
	run      *store.Run // that is stepped without a conversation; nil: it is a turn
	now      time.Time
	commit   store.Commit
	trace    dialogue.Trace // of a turn
}

// Later adds an effect of a kind that is carried out after the commit.
func (c *Committing) Later(kind, lane string, body any) {
	c.commit.Effects = append(c.commit.Effects, c.w.effect(kind, lane, c.talk.ID, c.commit.Turn.ID, body))
}

// Happened puts a line between the messages.
func (c *Committing) Happened(what string) { c.commit.Happened = append(c.commit.Happened, what) }

// contact is whom it is about, "" for nobody.
func (c *Committing) contact() string {
	if c.run != nil {
		return c.run.ContactID
	}
	return c.talk.ContactID
}

// depthOf is how deep the run stands that a key is of: how many flows started each other.
func (c *Committing) depthOf(key string) int {
	if c.run != nil {
		return c.run.Depth
	}
	for _, r := range c.commit.Runs {
		if r.ID == runOfKey(key) {
			return r.Depth
		}
	}
	return 0
}

// runOfKey is the run whose effect a key is of.
func runOfKey(key string) string {
	run, _, _ := strings.Cut(key, "/")
	return run
}

// effect makes an effect to be carried out. The conversation and the turn may be
// "".
func (w *Workspace) effect(kind, lane, conversation, turn string, body any) store.Effect {
	raw, err := json.Marshal(body)
	if err != nil {
		panic(err) // the bodies hold nothing that cannot be encoded
	}
	return store.Effect{ID: store.NewID(), Kind: kind, Lane: lane, ConversationID: conversation, TurnID: turn, OfBot: w.effects[kind].OfBot, Body: string(raw), CreatedAt: w.Clock.Now()}
}

// TroubleWith says in words what went wrong with an effect of a kind; "" if nobody
// need be told.
func (w *Workspace) TroubleWith(kind string) string {
	if k, ok := w.effects[kind]; ok {
		return k.Trouble
	}
	return "Something of the unknown kind " + kind + " could not be done"
}

// within is the time of kinds whose tries may always take as long.
func within(d time.Duration) func(*Workspace, store.Effect) time.Duration {
	return func(*Workspace, store.Effect) time.Duration { return d }
}

// carry does what an effect says. A panic costs this one effect only.
func (w *Workspace) carry(ctx context.Context, kind EffectKind, e store.Effect) (result any, err error) {
	err = safely.Do(func() (err error) {
		result, err = kind.Carry(ctx, w, e)
		return err
	})
	var broken *safely.Broken
	if errors.As(err, &broken) {
		w.log.Error("an effect broke", "kind", e.Kind, "effect", e.ID, "cause", broken.Cause, "stack", broken.Stack)
	}
	return result, err
}

// place is what an effect is carried to.
func (w *Workspace) place(e store.Effect) string {
	if kind := w.effects[e.Kind]; kind.To != nil {
		return kind.To(w, e)
	}
	return "kind/" + e.Kind
}

// toConnection is To of effects whose body names a connection.
func toConnection(_ *Workspace, e store.Effect) string {
	b, err := body[struct{ Connection string }](e)
	if err != nil {
		return ""
	}
	return "connection/" + b.Connection
}

// body reads the body of an effect.
func body[B any](e store.Effect) (b B, err error) {
	if err := json.NewDecoder(strings.NewReader(e.Body)).Decode(&b); err != nil {
		return b, fmt.Errorf("its body cannot be read: %w", err)
	}
	return b, nil
}
