package dialogue

import (
	"encoding/json"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/core/text"
)

// Flows is what a turn needs to know to play flows.
type Flows struct {
	Live  []*flow.Checked                              // that a message may start, by name
	Stage flow.Stage                                   // what is the same for all runs
	First bool                                         // nothing was said in the conversation before
	NewID func() string                                // for runs that start
	May   func(*flow.Checked) string                   // why a flow may not start for the contact now; "": it may
	Like  func(said string, examples []string) float64 // likeness of a text to the nearest example, 0 to 1
	Label func(said string, labels []flow.Label) (string, float64)
}

// A Run is a run of a flow.
type Run struct {
	ID      string
	Flow    *flow.Checked
	State   flow.State
	Started time.Time
	Depth   int    // how many flows started each other to come to this one
	By      string // who or what started it
}

// A RunChange is what becomes of a run in a turn.
type RunChange struct {
	Run
	New    bool
	Passed []flow.Passed
	Missed string // of a flow that did not start: why
}

// A RunWake says what happened to a run.
type RunWake struct {
	Run   string     `json:"run"`
	Event flow.Event `json:"event"`
}

// HandBack says how a person gave a conversation back.
type HandBack struct {
	EndRuns bool `json:"end_runs,omitempty"`
}

// wakeRuns lets the runs go on that something happened to, in the order in which it did.
func (t *turn) wakeRuns() {
	for _, wake := range t.Wakes {
		switch wake.Kind {
		case ByRun:
			var w RunWake
			if json.Unmarshal([]byte(wake.Body), &w) != nil {
				continue // of another version
			}
			if at := t.runNamed(w.Run); at >= 0 && !t.advance(at, w.Event, false) {
				return
			}
		case ByHandBack:
			var h HandBack
			_ = json.Unmarshal([]byte(wake.Body), &h) // none: the runs go on
			for at := range t.runs {
				w := t.runs[at].State.Wait
				switch {
				case w == nil || w.For != flow.ForPerson && !t.runs[at].asks():
				case h.EndRuns:
					t.stopRun(at, "ended by the person who gave the conversation back")
				case !t.advance(at, flow.Event{Kind: flow.Resumed}, false):
					return
				}
			}
		}
	}
}

func (t *turn) runNamed(id string) int {
	return slices.IndexFunc(t.runs, func(r Run) bool { return r.ID == id })
}

// listenIn tells the runs what the customer said to a person who has, or had, the
// conversation. A run with a question open takes it up once the conversation is given back;
// who wants no more messages is heard at once.
func (t *turn) listenIn() {
	aside := flow.Heard{At: t.Now}
	for _, m := range t.Messages {
		switch {
		case t.Blocked || !m.Left && t.State.Lead != LedByPerson:
		case t.Settings.Speech().OptsOut(m.Text):
			t.optOut()
			return
		default:
			aside.ID, aside.Text = m.ID, strings.TrimSpace(aside.Text+"\n"+m.Text)
		}
	}
	if aside.ID == "" {
		return
	}
	for at := range t.runs {
		r := &t.runs[at]
		switch w := r.State.Wait; {
		case r.State.End != nil:
		case w != nil && w.For == flow.ForReply && !r.asks(): // it only wants to know whether somebody replies
			t.advance(at, flow.Event{Kind: flow.Reply, Heard: aside}, false)
		default:
			t.advance(at, flow.Event{Kind: flow.Aside, Heard: aside}, false)
		}
	}
}

// optOut takes it up that the customer does not want to be written to.
func (t *turn) optOut() {
	for at := range t.runs {
		t.stopRun(at, "the customer does not want to be written to")
	}
	t.effects = append(t.effects, OptOut{})
}

// opts takes up the wish not to be written to, and the wish to be written to again.
func (t *turn) opts() bool {
	speech := t.Settings.Speech()
	said := ""
	for _, m := range t.Messages {
		if !m.Left {
			said = m.Text
		}
	}
	switch {
	case speech.OptsOut(said):
		t.optOut()
		t.sayAs(speech.StopDone)
	case t.Flows.Stage.OptedOut && speech.OptsIn(said):
		t.effects = append(t.effects, OptOut{Again: true})
		t.sayAs(speech.StartAgain)
	default:
		return false
	}
	t.came(CodeOptedOut, "the customer says whether they want to be written to")
	return true
}

