package engine

import (
	"context"
	"slices"
	"time"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/thinker"
	"urgentparrot.example/internal/store"
)

// What a turn takes at once: it looks at so many of the latest messages, and decides
// on so many bytes of what was said; the rest is for the next turn.
const (
	heard     = 60
	turnBytes = 16_000
)

// talked is how many of the messages before a thinker is told of.
const talked = 12

// A hearing is what a turn takes in of what was said.
type hearing struct {
	messages  []dialogue.Incoming
	external  map[string]string // the channel's ids of the messages
	upTo      int               // the position of the last of them
	more      bool              // there are later ones
	latest    time.Time
	lastReply string // the bot's
	streak    int
	talk      []thinker.Line // what was said before
	lines     []flow.Line    // the same, more of it
	first     bool           // nothing was said before
}

// hear returns what a turn takes in: what nobody has decided on yet, the oldest
// first. Messages up to the position left were left to a person.
func (w *Workspace) hear(ctx context.Context, id string, left int) (h hearing, err error) {
	h.external = map[string]string{}
	latest, err := w.store.Heard(ctx, id, heard)
	if err != nil {
		return h, err
	}
	isNew := func(m store.Message) bool { return m.Author == store.ByCustomer && m.TurnID == "" }
	incoming := latest
	if len(latest) == heard && slices.ContainsFunc(latest, isNew) {
		if incoming, err = w.store.Unheard(ctx, id, heard); err != nil { // there may be older ones
			return h, err
		}
	}
	size := 0
	for _, m := range incoming {
		if !isNew(m) {
			continue
		}
		if size += len(m.Text); size > turnBytes && len(h.messages) > 0 || len(h.messages) == heard-1 {
			h.more = true
			break
		}
		h.messages = append(h.messages, dialogue.Incoming{ID: m.ID, Text: m.Text, Left: m.Position <= left})
		h.external[m.ID], h.upTo, h.latest = m.ExternalID, m.Position, m.At
	}
	moments := make([]dialogue.Moment, 0, len(latest))
	for _, m := range latest {
		moment := dialogue.Moment{At: m.At, Text: m.Text}
		switch m.Author {
		case store.ByCustomer:
			moment.By = dialogue.Customer
		case store.ByBot:
			moment.By, h.lastReply = dialogue.Bot, m.Text
		case store.ByPerson:
			moment.By = dialogue.Person
		default:
			continue
		}
		moments = append(moments, moment)
		if !isNew(m) {
			h.talk = append(h.talk, thinker.Line{By: string(m.Author), Text: m.Text})
		}
	}
	h.lines, h.first = linesFrom(latest, false), len(h.talk) == 0
	h.talk = h.talk[max(0, len(h.talk)-talked):]
	h.streak = dialogue.Streak(moments)
	return h, nil
}
