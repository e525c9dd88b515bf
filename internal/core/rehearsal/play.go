package rehearsal

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/flow/triggers"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/core/workspace"
)

// House is what a rehearsal is played in: the workspace's bots, flows and settings, with
// nothing outside.
type House struct {
	Settings workspace.Settings
	Channels func(name string) (workspace.Channel, workspace.Abilities, bool)
	Snapshot func(bot string) (dialogue.Snapshot, bool)                                   // of a bot before anything was said
	Decide   func(context.Context, dialogue.Snapshot) dialogue.Decision                   // with the bot's knowledge
	Other    func(base dialogue.Snapshot, bot string, work func(dialogue.Snapshot, bool)) // another bot, with its knowledge
	Flows    []*flow.Checked                                                              // by name
	Open     func(hours string, at time.Time) (bool, time.Time, bool)
	Like     func(said string, examples []string) float64
	Label    func(said string, labels []flow.Label) (string, float64)
	Forms    func(name string) (workspace.Form, bool)
	Clean    func(form workspace.Form, said map[string]string, now time.Time) (values map[string]any, facts []contact.Fact)
	Rows     func(sheet string) []any // none, if nil
}

// A Report is what came of a rehearsal.
type Report struct {
	Title  string        `json:"rehearsal"`
	File   string        `json:"file,omitempty"`
	Passed bool          `json:"passed"`
	Lines  []Line        `json:"lines"`
	Took   time.Duration `json:"took"`
}

// A Line is a line of the script, or of what happened beside it.
type Line struct {
	Line     int    `json:"line,omitempty"` // in the script; 0: it is not in it
	Kind     string `json:"kind"`           // customer, bot, time, person, start, answers, expect, why
	Expected string `json:"expected"`
	Happened string `json:"happened"`
	Wrong    bool   `json:"wrong,omitempty"`
}

// What one rehearsal may take.
const (
	mostTurns  = 2_000
	mostPassed = 400 * 24 * time.Hour
)

// Play plays a script. It ends at the first difference.
func Play(ctx context.Context, h House, s Script) (report Report) {
	report = Report{Title: s.Title, Passed: true}
	p := &play{ctx: ctx, House: h, script: s, answers: map[string]Answers{}, memory: contact.Memory{}}
	p.now = s.Begins
	if p.now.IsZero() {
		p.now = time.Date(2026, 3, 3, 10, 0, 0, 0, h.Settings.Zone()) // a Tuesday
	} else {
		p.now = time.Date(p.now.Year(), p.now.Month(), p.now.Day(), p.now.Hour(), p.now.Minute(), 0, 0, h.Settings.Zone())
	}
	if err := p.begin(); err != nil {
		return Report{Title: s.Title, Lines: []Line{{Line: 1, Kind: "start", Expected: "a stage to play on", Happened: err.Error(), Wrong: true}}}
	}
	for _, item := range s.Items {
		line := Line{Line: item.Line}
		p.item(item, &line)
		if p.failed != nil {
			line.Happened, line.Wrong = p.failed.Error(), true
		}
		report.Lines = append(report.Lines, line)
		if line.Wrong {
			report.Passed = false
			break
		}
		if item.Bot == nil && item.Expect == nil {
			// What was said and no line of the script looks at is shown as it was.
			p.shown = len(p.said)
		}
	}
	if !report.Passed {
		for _, words := range p.said {
			report.Lines = append(report.Lines, Line{Kind: "bot", Happened: words})
		}
		if why := p.why + p.told(); p.why != "" && report.Lines[len(report.Lines)-1].Kind == "bot" {
			report.Lines = append(report.Lines, Line{Kind: "why", Happened: why})
		}
	}
	return report
}

// play is a rehearsal under way: it does in memory what the engine does with records.
type play struct {
	House
	ctx    context.Context
	script Script
	now    time.Time
	failed error
	turns  int

	channel   workspace.Channel
	abilities workspace.Abilities
	base      dialogue.Snapshot
	state     dialogue.State
	begun     bool // there is a conversation
	opened    time.Time
	last      time.Time // the customer wrote then
	lines     []flow.Line
	memory    contact.Memory
	tags      []string
	stage     string
	optedOut  bool
	complaint []time.Time
	runs      []dialogue.Run
	loose     []bool // by run: it has no conversation yet
	ids       int
	answers   map[string]Answers
	given     map[string]dialogue.Result // by call: what tools gave in a real conversation

	why        string   // how the last turn was decided
	said       []string // not looked at yet
	shown      int
	happened   []string // since the last look: "row enquiries", ...
	rows       []dialogue.WriteRow
	answered   *bool
	escalated  bool
	closed     bool
	results    []dialogue.RunWake
	happenings []flow.Happening
	depth      map[string]int
	idleFired  map[time.Duration]time.Time
}

