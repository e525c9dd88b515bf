package rehearsal

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/flow/triggers"
	"urgentparrot.example/internal/core/message"
)

// flowStage is what runs are stepped on.
func (p *play) flowStage() flow.Stage {
	s := flow.Stage{
		Now: p.now, Contact: p.memory, Stands: p.stage, Tags: p.tags, Fields: p.Settings.Fields, Open: p.Open, Quiet: p.Settings.QuietFor(p.channel, p.memory),
		OptedOut: p.optedOut, Bot: p.base.Brief.Name, Lists: p.list, Bounds: p.bounds,
	}
	if p.begun {
		complaints := 0
		for _, at := range p.complaint {
			if p.now.Sub(at) <= flow.ComplaintsWithin {
				complaints++
			}
		}
		s.Talk = &flow.Talk{ID: "rehearsed", Channel: p.channel.Name, Opened: p.opened, Messages: len(p.lines), Lines: slices.Clone(p.lines), Complaints: func() int { return complaints },
			ByPerson: p.state.Lead == dialogue.LedByPerson, Closed: p.state.Lead == dialogue.Closed, Sums: dialogue.SumsOf(asJSON(p.state), p.state.Lead), Tags: slices.Clone(p.talkTags)}
	}
	return s
}

func asJSON(v any) string {
	raw, _ := json.Marshal(v)
	return string(raw)
}

func (p *play) list(name string) []any {
	if sheet, ok := strings.CutPrefix(name, "sheet "); ok {
		var list []any
		if p.Rows != nil {
			list = p.Rows(sheet)
		}
		for _, row := range p.rows {
			if row.Sheet == sheet {
				cells := map[string]any{}
				for k, v := range row.Cells {
					cells[k] = v
				}
				list = append(list, cells)
			}
		}
		return list
	}
	if name == "contacts" {
		tags := []any{}
		for _, tag := range p.tags {
			tags = append(tags, tag)
		}
		item := map[string]any{"id": "rehearsed", "stage": p.stage, "tags": tags}
		for k, v := range p.Settings.Fields.Values(p.memory) {
			item[k] = v
		}
		return []any{item}
	}
	if !p.begun {
		return nil
	}
	stage := p.flowStage()
	sum := flow.Summarise(stage.Talk, stage)
	return []any{map[string]any{
		"id": "rehearsed", "channel": p.channel.Name, "contact": p.Settings.Fields.Person(p.memory), "messages": float64(len(p.lines)), "led_by": string(p.state.Lead), "outcome": "",
		"opened": p.opened.Format("2006-01-02 15:04"), "summary": sum["text"], "grade": sum["grade"], "mood": sum["mood"], "asked": sum["asked"], "open": sum["open"], "measures": sum["measures"],
	}}
}

// turn has the conversation decided on with what was said, and what happened to runs.
func (p *play) turn(said string, wakes ...dialogue.Wake) {
	if p.turns++; p.turns > mostTurns {
		p.failed = fmt.Errorf("it takes more than %d turns", mostTurns)
		return
	}
	s := p.base
	s.Now, s.Settings, s.Channel, s.Abilities = p.now, p.Settings, p.channel, p.abilities
	s.State, s.Memory, s.Wakes, s.Model = p.state, maps.Clone(p.memory), wakes, nil
	for _, l := range p.lines {
		if l.By == "bot" {
			s.LastReply = l.Text
		}
	}
	first := len(p.lines) == 0
	if said != "" {
		s.Messages = []dialogue.Incoming{{ID: p.id("message"), Text: said}}
	}
	s.Runs = nil
	for i, r := range p.runs {
		if r.State.End == nil && !p.loose[i] {
			s.Runs = append(s.Runs, r)
		}
	}
	var live []*flow.Checked
	for _, f := range p.Flows {
		if f.Listens("message") && (p.alone == nil || f == p.alone) {
			live = append(live, f)
		}
	}
	s.Flows = dialogue.Flows{
		Live: live, Stage: p.flowStage(), First: first, NewID: func() string { return p.id("run") }, May: p.may, Like: p.Like, Label: p.Label,
	}
	base := s
	s.Other = func(bot string, work func(dialogue.Snapshot, bool)) { p.Other(base, bot, work) }
	d := p.Decide(p.ctx, s)
	for tries := 0; len(d.Calls) > 0 || d.Think != nil; tries++ {
		if d.Think != nil || tries == 20 {
			p.failed = errors.New("the bot does not come to a decision")
			return
		}
		for _, call := range d.Calls {
			s.Results = append(s.Results, p.called(call))
		}
		d = p.Decide(p.ctx, s)
	}
	if said != "" {
		p.line(flow.Line{By: "customer", Text: said, At: p.now})
		known := d.Trace.Code == dialogue.CodeAnswered || d.Trace.Code == dialogue.CodeConfirmed
		p.answered = &known
	}
	p.why = d.Trace.Why
	for _, change := range d.Runs {
		p.change(change)
	}
	before := p.state.Lead
	p.state = d.State
	p.closed = p.state.Lead == dialogue.Closed
	for _, e := range d.Effects {
		p.effect(e)
	}
	if p.closed && before != dialogue.Closed {
		p.occur(flow.Happening{Kind: triggers.Conversation, Values: map[string]any{"what": "closed", "reason": "", "channel": p.channel.Name}})
	}
}

