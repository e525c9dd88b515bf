package dialogue

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/text"
)

// handOver brings people in, once; the customer is told.
func (t *turn) handOver(reason, why, wording string) {
	if t.next.Lead == Waiting {
		t.say(bot.AlreadyTold, "")
		t.came(CodeAdded, "the customer "+why+" and a person has been told already")
		return
	}
	t.say(wording, "")
	t.came(CodeHandedOver, "the customer "+why)
	t.escalate(reason)
}

// stopLoop brings people in, and says nothing that could be answered again.
func (t *turn) stopLoop() {
	why := fmt.Sprintf("the sender answered %d times in a row as fast as programs do, or in the same words", t.Streak)
	if t.next.Lead == LedByBot {
		t.escalate(bot.OnLoop)
	}
	t.came(CodeLoop, why)
}

// GiveUp hands a conversation to people whose messages could not be decided on, for
// a reason: when deciding has failed again and again.
func GiveUp(s Snapshot, why string) Decision {
	t := newTurn(context.Background(), s)
	t.came(CodeFault, why)
	if t.next.Lead == LedByBot {
		t.say(bot.FaultSaid, "")
		t.escalate(bot.OnFault)
		t.send()
	}
	return t.decision()
}

func (t *turn) escalate(reason string) {
	t.next.Lead = Waiting
	t.next.Open = nil
	priority := "normal"
	if reason == bot.OnAnger {
		priority = "high"
	}
	summary := t.summary()
	t.effects = append(t.effects, Escalate{reason, priority, summary})
	t.tell(fmt.Sprintf("waits on %s: %s", t.Channel.Title, bot.Because(reason)), summary.String())
}

// tell notifies people of something about the customer, if the brief says whom.
func (t *turn) tell(what, body string) {
	notify := t.Brief.Escalate
	if notify.Notify == "" {
		return
	}
	who := "A customer"
	if name := t.Settings.Fields.Person(t.Memory); name != "" {
		who = name
	}
	t.effects = append(t.effects, Notify{Connection: notify.Notify, To: notify.To, Subject: who + " " + what, Body: body})
}

// summary sums the conversation up for the person who takes it.
func (t *turn) summary() Summary {
	s := Summary{Mood: "calm", LastSaid: text.Squeeze(t.said)}
	if t.next.Angry {
		s.Mood = "angry"
	}
	s.Asked, s.Open = t.next.Sum()
	for _, f := range t.Settings.Fields {
		if value := t.Memory[f.Name].Value; value != "" {
			s.Memory = append(s.Memory, f.Label+": "+f.Shown(value))
		}
	}
	return s
}

// String gives the summary as plain text.
func (s Summary) String() string {
	var b strings.Builder
	list := func(head string, items []string) {
		if len(items) > 0 {
			fmt.Fprintf(&b, "%s:\n", head)
			for _, item := range items {
				fmt.Fprintf(&b, "- %s\n", item)
			}
		}
	}
	fmt.Fprintf(&b, "Last said: %s\n", s.LastSaid)
	list("Not answered yet", s.Open)
	list("Answered by the bot", s.Asked)
	list("Known", s.Memory)
	fmt.Fprintf(&b, "Mood: %s\n", s.Mood)
	return b.String()
}

// sayGoodbye closes the conversation of a customer who said goodbye, if the brief lets the bot
// do so and nothing is open.
func (t *turn) sayGoodbye() {
	open := t.next.Open != nil || t.next.Offer != nil || t.asked > 0 || len(t.unknown) > 0 || slices.ContainsFunc(t.runs, func(r Run) bool { return r.State.End == nil })
	if t.goodbye && t.Brief.Closes && t.next.Lead == LedByBot && !open {
		t.next.Lead = Closed
		t.effects = append(t.effects, flow.Close{Why: "the customer said goodbye"})
	}
}
