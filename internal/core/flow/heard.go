package flow

import (
	"maps"
	"slices"
	"time"
)

// Patience is how long a reply is waited for unless the question says otherwise.
const Patience = 24 * time.Hour

// Uses reports whether a value was taken out of the message already.
func (h *Heard) Uses(value string) bool { return slices.Contains(h.Used, value) }

// Use notes that a value was taken out of the message.
func (h *Heard) Use(value string) { h.Used = append(h.Used, value) }

// EachHeard looks at what the customer said while the run ran, the latest first, until one
// is what is looked for.
func (r *Running) EachHeard(is func(*Heard) bool) bool {
	for i := len(r.state.Heard) - 1; i >= 0; i-- {
		if is(&r.state.Heard[i]) {
			return true
		}
	}
	return false
}

// Unheard returns the first message that no step has taken up.
func (r *Running) Unheard() (Heard, bool) {
	for _, h := range r.state.Heard {
		if h.New {
			return h, true
		}
	}
	return Heard{}, false
}

// TookUp notes that a step has taken a message up, and those before it.
func (r *Running) TookUp(id string) {
	for i := range r.state.Heard {
		r.state.Heard[i].New = false
		if r.state.Heard[i].ID == id {
			return
		}
	}
}

// MarkUsed notes that a value was taken out of a message.
func (r *Running) MarkUsed(id, value string) {
	r.EachHeard(func(h *Heard) bool {
		if h.ID == id {
			h.Use(value)
		}
		return h.ID == id
	})
}

// Asks notes that a question was put.
func (r *Running) Asks(s *Step) {
	r.state.Asked = slices.DeleteFunc(r.state.Asked, func(q Question) bool { return q.Path == s.Path })
	r.state.Asked = append(r.state.Asked, Question{s.Path, s.Raw("save")})
	r.state.Asked = r.state.Asked[max(0, len(r.state.Asked)-keptAsked):]
}

// LatestAsked returns the questions that were put, the latest first.
func (r *Running) LatestAsked() []Question {
	list := slices.Clone(r.state.Asked)
	slices.Reverse(list)
	return list
}

// OpenQuestion returns the question that stays open around the step, nil if none does, and
// what takes up something as that question would.
func (r *Running) OpenQuestion() (open *Step, within func(func() Move) Move) {
	for i := len(r.state.Frames) - 2; i >= 0; i-- {
		if !r.state.Frames[i].Flag("open") {
			continue
		}
		s := r.stepOf(i)
		return s, func(do func() Move) Move {
			frame, step := r.frame, r.step
			r.frame, r.step = &r.state.Frames[i], s
			m := do()
			if m.kind == moveInto { // the question goes its own way
				r.state.Frames = r.state.Frames[:i+1]
				r.frame = &r.state.Frames[i]
				r.frame.set("open", false)
				return Move{kind: moveInto, block: m.block, of: s}
			}
			r.frame, r.step = frame, step
			return m
		}
	}
	return nil, nil
}

// Tentatively does what may turn out not to fit; then nothing of it is left.
func (r *Running) Tentatively(do func() (bool, error)) (bool, error) {
	values, known, effects := maps.Clone(r.state.Values), r.Contact, len(r.effects)
	fits, err := do()
	if !fits || err != nil {
		r.state.Values, r.Contact, r.effects = values, known, r.effects[:effects]
	}
	return fits, err
}
