package flow

import (
	"fmt"
	"slices"
	"time"

	"urgentparrot.example/internal/core/text"
)

// An Event is what happened that lets a run go on.
type Event struct {
	Kind   EventKind
	Wait   int    // of a time: which wait it ends
	Effect string // of a result: the key of the effect
	Value  any    // of a result
	Error  string // of a result: why there is none
	Heard  Heard  // of a reply
}

// EventKind says what happened.
type EventKind string

// What happens to runs.
const (
	Began    EventKind = "began"
	Time     EventKind = "time"
	Reply    EventKind = "reply"
	Aside    EventKind = "aside" // the customer said something to the person who has the conversation
	Result   EventKind = "result"
	BlockEnd EventKind = "block" // a list of steps of the step has come to its end
	Resumed  EventKind = "resumed"
	Skipped  EventKind = "skipped" // a person ended the wait
	Retried  EventKind = "retried" // a person has the failed step taken again
)

// A Move is what a step comes to.
type Move struct {
	kind  moveKind
	block string
	of    *Step // whose the block is; nil: of the step that is taken
	wait  Wait
	end   End
	err   error
}

type moveKind int

const (
	moveNext moveKind = iota
	moveInto
	moveWait
	moveEnd
	moveFail
	movePending
)

// Next goes on to the next step.
func Next() Move { return Move{} }

// Into goes on with a list of steps of the step; at its end the step's Go is called.
func Into(block string) Move { return Move{kind: moveInto, block: block} }

// Pause waits. The step's Go is called with what ends it.
func Pause(w Wait) Move { return Move{kind: moveWait, wait: w} }

// Finish ends the run.
func Finish(how, why string) Move { return Move{kind: moveEnd, end: End{how, why}} }

// Fail fails the step.
func Fail(err error) Move { return Move{kind: moveFail, err: err} }

// Pending leaves the run as it was before it was stepped: something that it needs is not
// there yet, such as a model's reply.
func Pending() Move { return Move{kind: movePending} }

// An Effect is something that a step decides to record, or to do in the world.
type Effect interface {
	Kind() string
	String() string
}

// Running is a run being stepped: what the functions of steps are given.
type Running struct {
	Stage
	Flow  *Checked
	state *State

	effects []Effect
	path    []Passed
	step    *Step
	frame   *Frame
}

// Passed is a step that was taken, for people.
type Passed struct {
	Path   string    `json:"path"`
	Number string    `json:"number"`
	Line   int       `json:"line"`
	Words  string    `json:"words"`
	At     time.Time `json:"at"`
}

// An Outcome is what stepping a run came to.
type Outcome struct {
	State   State
	Effects []Effect
	Passed  []Passed
	Pending bool // nothing happened: see Pending
}

// What a run may do before it waits, and in all.
const (
	stepsAtOnce = 500
	stepsInAll  = 100_000
	keptHeard   = 20
	keptAsked   = 12
	mostValue   = 20_000 // letters of one value
	mostValues  = 200    // names
)

// Advance steps a run on from its state, with what happened, until it waits or ends. It is
// pure: what is to be done is in the outcome. An event that the run does not wait for
// changes nothing, but that a reply is remembered: a reply that came before a wait began
// counts.
func (c *Checked) Advance(s State, e Event, stage Stage) (o Outcome) {
	r := &Running{Stage: stage, Flow: c, state: s.clone()}
	defer func() {
		o = Outcome{State: *r.state, Effects: r.effects, Passed: r.path}
		if r.state.pending {
			o = Outcome{State: s, Pending: true}
		}
	}()
	if r.state.End != nil && e.Kind != Retried {
		return
	}
	if e.Kind == Reply || e.Kind == Aside {
		e.Heard.New = true
		r.state.Heard = append(r.state.Heard, e.Heard)
		r.state.Heard = r.state.Heard[max(0, len(r.state.Heard)-keptHeard):]
	}
	w, asking := r.state.Wait, c.Asks(*r.state)
	switch e.Kind {
	case Began:
		if w != nil {
			return
		}
	case Resumed:
		if w != nil && w.For != ForPerson && w.For != ForTalk && w.For != ForTurn && !asking {
			return
		}
		if asking { // the question is put again, unless it was answered meanwhile
			r.here()
			r.Remember("yielded", true)
		}
	case Retried:
		if r.state.End == nil || r.state.End.How != Failed {
			return
		}
		r.state.End = nil
	case Time:
		if w == nil || w.ID != e.Wait {
			return
		}
		if asking && r.Talk != nil && r.Talk.ByPerson { // patience is for bots
			r.here()
			r.Remember("yielded", true)
			r.wait(Wait{For: ForPerson})
			return
		}
	case Aside:
		return
	case Reply:
		if w == nil || w.For != ForReply {
			return
		}
	case Result:
		if w == nil || w.For != ForResult || w.Effect != e.Effect {
			return
		}
	case Skipped:
		if w == nil || w.For == ForResult {
			return
		}
		e.Kind = Time
	}
	resume := w != nil && e.Kind != Began && e.Kind != Retried
	r.state.Wait = nil
	r.steps(resume, e)
	return
}