func (p *play) begin() error {
	p.depth, p.idleFired = map[string]int{}, map[time.Duration]time.Time{}
	ok := true
	if p.channel, p.abilities, ok = p.Channels(p.script.Channel); !ok {
		return fmt.Errorf("there is no channel called %q", p.script.Channel)
	}
	bot := p.script.Bot
	if bot == "" {
		bot = p.channel.Bot
	}
	if p.base, ok = p.Snapshot(bot); !ok {
		return fmt.Errorf("there is no bot called %q", bot)
	}
	for _, field := range sortedKeys(p.script.Contact) {
		if _, there := p.Settings.Fields.Named(field); !there {
			return fmt.Errorf("contacts have no field %q", field)
		}
		p.memory = p.memory.With(contact.Fact{Field: field, Value: p.script.Contact[field]})
	}
	p.state = dialogue.State{Lead: dialogue.LedByBot}
	return nil
}

func (p *play) item(item Item, line *Line) {
	switch {
	case item.Customer != "":
		line.Kind, line.Expected = "customer", item.Customer
		p.said, p.answered, p.escalated, p.happened, p.rows = nil, nil, false, nil, nil
		p.last = p.now
		if p.state.Lead == dialogue.Closed || !p.begun {
			p.open()
		}
		p.turn(item.Customer)
		p.settle()
		line.Happened = item.Customer
	case item.Bot != nil:
		line.Kind, line.Expected = "bot", item.Bot.String()
		p.lookFor(*item.Bot, line)
	case item.Pass > 0:
		line.Kind, line.Expected = "time", flow.Spoken(item.Pass)+" pass"
		p.said, p.escalated, p.happened, p.rows = nil, false, nil, nil
		p.pass(item.Pass)
		line.Happened = "it is " + p.now.Format("Mon 2 Jan 15:04")
	case item.Person != "":
		line.Kind, line.Expected, line.Happened = "person", item.Person, "done"
		p.person(item.Person)
		p.settle()
	case item.Start != nil:
		line.Kind = "start"
		p.said, p.happened, p.rows = nil, nil, nil
		p.start(*item.Start, line)
		p.settle()
	case item.Answers != nil:
		line.Kind, line.Expected, line.Happened = "answers", "the tool "+item.Answers.Tool+" answers", "noted"
		p.answers[item.Answers.Tool] = *item.Answers
	case item.Expect != nil:
		line.Kind, line.Expected = "expect", item.Expect.String()
		line.Happened = p.holds(*item.Expect)
		line.Wrong = line.Happened != ""
		if !line.Wrong {
			line.Happened = "so it is"
		}
	}
}

func (p *play) open() {
	p.begun, p.opened, p.lines = true, p.now, nil
	p.state = dialogue.State{Lead: dialogue.LedByBot}
}

// lookFor looks for what is to be said among what was said, from the first on.
func (p *play) lookFor(want Saying, line *Line) {
	if want.Silent {
		if len(p.said) > 0 {
			line.Happened, line.Wrong = p.said[0], true
		} else {
			line.Happened = "nothing"
		}
		return
	}
	for i, words := range p.said {
		if want.fits(words) {
			line.Happened = words
			p.said = p.said[i+1:]
			return
		}
	}
	line.Wrong = true
	if line.Happened = "nothing"; len(p.said) > 0 {
		line.Happened = p.said[0]
		p.said = p.said[1:]
	}
}

func (s Saying) fits(words string) bool {
	has := func(part string) bool { return strings.Contains(folded(words), folded(part)) }
	for _, part := range slices.Concat(s.Says, s.Asks) {
		if !has(part) {
			return false
		}
	}
	if len(s.Asks) > 0 && !strings.Contains(words, "?") {
		return false
	}
	if len(s.Any) > 0 && !slices.ContainsFunc(s.Any, has) {
		return false
	}
	return !slices.ContainsFunc(s.Not, has)
}

func folded(s string) string { return strings.ToLower(strings.Join(strings.Fields(s), " ")) }

