package steps

import (
	"cmp"
	"strings"

	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/text"
)

var phrase = &flow.StepKind{
	Name: "phrase", Group: think, Main: "from",
	About:   "Writes a text out of wordings with values in them, cut between sentences to a length. With instructions, and where the bot has a model, that puts it into words, which count if all that they state stands in the wordings; else those stand as they are.",
	Example: "- phrase: { from: [\"{{ party_size }} people to {{ island }}\"], at_most: 160 }\n  save: offer",
	Fields: []flow.Field{
		{Name: "from", Label: "The wordings", Type: flow.Texts, Required: true, About: "The wordings: those of which all values are there are put together."},
		{Name: "instructions", Type: flow.Words, About: "How the text is to be, in plain words, for a model."},
		{Name: "at_most", Label: "How long, in characters", Type: flow.Number, Least: 20, Most: 4000, About: "The length, in characters."},
	},
	Saves: fixed(flow.AText),
	Check: func(c *flow.Checking, s *flow.Step) {
		if !s.Has("save") {
			c.Wrong(s.At, "say what the text is kept as: save, a name")
		}
		needsModel(c, s, "instructions", "the wordings stand as they are")
	},
	Plain: func(s *flow.Step) string {
		plain := "Write a text out of " + flow.Quote(strings.Join(s.Strings("from"), " "))
		if s.Has("instructions") {
			return plain + ": " + s.Raw("instructions")
		}
		return plain + "."
	},
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		parts, err := texts(r, s, "from")
		if err != nil {
			return flow.Fail(err)
		}
		words := ""
		for _, part := range parts {
			if part = text.Squeeze(part); part != "" {
				words += " " + part
			}
		}
		words = text.Squeeze(words)
		most := s.Whole("at_most", 0)
		if s.Has("instructions") && r.Conduct != nil {
			better, there := r.Conduct.Phrase(words, s.Raw("instructions"), most)
			if !there {
				return flow.Pending()
			}
			words = cmp.Or(better, words)
		}
		if most > 0 {
			words = text.Fit(words, most, true)
		}
		if err := r.Save(s.Raw("save"), words, ""); err != nil {
			return flow.Fail(err)
		}
		r.Did("wrote %s", flow.Quote(words))
		return flow.Next()
	},
}
