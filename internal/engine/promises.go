package engine

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/core/template"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/store"
)

// "Someone will answer you here" is a promise with a clock. When nobody has come in for as long
// as the brief allows, the next person is told, and the customer hears that it takes longer.

// A promise is how a clock stands.
type promise struct {
	Round  int       `json:"round"`            // how often it has rung
	Told   time.Time `json:"told,omitzero"`    // the customer, last
	Within int64     `json:"within_ms"`        // between two rounds
	Since  time.Time `json:"since"`            // when the promise was made
	Bot    string    `json:"bot"`              // that made it
	Reason string    `json:"reason,omitempty"` // why a person is waited for
}

// Bounds of a promise.
const (
	mostRounds    = 10             // after which nobody is told again
	customerAgain = 24 * time.Hour // between two words to the customer
)

// promiseTimer is the clock of a conversation.
func promiseTimer(conversation string, p promise, due time.Time) store.Timer {
	raw, err := json.Marshal(p)
	if err != nil {
		panic(err) // it holds nothing that cannot be encoded
	}
	return store.Timer{ID: "promise/" + conversation, Kind: "promise", Subject: conversation, Body: string(raw), DueAt: due}
}

// promiseDue tells the next person, and the customer, and sets the clock again.
func (w *Workspace) promiseDue(timer store.Timer) {
	if err := w.ring(timer); err != nil {
		w.log.Error("a promise could not be looked after", "conversation", timer.Subject, "error", err)
	}
}

func (w *Workspace) ring(timer store.Timer) error {
	var p promise
	if err := json.Unmarshal([]byte(timer.Body), &p); err != nil {
		return err
	}
	ctx, now := w.running, w.Clock.Now()
	c, err := w.store.Conversation(ctx, timer.Subject)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil || c.Lead != dialogue.Waiting || c.WaitingSince.IsZero() || c.WaitingSince.After(p.Since.Add(time.Second)) {
		return err // somebody came in, or it is another promise, with a clock of its own
	}
	brief, ok := find[bot.Brief](w.config.Load(), p.Bot)
	if !ok {
		return nil
	}
	var effects []store.Effect
	if brief.Escalate.Notify != "" {
		body := w.withLink(fmt.Sprintf("A customer on %s has waited for a person for %s, and nobody has come in. The bot has promised an answer.\n\nReason: %s\nLast: %s\n", c.Channel, now.Sub(c.WaitingSince).Round(time.Minute), bot.Because(c.Reason), c.Preview), "/inbox/"+c.ID)
		e := w.effect("notify", "notify/"+c.ID, c.ID, "", notifyBody{brief.Escalate.Notify, w.config.Load().next(brief.Escalate.To, p.Round+1), "Still waiting: " + bot.Because(c.Reason), body})
		effects = append(effects, e)
	}
	p.Round++
	words, say := "", now.Sub(p.Told) >= customerAgain
	if ch := w.Channels.named(c.Channel); say && ch != nil && ch.Replies == workspace.Send && brief.Mode == "" {
		p.Told = now
		values := template.Values{Workspace: w.config.Load().settings.Title, Bot: brief.Persona, Now: now}
		words = brief.Word(bot.TakesLonger, p.Round, values)
	}
	var send *store.Effect
	if ch := w.Channels.named(c.Channel); words != "" && ch != nil && !ch.fetches() {
		e := w.sends(c, "", channel.Outgoing{Parts: message.Of(words)})
		send = &e
	}
	if err := w.write(ctx, func(tx *store.Tx) error {
		for _, e := range effects {
			if err := tx.PutEffect(e, now); err != nil {
				return err
			}
		}
		if words != "" {
			if err := tx.SayWhileWaiting(c.ID, brief.Persona, words, send, now); err != nil {
				return err
			}
		}
		if p.Round >= mostRounds {
			return nil
		}
		return tx.PutTimer(promiseTimer(c.ID, p, now.Add(time.Duration(p.Within)*time.Millisecond)))
	}); err != nil {
		return err
	}
	w.Outbox.add(effects...)
	if words != "" {
		w.Inbox.sent(c, send)
	}
	w.Timers.nudge()
	return nil
}

// next is who is told in a round, counted from 1 after those who were told first: of a team
// that takes turns the next one, once through; then, and of others, all.
func (c *config) next(to string, round int) string {
	kind, name, _ := strings.Cut(to, "/")
	team, ok := find[workspace.Team](c, name)
	if kind != "team" || !ok || team.Call != workspace.CallTurn {
		return to
	}
	if members := team.Members(all[workspace.Person](c)); round < len(members) {
		return "person/" + members[round].Name
	}
	return to
}