// Hears reports whether what is said answers the question that a run has open. Nothing comes
// of it.
func (c *Checked) Hears(s State, said string, stage Stage) bool {
	r := &Running{Stage: stage, Flow: c, state: s.clone()}
	step := r.here()
	return step != nil && step.Kind.Hears != nil && step.Kind.Hears(r, step, said)
}

// steps takes steps until the run waits or ends. With resume the step that waited goes on.
func (r *Running) steps(resume bool, e Event) {
	for taken := 0; r.state.End == nil && r.state.Wait == nil && !r.state.pending; taken++ {
		if taken == stepsAtOnce || r.state.Taken >= stepsInAll {
			if r.state.Taken >= stepsInAll {
				r.end(Failed, fmt.Sprintf("the run took more than %d steps", stepsInAll))
				return
			}
			r.here()
			r.wait(Wait{For: ForTime, Until: r.Now}) // others have their turn
			r.frame.set("yielded", true)
			return
		}
		step := r.here()
		if why := r.bounded(step); why != "" {
			r.end(Stopped, why)
			return
		}
		if step == nil {
			if !r.up() {
				return
			}
			resume, e = true, Event{Kind: BlockEnd}
			continue
		}
		r.step = step
		move := r.take(step, resume, e)
		resume = false
		r.do(step, move)
	}
}

// bounded says why a run that is only tried in part ends at a step, nil at the end of a list;
// "" if it goes on.
func (r *Running) bounded(step *Step) string {
	b := r.Bounds
	if b == nil || b.Flow != r.Flow.Name || r.state.End != nil {
		return ""
	}
	if b.Before != "" && step != nil && step.Number == b.Before {
		return "it stands before step " + b.Before
	}
	if only := r.Flow.Numbered(b.Only); only != nil && len(r.state.Frames) <= len(placed(only)) && step != only {
		return "step " + b.Only + " is taken"
	}
	return ""
}

// here is the step that the run stands at, nil at the end of a list.
func (r *Running) here() *Step {
	block := r.Flow.Body
	for i := range r.state.Frames {
		f := &r.state.Frames[i]
		if i > 0 {
			if block = r.stepOf(i - 1).Block(f.Block); block == nil {
				r.end(Failed, "the place where the run stood is not there any more")
				return nil
			}
		}
		if i == len(r.state.Frames)-1 {
			r.frame = f
			if f.Step >= len(block.Steps) {
				return nil
			}
			return block.Steps[f.Step]
		}
	}
	return nil
}

// stepOf is the step that a frame stands at.
func (r *Running) stepOf(i int) *Step { return r.Flow.Step(r.state.path(i)) }

// up leaves a list of steps at its end; false: the run is at its end.
func (r *Running) up() bool {
	if r.state.End != nil {
		return false
	}
	if len(r.state.Frames) == 1 {
		r.end(Done, "came to its end")
		return false
	}
	r.state.Frames = r.state.Frames[:len(r.state.Frames)-1]
	return true
}

func (r *Running) take(s *Step, resume bool, e Event) (m Move) {
	if resume && !r.frame.Flag("yielded") && !(e.Kind == BlockEnd && r.frame.Flag("failed")) {
		if s.Kind.Go == nil {
			return Next()
		}
		return s.Kind.Go(r, s, e)
	}
	if e.Kind == BlockEnd && resume && r.frame.Flag("failed") {
		return Next() // what was to be done instead is done
	}
	r.frame.Memory = nil
	if s.Kind.Talks {
		if m, may := r.maySpeak(); !may {
			return m
		}
	}
	r.state.Taken++
	if condition := s.Args["if"]; condition != nil {
		holds, words, err := r.Weighs(condition)
		if err != nil {
			return Fail(err)
		}
		if !holds {
			r.passed(s, "left out: it is not so that "+words)
			return Next()
		}
	}
	return s.Kind.Run(r, s)
}