// holds says what is otherwise than expected, "" if nothing is.
func (p *play) holds(x Expect) string {
	did := func(what string) bool {
		return slices.ContainsFunc(p.happened, func(h string) bool { return strings.Contains(folded(h), folded(what)) })
	}
	differs := func(want *bool, is bool, what string) string {
		if want == nil || *want == is {
			return ""
		}
		return fmt.Sprintf("%s: %s", what, map[bool]string{true: "yes", false: "no"}[is])
	}
	if x.Sheet != "" {
		if why := p.rowDiffers(x); why != "" {
			return why
		}
	}
	for _, one := range []struct{ want, kind, otherwise string }{
		{x.Notified, "notify ", "nobody was told that"}, {x.Called, "call ", "it was not called"}, {x.Counted, "count ", "it was not counted"}, {x.Ended, "end ", "no run ended so"},
	} {
		if one.want != "" && !slices.ContainsFunc(p.happened, func(h string) bool {
			rest, ok := strings.CutPrefix(h, one.kind)
			return ok && strings.Contains(folded(rest), folded(one.want))
		}) {
			return one.otherwise + p.told()
		}
	}
	if x.Tag != "" && !slices.Contains(p.tags, x.Tag) {
		return fmt.Sprintf("the tags are %v", p.tags)
	}
	if x.Stage != "" && p.stage != x.Stage {
		return fmt.Sprintf("the stage is %q", p.stage)
	}
	if x.Waits != "" && !slices.ContainsFunc(p.runs, func(r dialogue.Run) bool { return r.State.Wait != nil && string(r.State.Wait.For) == x.Waits }) {
		return "no run waits for that" + p.told()
	}
	for _, field := range sortedKeys(x.Field) {
		if got := p.memory[field].Value; got != x.Field[field] {
			return fmt.Sprintf("%s is %q", field, got)
		}
	}
	answered := p.answered != nil && *p.answered
	for _, why := range []string{differs(x.Answered, answered, "answered"), differs(x.Escalated, p.escalated || did("escalate"), "a person is brought in"), differs(x.Closed, p.closed, "closed")} {
		if why != "" {
			return why
		}
	}
	return ""
}

// told lists what happened, for who wonders.
func (p *play) told() string {
	if len(p.happened) == 0 {
		return "; nothing happened since"
	}
	return "; what happened since: " + strings.Join(p.happened, ", ")
}

func (p *play) rowDiffers(x Expect) string {
	nearest := ""
	for _, row := range p.rows {
		if row.Sheet != x.Sheet {
			continue
		}
		wrong := ""
		for _, column := range sortedKeys(x.Row) {
			if row.Cells[column] != x.Row[column] {
				wrong = fmt.Sprintf("%s is %q", column, row.Cells[column])
				break
			}
		}
		if wrong == "" {
			return ""
		}
		nearest = wrong
	}
	if nearest != "" {
		return "in the row " + nearest
	}
	return "no row was written there" + p.told()
}

// flowStage is what runs are stepped on.
func (p *play) flowStage() flow.Stage {
	s := flow.Stage{
		Now: p.now, Contact: p.memory, Stands: p.stage, Tags: p.tags, Fields: p.Settings.Fields, Open: p.Open, Quiet: p.Settings.Quiet.Until,
		OptedOut: p.optedOut, Bot: p.base.Brief.Name, Lists: p.list,
	}
	if p.begun {
		complaints := 0
		for _, at := range p.complaint {
			if p.now.Sub(at) <= 7*24*time.Hour {
				complaints++
			}
		}
		s.Talk = &flow.Talk{ID: "rehearsed", Channel: p.channel.Name, Opened: p.opened, Messages: len(p.lines), Lines: slices.Clone(p.lines), Complaints: func() int { return complaints },
			ByPerson: p.state.Lead == dialogue.LedByPerson, Closed: p.state.Lead == dialogue.Closed, Sums: dialogue.SumsOf(asJSON(p.state), p.state.Lead)}
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
		item := map[string]any{"stage": p.stage}
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
		if f.Listens("message") {
			live = append(live, f)
		}
	}
	s.Flows = dialogue.Flows{
		Live: live, Stage: p.flowStage(), First: first, NewID: func() string { return p.id("run") }, May: p.may, Like: p.Like, Label: p.Label,
		Other: func(bot string, work func(dialogue.Snapshot, bool)) { p.Other(s, bot, work) },
	}
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
		p.lines = append(p.lines, flow.Line{By: "customer", Text: said, At: p.now})
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
	p.happened = append(p.happened, "call "+call.Tool)
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
		p.happened = append(p.happened, "missed "+c.Flow.Name+": "+c.Missed)
		return
	}
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
		p.happened = append(p.happened, fmt.Sprintf("end %s: %s", r.State.End.How, r.State.End.Why))
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
		p.lines = append(p.lines, flow.Line{By: "bot", Text: words, At: p.now})
	case dialogue.Remember:
		before := p.memory[e.Field].Value
		if p.memory = p.memory.With(e.Fact); before != e.Value {
			changed("field "+e.Field, before, e.Value)
		}
	case dialogue.Escalate:
		p.escalated = true
		p.happened = append(p.happened, "escalate "+e.Reason)
		if e.Reason == "anger" {
			p.complaint = append(p.complaint, p.now)
		}
		p.occur(flow.Happening{Kind: triggers.Conversation, Values: map[string]any{"what": "escalated", "reason": e.Reason, "channel": p.channel.Name}})
	case dialogue.WriteRow:
		p.rows = append(p.rows, e)
		p.happened = append(p.happened, "row "+e.Sheet)
	case dialogue.Notify:
		p.happened = append(p.happened, "notify "+e.To+": "+e.Subject+" "+e.Body)
	case dialogue.OptOut:
		p.optedOut = !e.Again
		for i := range p.runs {
			if r := &p.runs[i]; p.optedOut && r.State.End == nil && r.Flow.Talks() {
				r.State.Wait, r.State.End = nil, &flow.End{How: flow.Stopped, Why: "the customer does not want to be written to"}
				p.ended(*r)
			}
		}
	case flow.Tag:
		at := slices.Index(p.tags, e.Tag)
		switch {
		case e.Off && at >= 0:
			p.tags = slices.Delete(p.tags, at, at+1)
			changed("untag", e.Tag, "")
		case !e.Off && at < 0:
			p.tags = append(p.tags, e.Tag)
			changed("tag", "", e.Tag)
		}
	case flow.Stand:
		before := p.stage
		p.stage = e.Stage
		changed("stage", before, e.Stage)
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
		p.happened = append(p.happened, "count "+e.Milestone)
	case flow.Note:
		p.happened = append(p.happened, "note "+e.Text)
	case dialogue.Sync:
		p.happened = append(p.happened, "sync "+e.Connection)
	}
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
	const deepest = 10
	for _, f := range p.Flows {
		if h.Flow != "" && h.Flow != f.Name || !f.Listens(h.Kind) || h.Depth >= deepest {
			continue
		}
		if trigger, _ := f.Fits(h, p.flowStage(), p.Like); trigger == nil {
			continue
		}
		if why := p.may(f); why != "" {
			p.happened = append(p.happened, "missed "+f.Name+": "+why)
			continue
		}
		values := maps.Clone(h.Values)
		if values == nil {
			values = map[string]any{}
		}
		values["kind"] = h.Kind
		r := dialogue.Run{ID: p.id("run"), Flow: f, Started: p.now, By: h.Kind, Depth: h.Depth, State: flow.Begin(values)}
		p.depth[r.ID] = h.Depth
		loose := !(p.begun && (h.Talk != "" || h.Kind == triggers.Conversation))
		p.runs, p.loose = append(p.runs, r), append(p.loose, loose)
		p.wake(r.ID, flow.Event{Kind: flow.Began})
	}
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
	stage.Talk, stage.Run, stage.Started, stage.Conduct = nil, id, p.runs[at].Started, alone{p}
	out := p.runs[at].Flow.Advance(p.runs[at].State, e, stage)
	p.runs[at].State = out.State
	for _, effect := range out.Effects {
		p.effect(dialogue.Outward(effect, p.memory))
	}
	p.ended(p.runs[at])
}

