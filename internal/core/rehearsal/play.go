package rehearsal

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/flow/triggers"
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
		p.now = aTuesday(h.Settings.Zone())
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

// aTuesday at ten is when it is where nothing says otherwise.
func aTuesday(zone *time.Location) time.Time { return time.Date(2026, 3, 3, 10, 0, 0, 0, zone) }

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
	talkTags  []string // of the conversation
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

	// Of a flow that is tried.
	alone  *flow.Checked // others start only where it starts them; nil: all play
	bounds *flow.Bounds
	all    []string    // all that happened
	talk   []flow.Line // in all conversations
	steps  []Taken     // by all runs, in order
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
		for i, r := range p.runs {
			if w := r.State.Wait; w != nil && (w.For == flow.ForReply || r.Flow.Talks() && w.For != flow.ForTalk) {
				p.loose[i] = false // it hears the customer, wherever that is
			}
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
	p.begun, p.opened, p.lines, p.talkTags = true, p.now, nil, nil
	p.state = dialogue.State{Lead: dialogue.LedByBot}
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
		p.turn("", dialogue.Wake{Kind: dialogue.ByEvent})
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
		hook := hookOf(p.Flows, s.Flow)
		if hook == nil {
			line.Happened, line.Wrong = "there is no flow of that name that other systems post to", true
			return
		}
		h.Kind, h.Index, h.Values = triggers.Webhook, hook.Index, map[string]any{"body": s.Post}
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

// hookOf is the trigger by which other systems start a flow, nil if they do not.
func hookOf(flows []*flow.Checked, name string) *flow.Trigger {
	for _, f := range flows {
		for _, t := range f.Triggers {
			if f.Name == name && t.Kind.Name == triggers.Webhook {
				return t
			}
		}
	}
	return nil
}

func sortedKeys[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }
