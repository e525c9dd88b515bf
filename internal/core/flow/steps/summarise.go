package steps

import (
	"fmt"
	"strings"

	"urgentparrot.example/internal/core/flow"
)

var summarise = &flow.StepKind{
	Name: "summarise", Group: think, Main: "parts",
	About:   "Sums the conversation up in parts: what was asked, what was answered, what stays open, the mood, what is known of the contact, and a grade with its measures.",
	Example: "- summarise: { parts: [asked, open, mood, grade] }\n  save: summary",
	Fields: []flow.Field{
		{Name: "parts", Type: flow.Texts, About: "Which parts: asked, answered, open, mood, known, grade, text."},
		{Name: "instructions", Type: flow.Words, About: "What to look at, in plain words; needs a model."},
	},
	Saves: fixed(flow.ARecord),
	Check: func(c *flow.Checking, s *flow.Step) {
		if !s.Has("save") {
			c.Wrong(s.At, "say what the summary is kept as: save, a name; its parts are then found as name.grade, name.open and so on")
		}
		for _, part := range s.Strings("parts") {
			if !strings.Contains(" asked answered open mood known grade text ", " "+part+" ") {
				c.Wrong(s.Args["parts"].At, "a summary has no part %q; there are: asked, answered, open, mood, known, grade, text", part)
			}
		}
		if s.Has("instructions") {
			c.Doubt(s.Args["instructions"].At, "instructions are not followed without a model; the parts are made of what the conversation shows")
		}
	},
	Plain: func(s *flow.Step) string {
		if list := s.Strings("parts"); len(list) > 0 {
			return "Sum the conversation up: " + strings.Join(list, ", ") + "."
		}
		return "Sum the conversation up."
	},
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		sum := flow.Summarise(r.Talk, r.Stage)
		if err := r.Save(s.Raw("save"), sum, ""); err != nil {
			return flow.Fail(err)
		}
		r.Did("summed up: grade %s, %s", r.Show(sum["grade"]), fmt.Sprint(sum["measures"]))
		return flow.Next()
	},
}