func (p *play) id(what string) string {
	p.ids++
	return fmt.Sprintf("%s-%d", what, p.ids)
}

func (p *play) called(call dialogue.Call) dialogue.Result {
	p.did("call " + call.Tool)
	if r, ok := p.given[keyOf(call)]; ok {
		return r
	}
	a, ok := p.answers[call.Tool]
	switch {
	case !ok:
		return dialogue.Result{Call: call, Error: "the rehearsal does not say what the tool answers: add - answers: { tool: " + call.Tool + ", result: ... }"}
	case a.Error != "":
		return dialogue.Result{Call: call, Error: a.Error}
	}
	return dialogue.Result{Call: call, Value: a.Result}
}

func (p *play) may(f *flow.Checked) string {
	n := 0
	for _, r := range p.runs {
		if r.Flow.Name != f.Name {
			continue
		}
		if r.State.End == nil && f.AlreadyRunning == "ignore" {
			return "it is running for the contact already"
		}
		if p.now.Sub(r.Started) < f.Within {
			n++
		}
	}
	if f.PerContact > 0 && n >= f.PerContact {
		return fmt.Sprintf("it started %d times for the contact within %s", n, flow.Spoken(f.Within))
	}
	return ""
}

func (p *play) change(c dialogue.RunChange) {
	if c.Missed != "" {
		p.did("missed " + c.Flow.Name + ": " + c.Missed)
		return
	}
	p.took(c.Run, c.Passed)
	at := slices.IndexFunc(p.runs, func(r dialogue.Run) bool { return r.ID == c.ID })
	if at < 0 {
		p.runs, p.loose = append(p.runs, c.Run), append(p.loose, false)
	} else {
		p.runs[at] = c.Run
	}
	p.ended(c.Run)
}

func (p *play) ended(r dialogue.Run) {
	if r.State.End != nil {
		p.did(fmt.Sprintf("end %s: %s", r.State.End.How, r.State.End.Why))
	}
}

