package flow

import (
	"fmt"
	"strings"
	"time"

	"urgentparrot.example/internal/core/contact"
)

// Deepest is how many flows may start each other in a row.
const Deepest = 10

// CutOff is why a flow does not start below that.
var CutOff = fmt.Sprintf("%d flows have started each other in a row: they are cut off", Deepest)

// ComplaintsWithin is how long a complaint counts.
const ComplaintsWithin = 7 * 24 * time.Hour

// Stage is what a run is stepped on: what it may look at.
type Stage struct {
	Now      time.Time // in the workspace's zone
	Run      string    // its id
	Started  time.Time
	Contact  contact.Memory
	Stands   string   // the stage of the contact
	Tags     []string // of the contact
	Talk     *Talk    // nil: there is no conversation
	Bot      string   // of the conversation
	Open     func(hours string, at time.Time) (open bool, next time.Time, ok bool)
	Quiet    func(at time.Time) time.Time // when something that the flow says by itself may be said, at or after a time
	Conduct  Conduct                      // nil: nobody answers
	Fresh    bool                         // what the run says answers what the customer just said
	Busy     bool                         // another run has a question open in the conversation
	OptedOut bool                         // the handle wants no messages that nobody asked for
	Fields   contact.Fields
	Lists    func(name string) []any // lists of the workspace, for loops
	Bounds   *Bounds                 // how far runs are taken; nil: to their end
}

// Bounds say how far the runs of a flow are taken when it is tried in part.
type Bounds struct {
	Flow   string
	Before string // the number of a step before which they end; "": none
	Only   string // the number of a step after which they end; "": none
}

// Talk is the conversation that a run takes part in.
type Talk struct {
	ID, Channel string
	Opened      time.Time
	Messages    int
	Lines       []Line // the latest, oldest first
	Reason      string
	Outcome     string
	Tags        []string
	Complaints  func() int // how many times the contact was angry within ComplaintsWithin; nil: none
	ByPerson    bool       // a person has it
	Closed      bool
	Sums        Sums
}

// A Line is something said in a conversation.
type Line struct {
	By, Text string
	At       time.Time
}

// Conduct is how a run has others answer and think for it. Its functions are pure: the
// same run given the same asks the same.
type Conduct interface {
	// Answer has a bot answer a question. It returns false while the bot still thinks.
	Answer(bot, question string, whole bool) (Answered, bool)
	// Classify returns the label that fits a text best, and how sure that is.
	Classify(said string, labels []Label) (label string, sure float64, ok bool)
	// Extract takes values out of a text that the built-in means do not find, as they stand
	// in it; none without a model.
	Extract(said string, wanted []Wanted) (values map[string]string, ok bool)
	// Phrase puts facts into words to instructions, within a length in letters (0: any); ""
	// without a model, or where what that wrote does not stand on the facts.
	Phrase(facts, instructions string, most int) (words string, ok bool)
	// Sum sums up what was said, to instructions, and fills in parts; nothing without a
	// model.
	Sum(lines []Line, instructions string, parts []Part) (sum Sum, ok bool)
}

// Unaided is the conduct of runs that have no bot and no model to think for them.
type Unaided struct{}

// Answer is Conduct's.
func (Unaided) Answer(string, string, bool) (Answered, bool) { return Answered{}, true }

// Classify is Conduct's.
func (Unaided) Classify(string, []Label) (string, float64, bool) { return "", 0, true }

// Extract is Conduct's.
func (Unaided) Extract(string, []Wanted) (map[string]string, bool) { return nil, true }

// Phrase is Conduct's.
func (Unaided) Phrase(string, string, int) (string, bool) { return "", true }

// Sum is Conduct's.
func (Unaided) Sum([]Line, string, []Part) (Sum, bool) { return Sum{}, true }

// A Sum is what a model makes of a talk.
type Sum struct {
	Text  string
	Parts map[string]any // by their names
}

// Answered is what came of a question.
type Answered struct {
	Known      bool
	Confidence float64
	Words      string
	Effects    []Effect // what the bot decided
	Handed     bool     // it brought people in
}

// A Label is one that a text may have.
type Label struct {
	Name, About string
	Examples    []string
}

// Wanted is a value that is looked for in a text.
type Wanted struct {
	Name, Label string
	As          Read
}

// A Happening is something that may start flows.
type Happening struct {
	Kind    string         `json:"kind"` // the trigger's
	Values  map[string]any `json:"values"`
	Flow    string         `json:"flow,omitempty"`  // the one flow that is meant; "" for any
	Index   int            `json:"index,omitempty"` // of the trigger in it, where Flow is set
	Contact string         `json:"contact,omitempty"`
	Talk    string         `json:"conversation,omitempty"`
	Depth   int            `json:"depth,omitempty"` // how many flows started each other to come here
	By      string         `json:"by,omitempty"`    // a person, or the run that did it
}

// Matching is what triggers look at to say whether something starts their flow.
type Matching struct {
	*Running
	Happening
	Like func(said string, examples []string) float64 // likeness of a text to the nearest example, 0 to 1; nil: none
}

// Fits returns the trigger of the flow that something that happened fires; if none does,
// why not.
func (c *Checked) Fits(h Happening, stage Stage, like func(string, []string) float64) (*Trigger, string) {
	why := "it has no such trigger"
	for _, f := range c.Weigh(h, stage, like) {
		if f.Fits {
			return f.Trigger, ""
		}
		why = f.Why
	}
	return nil, why
}

// A Fit says of a trigger whether something that happened fires it.
type Fit struct {
	Trigger *Trigger
	Fits    bool
	Why     string // it does not
}

// Weigh holds something that happened against each trigger of its kind, in their order, up
// to the first that it fires.
func (c *Checked) Weigh(h Happening, stage Stage, like func(string, []string) float64) (list []Fit) {
	s := Begin(h.Values)
	for _, t := range c.Triggers {
		if t.Kind.Name != h.Kind || h.Flow != "" && (h.Flow != c.Name || h.Index != t.Index && h.Kind != ByHand) {
			continue
		}
		m := &Matching{Running: &Running{Stage: stage, Flow: c, state: &s, frame: &s.Frames[0]}, Happening: h, Like: like}
		f := Fit{Trigger: t, Fits: true}
		if t.Kind.Fits != nil {
			f.Fits, f.Why = t.Kind.Fits(m, t)
		}
		if list = append(list, f); f.Fits {
			break
		}
	}
	return list
}

// ByHand is the trigger of flows that people, programs and other flows start.
const ByHand = "by hand"

// Given returns the names of the values that the flow is given where it is started by hand,
// and which of them may be left out: their names end in a question mark in the flow.
func (f *Flow) Given() (needed, optional []string) {
	for _, t := range f.Triggers {
		if t.Kind.Name != ByHand {
			continue
		}
		for _, name := range t.Strings("with") {
			if bare, may := strings.CutSuffix(name, "?"); may {
				optional = append(optional, bare)
			} else {
				needed = append(needed, name)
			}
		}
	}
	return needed, optional
}

// Lacks returns the names of the values that the flow needs and is not given.
func (f *Flow) Lacks(values map[string]any) (lacks []string) {
	needed, _ := f.Given()
	for _, name := range needed {
		if v := values[name]; v == nil || v == "" {
			lacks = append(lacks, name)
		}
	}
	return lacks
}

// Listens reports whether the flow has a trigger of a kind.
func (f *Flow) Listens(kind string) bool {
	for _, t := range f.Triggers {
		if t.Kind.Name == kind {
			return true
		}
	}
	return false
}