// sayAs says words of the product, or of a flow, as they stand.
func (t *turn) sayAs(words string, choices ...string) {
	parts := message.Of(words)
	if limit := t.Abilities.Limit; limit > 0 {
		parts = message.Of(text.Fit(words, limit, true))
	}
	if len(choices) > 0 {
		parts = append(parts, message.Part{Kind: message.Choices, Choices: choices})
	}
	say := Say{Parts: parts}
	for _, m := range t.Messages {
		if !m.Left {
			say.Answers = append(say.Answers, m.ID)
		}
	}
	t.effects = append(t.effects, say)
	t.LastReply = words
	t.next.Replies++
}

// inFlow gives what was said to the runs that wait for it, and starts the flows that it
// starts. It reports whether the message is theirs; else the bot deals with it.
func (t *turn) inFlow() bool {
	heard := t.heard()
	for at := range t.runs {
		// A reply that comes before a wait for one begins counts: it is remembered.
		if w := t.runs[at].State.Wait; t.runs[at].State.End == nil && w != nil && w.For != flow.ForReply {
			t.advance(at, flow.Event{Kind: flow.Reply, Heard: heard}, true)
		}
	}
	taken := false
	for _, at := range t.listening() {
		r := &t.runs[at]
		step := r.Flow.Step(r.State.Path())
		effects := len(t.effects)
		if !t.advance(at, flow.Event{Kind: flow.Reply, Heard: heard}, true) {
			return true
		}
		if step != nil && step.Kind.Talks || t.spoke(effects) {
			t.came(CodeInFlow, "the flow "+r.Flow.Name+" waited for the reply")
			taken = true
			break
		}
	}
	if taken || t.next.Lead != LedByBot {
		return taken
	}
	return t.start(heard)
}

// foreseen reports whether what was said answers the open question of a run, or starts a flow
// that names it.
func (t *turn) foreseen() bool {
	for at, r := range t.runs {
		if r.asks() && r.Flow.Hears(r.State, t.said, t.stage(t.runs[at], true)) {
			return true
		}
	}
	happened := t.happened()
	return slices.ContainsFunc(t.Flows.Live, func(f *flow.Checked) bool {
		trigger, _ := f.Fits(happened, t.stage(Run{Flow: f}, true), t.Flows.Like)
		return trigger != nil && (trigger.Has("contains") || trigger.Has("exactly") || trigger.Has("about"))
	})
}

// happened is that the customer wrote.
func (t *turn) happened() flow.Happening {
	return flow.Happening{Kind: "message", Values: map[string]any{"text": t.said, "channel": t.Channel.Name, "first": t.Flows.First}}
}

func (t *turn) heard() flow.Heard {
	h := flow.Heard{Text: t.said, At: t.Now}
	for _, m := range t.Messages {
		if !m.Left {
			h.ID = m.ID
		}
	}
	return h
}

func (t *turn) spoke(effects int) bool {
	return slices.ContainsFunc(t.effects[effects:], func(e Effect) bool { _, said := e.(Say); return said })
}

// listening returns the runs that wait for a reply: those with an open question first, the
// latest before the others.
func (t *turn) listening() (list []int) {
	var others []int
	for at := len(t.runs) - 1; at >= 0; at-- {
		r := t.runs[at]
		switch w := r.State.Wait; {
		case w == nil || w.For != flow.ForReply:
		case t.runs[at].asks():
			list = append(list, at)
		default:
			others = append(others, at)
		}
	}
	// Those that only want to know whether somebody replied are told first: they take nothing.
	return append(others, list...)
}