// effect takes up what was decided.
func (p *play) effect(e dialogue.Effect) {
	changed := func(what, from, to string) {
		p.occur(flow.Happening{Kind: triggers.Contact, Values: map[string]any{"what": what, "from": from, "to": to}})
	}
	switch e := e.(type) {
	case dialogue.Say:
		words := message.Plain(e.Parts)
		p.said = append(p.said, words)
		p.line(flow.Line{By: "bot", Text: words, At: p.now})
	case dialogue.Remember:
		before := p.memory[e.Field].Value
		if p.memory = p.memory.With(e.Fact); before != e.Value {
			p.did("keep " + e.Field + ": " + e.Value)
			changed("field "+e.Field, before, e.Value)
		}
	case dialogue.Escalate:
		p.escalated = true
		p.did("escalate " + e.Reason)
		if e.Reason == "anger" {
			p.complaint = append(p.complaint, p.now)
		}
		p.occur(flow.Happening{Kind: triggers.Conversation, Values: map[string]any{"what": "escalated", "reason": e.Reason, "channel": p.channel.Name}})
	case dialogue.WriteRow:
		p.rows = append(p.rows, e)
		p.did("row " + e.Sheet + ": " + cellsOf(e.Cells))
	case dialogue.Notify:
		p.did("notify " + e.To + ": " + e.Subject + " " + e.Body)
	case dialogue.OptOut:
		p.optedOut = !e.Again
		for i := range p.runs {
			if r := &p.runs[i]; p.optedOut && r.State.End == nil && r.Flow.Talks() {
				r.State.Wait, r.State.End = nil, &flow.End{How: flow.Stopped, Why: "the customer does not want to be written to"}
				p.ended(*r)
			}
		}
	case flow.Tag:
		if e.OnTalk {
			p.talkTags = slices.DeleteFunc(p.talkTags, func(tag string) bool { return tag == e.Tag })
			if !e.Off {
				p.talkTags = append(p.talkTags, e.Tag)
			}
			p.did(e.Words())
			return
		}
		at := slices.Index(p.tags, e.Tag)
		switch {
		case e.Off && at >= 0:
			p.tags = slices.Delete(p.tags, at, at+1)
			p.did("untag " + e.Tag)
			changed("untag", e.Tag, "")
		case !e.Off && at < 0:
			p.tags = append(p.tags, e.Tag)
			p.did("tag " + e.Tag)
			changed("tag", "", e.Tag)
		}
	case flow.Stand:
		before := p.stage
		p.stage = e.Stage
		p.did("stage " + e.Stage)
		changed("stage", before, e.Stage)
	case dialogue.Pass:
		p.did("pass " + e.To)
		if name, is := strings.CutPrefix(e.To, "bot/"); is {
			if s, ok := p.Snapshot(name); ok {
				p.base = s
			}
		}
	case flow.Assign:
		if s, ok := p.Snapshot(e.Bot); ok {
			p.base = s
		}
	case flow.Start:
		run, _, _ := strings.Cut(e.Key, "/")
		p.happenings = append(p.happenings, flow.Happening{Kind: flow.ByHand, Flow: e.Flow, Values: e.Values, Talk: "rehearsed", Depth: p.depth[run] + 1})
	case flow.Call:
		run, _, _ := strings.Cut(e.Key, "/")
		r := p.called(dialogue.Call{Tool: e.Tool, Arguments: e.Arguments})
		p.results = append(p.results, dialogue.RunWake{Run: run, Event: flow.Event{Kind: flow.Result, Effect: e.Key, Value: r.Value, Error: r.Error}})
	case flow.Count:
		p.did("count " + e.Milestone)
	case flow.Note:
		p.did("note " + e.Text)
	case dialogue.Sync:
		p.did("sync " + e.Connection)
	}
}

// line notes something that was said in the conversation.
func (p *play) line(l flow.Line) { p.lines, p.talk = append(p.lines, l), append(p.talk, l) }

// did notes something that happened.
func (p *play) did(what string) { p.happened, p.all = append(p.happened, what), append(p.all, what) }

// cellsOf are the cells of a row in a line.
func cellsOf(cells map[string]string) string {
	var parts []string
	for _, column := range sortedKeys(cells) {
		parts = append(parts, column+" "+flow.Quote(cells[column]))
	}
	return strings.Join(parts, ", ")
}

func (p *play) occur(h flow.Happening) { p.happenings = append(p.happenings, h) }

// settle lets everything happen that follows at once: results, flows that others start, runs
// that want a conversation.
func (p *play) settle() {
	for p.failed == nil && p.ctx.Err() == nil {
		switch {
		case len(p.results) > 0:
			w := p.results[0]
			p.results = p.results[1:]
			p.wake(w.Run, w.Event)
		case len(p.happenings) > 0:
			h := p.happenings[0]
			p.happenings = p.happenings[1:]
			p.look(h)
		default:
			at := slices.IndexFunc(p.runs, func(r dialogue.Run) bool {
				return r.State.End == nil && r.State.Wait != nil && r.State.Wait.For == flow.ForTalk
			})
			if at < 0 {
				return
			}
			p.loose[at] = false
			if !p.begun || p.state.Lead == dialogue.Closed {
				p.open()
			}
			p.wake(p.runs[at].ID, flow.Event{Kind: flow.Resumed})
		}
	}
}

func (p *play) look(h flow.Happening) {
	for _, f := range p.Flows {
		if h.Flow != "" && h.Flow != f.Name || h.Flow == "" && p.alone != nil || !f.Listens(h.Kind) {
			continue
		}
		if trigger, _ := f.Fits(h, p.flowStage(), p.Like); trigger == nil {
			continue
		}
		why := p.may(f)
		if h.Depth >= flow.Deepest {
			why = flow.CutOff
		}
		if why != "" {
			p.did("missed " + f.Name + ": " + why)
			continue
		}
		p.starts(f, h, flow.Begin(eventOf(h)))
	}
}

// eventOf is what a run finds of what started it.
func eventOf(h flow.Happening) map[string]any {
	values := maps.Clone(h.Values)
	if values == nil {
		values = map[string]any{}
	}
	values["kind"] = h.Kind
	return values
}

// starts starts a run by something that happened.
func (p *play) starts(f *flow.Checked, h flow.Happening, at flow.State) {
	r := dialogue.Run{ID: p.id("run"), Flow: f, Started: p.now, By: h.Kind, Depth: h.Depth, State: at}
	p.depth[r.ID] = h.Depth
	loose := !(p.begun && (h.Talk != "" || h.Kind == triggers.Conversation))
	p.runs, p.loose = append(p.runs, r), append(p.loose, loose)
	p.wake(r.ID, flow.Event{Kind: flow.Began})
}

// wake tells a run what happened: in a turn of the conversation, or by itself.
func (p *play) wake(id string, e flow.Event) {
	at := slices.IndexFunc(p.runs, func(r dialogue.Run) bool { return r.ID == id })
	if at < 0 {
		return
	}
	if !p.loose[at] {
		p.turn("", dialogue.Wake{Kind: dialogue.ByRun, Body: asJSON(dialogue.RunWake{Run: id, Event: e})})
		return
	}
	if p.turns++; p.turns > mostTurns {
		p.failed = fmt.Errorf("it takes more than %d turns", mostTurns)
		return
	}
	stage := p.flowStage()
	stage.Talk, stage.Run, stage.Started, stage.Conduct = nil, id, p.runs[at].Started, alone{p: p}
	out := p.runs[at].Flow.Advance(p.runs[at].State, e, stage)
	p.runs[at].State = out.State
	p.took(p.runs[at], out.Passed)
	for _, effect := range out.Effects {
		p.effect(dialogue.Outward(effect, p.memory))
	}
	p.ended(p.runs[at])
}

// alone is the conduct of runs without a conversation.
type alone struct {
	flow.Unaided
	p *play
}

// Classify is flow.Conduct's.
func (a alone) Classify(said string, labels []flow.Label) (string, float64, bool) {
	label, sure := a.p.Label(said, labels)
	return label, sure, true
}

// pass lets time pass, from one thing that is due to the next.
func (p *play) pass(d time.Duration) {
	end := p.now.Add(min(d, mostPassed))
	for p.failed == nil && p.ctx.Err() == nil {
		next, what := p.next(end)
		if what == nil {
			p.now = end
			return
		}
		if next.After(p.now) {
			p.now = next
		}
		what()
		p.settle()
	}
}

// next is what is due next until a time, and when.
func (p *play) next(end time.Time) (at time.Time, what func()) {
	at = end.Add(time.Nanosecond)
	for i := range p.runs {
		r := p.runs[i]
		w := r.State.Wait
		if r.State.End == nil && w != nil && !w.Until.IsZero() && w.Until.Before(at) {
			at, what = w.Until, func() { p.wake(r.ID, flow.Event{Kind: flow.Time, Wait: w.ID}) }
		}
	}
	for _, f := range p.Flows {
		for _, t := range f.Triggers {
			switch {
			case p.alone != nil: // nothing starts by itself
			case t.Kind.Name == triggers.Schedule:
				if due, ok := triggers.Next(t, p.now); ok && due.Before(at) {
					at, what = due, func() {
						p.occur(flow.Happening{Kind: triggers.Schedule, Flow: f.Name, Index: t.Index, Values: map[string]any{"at": due.Format(time.RFC3339Nano)}})
					}
				}
			case t.Has("idle") && p.begun && p.state.Lead == dialogue.LedByBot && !p.last.IsZero():
				d := t.Duration("idle", 0)
				if due := p.last.Add(d); p.idleFired[d] != p.last && due.Before(at) {
					at, what = due, func() {
						p.idleFired[d] = p.last
						p.occur(flow.Happening{Kind: triggers.Conversation, Values: map[string]any{"what": "idle", "idle": d.String(), "reason": "", "channel": p.channel.Name}})
					}
				}
			}
		}
	}
	return at, what
}
