package dialogue

import (
	"context"
	"slices"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/thinker"
)

// How near what a customer says must be to the examples of a mark: the weights of a logistic
// regression on two thirds of testdata/marks.txt. The last third says what they are worth.
const (
	markMeaning = 8.6
	markMatch   = 2.0
	markWords   = 3.0
	markFrom    = -5.6
)

// mark gives the tags and sets the stages that the brief grants and what was said is like.
func (t *turn) mark() {
	if t.next.Lead == LedByPerson || t.next.Lead == Closed || t.Blocked || t.leftToPeople() != "" || len(t.Brief.Marks) == 0 {
		return
	}
	parts := answer.Split(t.said)
	for _, m := range t.Brief.Marks {
		if !t.marked(m) && slices.ContainsFunc(parts[:min(len(parts), readParts)], func(p answer.Part) bool { return saysLike(t.ctx, t.Finder, p, m) }) {
			t.give(m, "what was said is like its examples")
		}
	}
}

// saysLike reports whether a part of a message is like the examples of a mark.
func saysLike(ctx context.Context, f answer.Finder, part answer.Part, m bot.Mark) bool {
	if part.Kind == answer.Greeting || part.Kind == answer.Thanks || part.Kind == answer.Farewell {
		return false
	}
	near := f.Near(ctx, part, answer.Found{Mended: part.Text}, m.When)
	return markMeaning*near.Meaning+markMatch*near.Match+markWords*near.Words+markFrom >= 0
}

// marked reports whether the conversation has had a mark already.
func (t *turn) marked(m bot.Mark) bool { return slices.Contains(t.next.Marked, m.Named()) }

func (t *turn) give(m bot.Mark, why string) {
	if t.marked(m) {
		return
	}
	t.next.Marked = append(slices.Clone(t.next.Marked), m.Named())
	t.trace.Marked = append(t.trace.Marked, m.Named()+": "+why)
	if m.Stage != "" {
		t.effects = append(t.effects, flow.Stand{Stage: m.Stage})
		return
	}
	t.effects = append(t.effects, flow.Tag{Tag: m.Tag, OnTalk: m.OnConversation()})
}

// What a model may ask for beside tools, where the brief grants it.
const (
	actMark = "mark"
	actPass = "pass_on"
)

// granting lists what the brief grants beside tools, as acts for a model.
func (r *reader) granting() (acts []thinker.Act) {
	one := func(about string, names []any) map[string]any {
		return map[string]any{"type": "object", "required": []any{"to"}, "additionalProperties": false, "properties": map[string]any{
			"to": map[string]any{"type": "string", "enum": names, "description": about},
		}}
	}
	var marks, passes []any
	aboutMarks, aboutPasses := "", ""
	for _, m := range r.Brief.Marks {
		if !r.marked(m) {
			marks = append(marks, m.Named())
			aboutMarks += told(m.Named(), m.About, m.When)
		}
	}
	for _, p := range r.passings(r.Brief.Pass) {
		passes = append(passes, p.To)
		aboutPasses += told(p.To, p.About, p.When)
	}
	if len(marks) > 0 {
		acts = append(acts, thinker.Act{Name: actMark, About: "Marks the customer, beside your reply, where they say such things." + aboutMarks, Arguments: one("The mark.", marks)})
	}
	if len(passes) > 0 {
		acts = append(acts, thinker.Act{Name: actPass, About: "Gives the conversation to somebody else, who replies in your place. Only where the matter is theirs." + aboutPasses, Arguments: one("To whom.", passes)})
	}
	return acts
}

// told tells a model of one thing that it may choose.
func told(name, about string, when []string) string {
	s := " " + name + ":"
	if about != "" {
		s += " " + about + "."
	}
	for _, example := range when[:min(len(when), 3)] {
		s += " “" + example + "”"
	}
	return s
}

// does carries out an act that is no tool's; it reports false if it was not granted. Whom the
// conversation went to has the question in this turn.
func (r *reader) does(call thinker.Call) (granted bool) {
	to, _ := call.Arguments["to"].(string)
	switch call.Name {
	case actMark:
		at := slices.IndexFunc(r.Brief.Marks, func(m bot.Mark) bool { return m.Named() == to })
		if at < 0 {
			return false
		}
		r.give(r.Brief.Marks[at], "the model finds it so")
		r.done = append(r.done, thinker.Done{Call: call, Result: `{"done": true}`})
		return true
	case actPass:
		passings := r.passings(r.Brief.Pass)
		at := slices.IndexFunc(passings, func(p passing) bool { return p.To == to })
		if at < 0 || r.next.Passes >= mostPasses {
			return false
		}
		r.passedTo = &passings[at]
		r.passedTo.why = "the model finds that it is theirs"
		return true
	}
	return false
}
