package engine

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/learn"
	"urgentparrot.example/internal/store"
)

// topics are what a turn's answers stand on, for people and for counting: each a question with
// its answer, or a section of a document.
func (c *Committing) topics() []string { return topicsOf(c.trace) }

func topicsOf(trace dialogue.Trace) (list []string) {
	for _, u := range trace.Understood {
		for _, p := range u.Passages {
			if !p.Quoted {
				continue
			}
			topic := p.Source
			if p.Question != "" {
				topic += " › " + p.Question
			} else if len(p.Trail) > 0 {
				topic += " › " + p.Trail[len(p.Trail)-1]
			}
			if !slices.Contains(list, topic) {
				list = append(list, topic)
			}
		}
	}
	return list
}

// sureness is how sure the bot was of what it answered: of the least sure of several answers;
// 0 if it answered nothing.
func (c *Committing) sureness() float64 { return surenessOf(c.trace) }

func surenessOf(trace dialogue.Trace) (least float64) {
	for _, u := range trace.Understood {
		for _, p := range u.Passages {
			if p.Quoted && (least == 0 || p.Confidence < least) {
				least = p.Confidence
			}
		}
	}
	return least
}

// trusts reports whether a reply may go by itself although others are held: all that it
// answers is of topics that people trust, and it leaves nothing open.
func (c *Committing) trusts(ctx context.Context, topics []string) bool {
	if c.trace.Code != dialogue.CodeAnswered || len(topics) == 0 {
		return false
	}
	trusted, err := c.w.store.TrustedTopics(ctx)
	if err != nil {
		c.w.log.Error("it is not known which topics are trusted: the reply is held", "error", err)
		return false
	}
	return !slices.ContainsFunc(topics, func(topic string) bool { return !trusted[topic] })
}

// mostHeld is how many held replies are listed at most.
const mostHeld = 500

// Held returns the replies that wait for a person, the oldest first.
func (i *Inbox) Held(ctx context.Context) ([]store.HeldReply, error) {
	return i.w.store.Held(ctx, mostHeld)
}

// Trust lets replies of a topic go by themselves where others are held, or has them held again.
func (i *Inbox) Trust(ctx context.Context, topic, person string, trust bool) error {
	return i.w.write(ctx, func(tx *store.Tx) error { return tx.TrustTopic(topic, person, trust, i.w.Clock.Now()) })
}

// lookedAt is how many of the last judged replies are looked at for what a threshold would do.
const lookedAt = 200

// Thresholds says for thresholds how many of the last replies that people judged would have
// gone out by themselves, and how many of those people changed.
func (i *Inbox) Thresholds(ctx context.Context) (list []learn.AtThreshold, of int, err error) {
	approvals, err := i.w.store.Approvals(ctx, lookedAt)
	var judged []learn.Judged
	for _, a := range approvals {
		if a.Confidence > 0 {
			judged = append(judged, learn.Judged{Confidence: a.Confidence, Right: a.Verdict == store.Unchanged || a.Verdict == store.Worded})
		}
	}
	return learn.Thresholds(judged), len(judged), err
}

// heldTooLong tells people of a reply that still waits for them.
func (w *Workspace) heldTooLong(timer store.Timer) {
	m, c, err := w.store.HeldTooLong(w.running, timer.Body)
	if errors.Is(err, store.ErrNotFound) {
		return
	}
	if err != nil {
		w.log.Error("nobody could be told of a held reply", "message", timer.Body, "error", err)
		return
	}
	brief, ok := w.tellsBy(store.Run{ConversationID: c.ID})
	if !ok {
		return
	}
	since := w.Clock.Now().Sub(m.At).Round(time.Minute)
	body := w.withLink(fmt.Sprintf("A reply on %s has waited for approval for %s.\n\n%s\n", c.Channel, since, m.Text), "/inbox/"+c.ID)
	e := w.effect("notify", "notify/"+c.ID, c.ID, "", notifyBody{brief.Escalate.Notify, brief.Escalate.To, "A reply waits for approval", body})
	if err := w.write(w.running, func(tx *store.Tx) error { return tx.PutEffect(e, w.Clock.Now()) }); err != nil {
		w.log.Error("nobody could be told of a held reply", "message", m.ID, "error", err)
		return
	}
	w.Outbox.add(e)
}