// start starts the first flow whose trigger the message fires.
func (t *turn) start(heard flow.Heard) bool {
	happened := t.happened()
	values := happened.Values
	for _, f := range t.Flows.Live {
		stage := t.stage(Run{Flow: f}, true)
		trigger, why := f.Fits(happened, stage, t.Flows.Like)
		if trigger == nil {
			continue
		}
		running := slices.IndexFunc(t.runs, func(r Run) bool { return r.Flow.Name == f.Name && r.State.End == nil })
		switch {
		case running >= 0 && f.AlreadyRunning == "ignore":
			why = "it is running already"
		case running >= 0 && f.AlreadyRunning == "start over":
			t.stopRun(running, "started over")
			fallthrough
		default:
			why = t.Flows.May(f)
		}
		if why != "" {
			t.changed = append(t.changed, RunChange{Run: Run{Flow: f}, Missed: why})
			continue
		}
		values["kind"] = "message"
		t.runs = append(t.runs, Run{ID: t.Flows.NewID(), Flow: f, Started: t.Now, By: "message", State: flow.Begin(values, heard)})
		at, effects := len(t.runs)-1, len(t.effects)
		t.changed = append(t.changed, RunChange{Run: t.runs[at], New: true})
		if !t.advance(at, flow.Event{Kind: flow.Began}, true) {
			return true
		}
		if t.spoke(effects) || t.runs[at].talking() || t.next.Lead != LedByBot {
			t.came(CodeInFlow, "the message started the flow "+f.Name)
			return true
		}
	}
	return false
}

// talking reports whether a run waits in the middle of talking: for a reply, or in the pause
// before it says something.
func (r Run) talking() bool {
	w := r.State.Wait
	if w == nil || r.State.End != nil {
		return false
	}
	step := r.Flow.Step(r.State.Path())
	return w.For == flow.ForReply || w.For == flow.ForTime && step != nil && step.Kind.Talks
}

// asks reports whether the run has a question open.
func (r Run) asks() bool { return r.Flow.Asks(r.State) }

// stage is what a run is stepped on.
func (t *turn) stage(r Run, fresh bool) flow.Stage {
	s := t.Flows.Stage
	s.Now, s.Run, s.Started, s.Contact, s.Fields = t.Now, r.ID, r.Started, t.Memory, t.Settings.Fields
	s.Bot, s.Conduct, s.Fresh = t.Brief.Name, conduct{t}, fresh
	if s.Talk != nil {
		talk := *s.Talk
		talk.ByPerson, talk.Closed = t.next.Lead == LedByPerson, t.next.Lead == Closed
		talk.Sums = sums(t.next)
		talk.Lines = slices.Clip(talk.Lines)
		for _, m := range t.Messages {
			talk.Lines = append(talk.Lines, flow.Line{By: "customer", Text: m.Text, At: t.Now})
		}
		for _, e := range t.effects {
			if say, ok := e.(Say); ok {
				talk.Lines = append(talk.Lines, flow.Line{By: "bot", Text: message.Plain(say.Parts), At: t.Now})
			}
		}
		s.Talk = &talk
	}
	s.Busy = slices.ContainsFunc(t.runs, func(other Run) bool { return other.ID != r.ID && other.asks() })
	return s
}

// sums are what a summary of the conversation is made from.
func sums(s State) (sum flow.Sums) {
	sum.Answered, sum.Open = s.Sum()
	sum.Angry, sum.Waited = s.Angry, s.Lead == Waiting
	return sum
}

// SumsOf reads what a summary is made from out of the state of a conversation as it is kept.
func SumsOf(state string, lead Lead) flow.Sums {
	var s State
	_ = json.Unmarshal([]byte(state), &s) // unreadable: nothing is known
	s.Lead = lead
	return sums(s)
}

// advance steps a run on. It reports false where that waits for a tool or the model of a
// bot: then nothing of the turn holds but what is asked of those.
func (t *turn) advance(at int, e flow.Event, fresh bool) bool {
	r := &t.runs[at]
	out := r.Flow.Advance(r.State, e, t.stage(*r, fresh))
	if out.Pending {
		return false
	}
	r.State = out.State
	change := t.change(*r)
	change.Passed = append(change.Passed, out.Passed...)
	t.trace.Flows = append(t.trace.Flows, FlowTrace{Run: r.ID, Flow: r.Flow.Name, Passed: out.Passed})
	for _, effect := range out.Effects {
		t.fromFlow(effect, fresh)
	}
	if r.State.End != nil && r.State.End.How == flow.Failed && fresh && t.next.Lead == LedByBot {
		t.sayAs(t.Settings.Speech().GivenUp) // the customer waits for something
		t.escalateFor("the flow "+r.Flow.Title+" failed", "normal", "")
	}
	return true
}

// change is the note of what becomes of a run.
func (t *turn) change(r Run) *RunChange {
	for i := range t.changed {
		if t.changed[i].ID == r.ID && r.ID != "" {
			t.changed[i].Run = r
			return &t.changed[i]
		}
	}
	t.changed = append(t.changed, RunChange{Run: r})
	return &t.changed[len(t.changed)-1]
}

// stopRun ends a run from outside.
func (t *turn) stopRun(at int, why string) {
	r := &t.runs[at]
	if r.State.End != nil {
		return
	}
	r.State.Wait, r.State.End = nil, &flow.End{How: flow.Stopped, Why: why}
	t.change(*r)
}

// settleRuns lets runs go on that waited for their turn. It stops those whose question nobody
// waits to be answered any more, as people came in or the conversation was closed, and those
// that were paused for a person who closed it.
func (t *turn) settleRuns() {
	peopleIn, closed := t.next.Lead == Waiting && t.State.Lead != Waiting, t.next.Lead == Closed
	for at := range t.runs {
		switch w := t.runs[at].State.Wait; {
		case w == nil:
		case peopleIn && t.runs[at].asks():
			t.stopRun(at, "people came in")
		case closed && (t.runs[at].asks() || w.For == flow.ForPerson):
			t.stopRun(at, "the conversation was closed")
		}
	}
	if len(t.changed) == 0 {
		return
	}
	for at := range t.runs {
		if w := t.runs[at].State.Wait; w != nil && w.For == flow.ForTurn && !t.stage(t.runs[at], false).Busy {
			if !t.advance(at, flow.Event{Kind: flow.Resumed}, false) {
				t.calls, t.think = nil, nil // it goes on with the next turn
			}
		}
	}
}

// fromFlow takes up what a flow decided.
func (t *turn) fromFlow(e flow.Effect, fresh bool) {
	switch e := e.(type) {
	case flow.Say:
		if limit := t.Abilities.Limit; limit > 0 && len([]rune(e.Text)) > limit {
			for rest := e.Text; rest != ""; {
				first := text.Fit(rest, limit, false)
				if len(first) == len(rest) || first == "" || len(first) > len(rest) || rest[:len(first)] != first {
					t.sayAs(rest, e.Choices...)
					return
				}
				t.sayAs(first)
				rest = text.Squeeze(rest[len(first):])
			}
			return
		}
		t.sayAs(e.Text, e.Choices...)
	case flow.Escalate:
		t.escalateFor(e.Because, e.Priority, e.To)
	case flow.Close:
		t.next.Lead, t.next.Open, t.next.Offer = Closed, nil, nil
		t.effects = append(t.effects, e)
	case flow.Keep:
		t.Memory = t.Memory.With(e.Fact)
		if field, ok := t.Settings.Fields.Named(e.Field); ok {
			t.trace.Learnt = append(t.trace.Learnt, field.Label+": "+field.Shown(e.Value))
		}
		t.effects = append(t.effects, Outward(e, t.Memory))
	default:
		t.Flows.Stage = t.Flows.Stage.With(e)
		t.effects = append(t.effects, Outward(e, t.Memory))
	}
}

// Outward makes of what a flow decides an effect as turns decide on them.
func Outward(e flow.Effect, memory contact.Memory) Effect {
	switch e := e.(type) {
	case flow.Keep:
		return Remember{e.Fact, e.MessageID}
	case flow.Row:
		return WriteRow{Sheet: e.Sheet, Key: e.Key, Cells: e.Cells}
	case flow.Sync:
		return Sync{e.Connection, memory}
	case flow.Notify:
		return Notify{e.Connection, e.To, e.Subject, e.Body}
	}
	return e
}

// escalateFor hands the conversation to people for a reason of a flow. Where they wait
// already, it becomes more urgent.
func (t *turn) escalateFor(reason, priority, to string) {
	if t.next.Lead != LedByBot && t.next.Lead != Waiting {
		return
	}
	brief := t.Brief
	if to != "" {
		t.Brief.Escalate.To = to
	}
	t.escalate(reason)
	t.Brief = brief
	for i, e := range t.effects {
		if escalate, ok := e.(Escalate); ok && escalate.Reason == reason && priority != "" {
			escalate.Priority = priority
			t.effects[i] = escalate
		}
	}
}
