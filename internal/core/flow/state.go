package flow

import (
	"maps"
	"strconv"
	"strings"
	"time"
)

// State is where a run stands: its place, its values and what it waits for. It is kept as
// JSON between two steps, and belongs to one run.
type State struct {
	Frames []Frame        `json:"frames"`          // its place, from the outermost list of steps
	Values map[string]any `json:"values"`          // what was saved; times as RFC 3339
	Event  map[string]any `json:"event,omitempty"` // what started it
	Wait   *Wait          `json:"wait,omitempty"`  // nil: it goes on at once
	Waits  int            `json:"waits"`           // how many there were
	Heard  []Heard        `json:"heard,omitempty"` // what the customer said while it ran, the latest
	Asked  []Question     `json:"asked,omitempty"` // what it asked, the latest
	Taken  int            `json:"taken"`           // steps, in all
	End    *End           `json:"end,omitempty"`   // how it ended

	pending bool
}

// A Frame is a place in one list of steps.
type Frame struct {
	Block  string         `json:"block"` // its name in the step of the frame before; "" for the flow's
	Step   int            `json:"step"`
	Memory map[string]any `json:"memory,omitempty"` // what the step that is being taken keeps
}

// A Wait is what a run waits for.
type Wait struct {
	ID     int       `json:"id"`
	For    WaitFor   `json:"for"`
	Until  time.Time `json:"until,omitzero"`   // it ends then, whatever happens; zero: never
	Effect string    `json:"effect,omitempty"` // of a result: the key of the effect
	Since  time.Time `json:"since"`
}

// WaitFor says what a run waits for.
type WaitFor string

// What runs wait for.
const (
	ForTime   WaitFor = "time"
	ForReply  WaitFor = "reply"
	ForResult WaitFor = "result" // of an effect
	ForPerson WaitFor = "person" // who has the conversation
	ForTalk   WaitFor = "talk"   // there is no conversation yet in which it could speak
	ForTurn   WaitFor = "turn"   // another run has a question open in the conversation
)

// Heard is something that the customer said.
type Heard struct {
	ID   string    `json:"id"`
	Text string    `json:"text"`
	At   time.Time `json:"at"`
	New  bool      `json:"new,omitempty"`  // no step has taken it up yet
	Used []string  `json:"used,omitempty"` // values that were taken out of it
}

// A Question is one that was asked, so that a correction finds it.
type Question struct {
	Path string `json:"path"`
	Save string `json:"save"`
}

// End is how a run ended.
type End struct {
	How string `json:"how"` // done, stopped, failed
	Why string `json:"why"`
}

// How runs end.
const (
	Done    = "done"
	Stopped = "stopped"
	Failed  = "failed"
)

// Begin returns the state of a run that was started by an event, with what was said to
// start it.
func Begin(event map[string]any, heard ...Heard) State {
	return State{Frames: []Frame{{}}, Values: map[string]any{}, Event: event, Heard: heard}
}

// BeginAt returns the state of a run that stands at a step, with values that were saved
// before.
func BeginAt(s *Step, event, values map[string]any) State {
	return State{Frames: placed(s), Values: values, Event: event}
}

// placed are the frames of a run that stands at a step.
func placed(s *Step) (frames []Frame) {
	parts := strings.Split(s.Path, "/")
	for i := 0; i < len(parts); i += 2 {
		at, _ := strconv.Atoi(parts[i])
		f := Frame{Step: at}
		if i > 0 {
			f.Block = parts[i-1]
		}
		frames = append(frames, f)
	}
	return frames
}

// Asks reports whether a run that stands so has a question open, or waits in the middle of
// talking for a reply.
func (f *Flow) Asks(s State) bool {
	if s.End != nil || s.Wait == nil || s.Wait.For != ForReply {
		return false
	}
	step := f.Step(s.Path())
	return step != nil && step.Kind.Talks
}

func (s State) clone() *State {
	s.Frames = append([]Frame(nil), s.Frames...)
	for i := range s.Frames {
		s.Frames[i].Memory = maps.Clone(s.Frames[i].Memory)
	}
	s.Values = maps.Clone(s.Values)
	if s.Values == nil {
		s.Values = map[string]any{}
	}
	s.Heard = append([]Heard(nil), s.Heard...)
	for i := range s.Heard {
		s.Heard[i].Used = append([]string(nil), s.Heard[i].Used...)
	}
	s.Asked = append([]Question(nil), s.Asked...)
	s.pending = false
	return &s
}

// path is the path of the step that a frame stands at.
func (s *State) path(i int) string {
	var b strings.Builder
	for j := 0; j <= i; j++ {
		if j > 0 {
			b.WriteString("/" + s.Frames[j].Block + "/")
		}
		b.WriteString(strconv.Itoa(s.Frames[j].Step))
	}
	return b.String()
}

// Path is the path of the step that the run stands at.
func (s *State) Path() string { return s.path(len(s.Frames) - 1) }