// maySpeak reports whether a step that talks may be taken now; if not, what comes of it.
func (r *Running) maySpeak() (m Move, may bool) {
	until := r.Now
	if !r.Fresh && r.Quiet != nil && !r.awake() {
		until = r.Quiet(r.Now)
	}
	hold, why := Wait{}, ""
	switch {
	case !r.Fresh && r.OptedOut:
		return Finish(Stopped, "the customer does not want to be written to"), false
	case r.Talk == nil || r.Talk.Closed:
		hold = Wait{For: ForTalk}
	case r.Talk.ByPerson:
		hold, why = Wait{For: ForPerson}, "a person has the conversation"
	case r.Busy:
		hold, why = Wait{For: ForTurn}, "another flow has a question open"
	case until.After(r.Now):
		hold, why = Wait{For: ForTime, Until: until}, "quiet hours until "+until.Format("2006-01-02 15:04")
	default:
		return Move{}, true
	}
	if why != "" {
		r.Did("held back: %s", why)
	}
	r.Remember("yielded", true)
	return Pause(hold), false
}

// awakeFor is how long after they wrote a customer is not disturbed by what a flow says.
const awakeFor = 10 * time.Minute

// awake reports whether the customer wrote just now.
func (r *Running) awake() bool {
	if r.Talk == nil {
		return false
	}
	for _, l := range slices.Backward(r.Talk.Lines) {
		if l.By == "customer" {
			return r.Now.Sub(l.At) < awakeFor
		}
	}
	return false
}

func (r *Running) do(s *Step, m Move) {
	switch m.kind {
	case moveNext:
		r.frame.Step++
		r.frame.Memory = nil
	case moveInto:
		if m.of != nil {
			s = m.of
		}
		if s.Block(m.block) == nil {
			r.end(Failed, "it has no steps called "+m.block)
			return
		}
		r.state.Frames = append(r.state.Frames, Frame{Block: m.block})
	case moveWait:
		r.wait(m.wait)
	case moveEnd:
		r.passed(s, m.end.Why)
		r.state.End = &m.end
	case moveFail:
		if s.Block("on_error") != nil && !r.frame.Flag("failed") {
			r.passed(s, "failed: "+m.err.Error())
			r.frame.set("failed", true)
			r.state.Frames = append(r.state.Frames, Frame{Block: "on_error"})
			return
		}
		r.end(Failed, fmt.Sprintf("step %s (line %d): %v", s.Number, s.At.Line, m.err))
	case movePending:
		r.state.pending = true
	}
}

func (r *Running) wait(w Wait) {
	r.state.Waits++
	w.ID, w.Since = r.state.Waits, r.Now
	r.state.Wait = &w
}

func (r *Running) end(how, why string) { r.state.End = &End{how, why} }

// passed notes in the run's path what a step did.
func (r *Running) passed(s *Step, words string) {
	r.path = append(r.path, Passed{s.Path, s.Number, s.At.Line, text.Squeeze(text.Short(words, 300)), r.Now})
}

// Did notes in the run's path what the step did.
func (r *Running) Did(format string, args ...any) { r.passed(r.step, fmt.Sprintf(format, args...)) }

// Emit decides on an effect.
func (r *Running) Emit(e Effect) { r.effects = append(r.effects, e) }

// Key is a key for an effect of the step that is the same however often it is stepped.
func (r *Running) Key() string {
	return fmt.Sprintf("%s/%s/%d", r.Run, r.state.Path(), r.state.Taken)
}

// Memory is what the step keeps while it is being taken.
func (r *Running) Memory(name string) any { return r.frame.Memory[name] }

// Remember keeps something while the step is being taken. It must be as JSON holds it.
func (r *Running) Remember(name string, value any) { r.frame.set(name, value) }

// Count is a number that the step keeps.
func (r *Running) Count(name string) int {
	switch n := r.frame.Memory[name].(type) {
	case float64:
		return int(n)
	case int:
		return n
	}
	return 0
}

func (f *Frame) set(name string, value any) {
	if f.Memory == nil {
		f.Memory = map[string]any{}
	}
	f.Memory[name] = value
}

// Flag reports whether something that is kept is true.
func (f *Frame) Flag(name string) bool { is, _ := f.Memory[name].(bool); return is }
