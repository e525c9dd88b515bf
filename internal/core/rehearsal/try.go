package rehearsal

import (
	"context"
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
)

// Trying says how a flow is tried: what starts it, and what is said to it then.
type Trying struct {
	Flow    string
	Channel string         // "": that on which the flow speaks, or any
	Starts  flow.Happening // what starts it; a message is its text under "text"
	Known   contact.Memory // of the contact
	Stage   string         // of the contact
	Tags    []string       // of the contact
	Says    []string       // what the customer says then, one after another
	Pass    time.Duration  // how much time passes at the end
	Answers map[string]any // what tools answer, by name
	Now     time.Time      // when it is; zero: a Tuesday at ten
	Step    string         // the number of the one step that is tried
	Before  string         // the number of the step before which it ends
	Values  map[string]any // of one step: what was saved before
}

// Tried is what came of it.
type Tried struct {
	Fits     []flow.Fit // what the triggers say to what started it
	Steps    []Taken
	Talk     []flow.Line
	Happened []string       // beside the talk, in order
	Values   map[string]any // what was saved
	Stands   string         // how the run stands at the end, in words behind "it"; "" if none began
	Missed   string         // why none began
}

// Taken is a step that was taken.
type Taken struct {
	Flow string
	flow.Passed
}

// took notes steps that were taken.
func (p *play) took(r dialogue.Run, passed []flow.Passed) {
	for _, step := range passed {
		p.steps = append(p.steps, Taken{r.Flow.Name, step})
	}
}

// Try tries a flow on something that happened, by itself: other flows start only where it
// starts them. Nothing real is touched. An error says why it cannot be tried.
func Try(ctx context.Context, h House, t Trying) (tried Tried, err error) {
	at := slices.IndexFunc(h.Flows, func(f *flow.Checked) bool { return f.Name == t.Flow })
	if at < 0 {
		return tried, fmt.Errorf("the flow %q has errors, or is not there: parrot flow check tells them", t.Flow)
	}
	f := h.Flows[at]
	if t.Channel == "" {
		t.Channel = f.SpeakOn
	}
	p := &play{ctx: ctx, House: h, script: Script{Channel: t.Channel}, answers: map[string]Answers{}, now: t.Now.In(h.Settings.Zone()), alone: f, bounds: &flow.Bounds{Flow: f.Name, Before: t.Before, Only: t.Step}}
	if t.Now.IsZero() {
		p.now = aTuesday(h.Settings.Zone())
	}
	if err := p.begin(); err != nil {
		return tried, err
	}
	for tool, result := range t.Answers {
		p.answers[tool] = Answers{Tool: tool, Result: result}
	}
	p.memory, p.stage, p.tags = maps.Clone(t.Known), t.Stage, slices.Clone(t.Tags)
	if p.memory == nil {
		p.memory = contact.Memory{}
	}
	if err := p.tryFrom(f, t, &tried); err != nil {
		return tried, err
	}
	p.settle()
	for _, words := range t.Says {
		if tried.Missed != "" {
			break
		}
		if d, err := flow.ParseDuration(strings.TrimPrefix(words, "+")); err == nil && strings.HasPrefix(words, "+") {
			p.pass(d)
			continue
		}
		p.item(Item{Customer: words}, &Line{})
	}
	if t.Pass > 0 {
		p.pass(t.Pass)
	}
	tried.Steps, tried.Talk = p.steps, p.talk
	for _, what := range p.all {
		if how, ok := strings.CutPrefix(what, "end "); ok {
			what = "a run ends, " + how
		}
		tried.Happened = append(tried.Happened, what)
	}
	for _, r := range p.runs {
		if r.Flow == f {
			tried.Values, tried.Stands = r.State.Values, standing(r)
			break
		}
	}
	return tried, errors.Join(p.failed, ctx.Err())
}

// tryFrom starts the flow as it is to be tried.
func (p *play) tryFrom(f *flow.Checked, t Trying, tried *Tried) error {
	if t.Step != "" {
		step := f.Numbered(t.Step)
		if step == nil {
			return fmt.Errorf("the flow has no step %q; parrot flow explain %s numbers them", t.Step, f.Name)
		}
		p.open()
		p.starts(f, flow.Happening{Kind: flow.ByHand, Talk: "rehearsed"}, flow.BeginAt(step, eventOf(t.Starts), maps.Clone(t.Values)))
		return nil
	}
	happened, err := startOf(f, t.Starts, p.now)
	if err != nil {
		return err
	}
	said, _ := happened.Values["text"].(string)
	if happened.Kind == triggers.Message {
		happened.Values = maps.Clone(happened.Values)
		happened.Values["channel"] = p.channel.Name
		p.open()
	}
	stage := p.flowStage()
	if happened.Kind == triggers.Message { // it is being said
		stage.Talk.Lines = append(stage.Talk.Lines, flow.Line{By: "customer", Text: said, At: p.now})
	}
	tried.Fits = f.Weigh(happened, stage, p.Like)
	if !slices.ContainsFunc(tried.Fits, func(fit flow.Fit) bool { return fit.Fits }) {
		tried.Missed = "none of its triggers fits"
		if len(tried.Fits) == 0 {
			tried.Missed = "none of its triggers is for that; it starts " + f.Starts()
		}
		return nil
	}
	if happened.Kind == triggers.Message {
		p.item(Item{Customer: said}, &Line{})
		if len(p.runs) == 0 {
			tried.Missed = "the message does not come to it: " + p.why
		}
	} else {
		p.starts(f, happened, flow.Begin(eventOf(happened)))
	}
	return nil
}

// startOf is what starts a flow where nothing is said of it: somebody by hand, or what its
// first trigger is for that needs nothing more.
func startOf(f *flow.Checked, h flow.Happening, now time.Time) (flow.Happening, error) {
	if h.Kind != "" {
		return h, nil
	}
	if f.Listens(flow.ByHand) {
		h.Kind = flow.ByHand
		return h, nil
	}
	for _, t := range f.Triggers {
		if t.Kind.Sample != nil {
			sample := t.Kind.Sample(t, now)
			maps.Copy(sample, h.Values)
			return flow.Happening{Kind: t.Kind.Name, Values: sample}, nil
		}
	}
	return h, errors.New("say what starts it: what was posted, or sent with its form, or an earlier run")
}

// standing says how a run stands, behind "it".
func standing(r dialogue.Run) string {
	switch end, w := r.State.End, r.State.Wait; {
	case end != nil:
		return map[string]string{flow.Done: "is done", flow.Stopped: "stops", flow.Failed: "fails"}[end.How] + ": " + end.Why
	case w == nil:
		return "goes on"
	case w.Until.IsZero():
		return "waits for " + waited(w.For)
	default:
		return "waits for " + waited(w.For) + ", until " + w.Until.Format("Mon 2 Jan 15:04")
	}
}

// waited names what a run waits for.
func waited(w flow.WaitFor) string {
	return map[flow.WaitFor]string{
		flow.ForTime: "its time", flow.ForReply: "a reply", flow.ForResult: "a result", flow.ForPerson: "the person who has the conversation",
		flow.ForTalk: "a conversation", flow.ForTurn: "its turn to speak",
	}[w]
}