// alone is the conduct of runs without a conversation.
type alone struct{ p *play }

func (alone) Answer(string, string, bool) (flow.Answered, bool) { return flow.Answered{}, true }
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

func (p *play) person(does string) {
	switch does {
	case "take":
		p.state.Lead = dialogue.LedByPerson
	case "return":
		p.state.Lead = dialogue.LedByBot
		p.turn("", dialogue.Wake{Kind: dialogue.ByHandBack})
	case "close":
		p.state.Lead, p.closed = dialogue.Closed, true
		p.occur(flow.Happening{Kind: triggers.Conversation, Values: map[string]any{"what": "closed", "reason": "", "channel": p.channel.Name}})
	}
}

func (p *play) start(s Start, line *Line) {
	h := flow.Happening{Kind: flow.ByHand, Flow: s.Flow, Values: map[string]any{}}
	for k, v := range s.Values {
		h.Values[k] = v
	}
	line.Expected, line.Happened = "the flow "+s.Flow+" starts", "done"
	switch {
	case s.Form != "":
		line.Expected = "the form " + s.Form + " is sent"
		form, ok := p.Forms(s.Form)
		if !ok {
			line.Happened, line.Wrong = "there is no form called "+s.Form, true
			return
		}
		values, facts := p.Clean(form, s.Values, p.now)
		for _, f := range facts {
			p.memory = p.memory.With(f)
		}
		values["form"], values["entry"] = s.Form, p.id("entry")
		h = flow.Happening{Kind: triggers.Form, Values: values}
	case s.Post != nil:
		h.Kind, h.Values = triggers.Webhook, map[string]any{"body": s.Post}
	default:
		if !slices.ContainsFunc(p.Flows, func(f *flow.Checked) bool { return f.Name == s.Flow && f.Listens(flow.ByHand) }) {
			line.Happened, line.Wrong = "there is no flow of that name that starts by hand", true
			return
		}
	}
	if p.begun {
		h.Talk = "rehearsed"
	}
	p.look(h)
}

func sortedKeys[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }

// Extract is flow.Conduct's: without a bot there is no model.
func (alone) Extract(string, []flow.Wanted) (map[string]string, bool) { return nil, true }
