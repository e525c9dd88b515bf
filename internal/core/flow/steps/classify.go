package steps

import (
	"strings"

	"urgentparrot.example/internal/core/flow"
)

var classify = &flow.StepKind{
	Name: "classify", Group: think, Main: "text",
	About:   "Chooses the label that fits a text best, by what each is about and its examples; keeps it, and how sure that is as sure. Where none fits, the label is empty. Where the bot has a model, that decides.",
	Example: "- classify: { text: \"{{ message.text }}\", labels: [ { label: cargo, about: vans and freight, examples: [\"Can I bring a van?\"] } ] }\n  save: kind_of_question",
	Fields: []flow.Field{
		{Name: "text", Label: "The text", Type: flow.Text, Required: true, About: "The text."},
		{Name: "labels", Label: "The labels", Type: flow.Objects, Required: true, About: "The labels.", Of: []flow.Field{
			{Name: "label", Label: "Label", Type: flow.Words, Required: true, About: "Its name."},
			{Name: "about", Label: "What it is for", Type: flow.Words, Required: true, About: "What it is for, in plain words."},
			{Name: "examples", Label: "Texts that it fits", Type: flow.Texts, About: "Texts that it fits."},
		}},
	},
	Saves: fixed(flow.AText),
	Sets:  func(*flow.Step) map[string]flow.Kind { return map[string]flow.Kind{"sure": flow.ANumber} },
	Domains: func(s *flow.Step) map[string]flow.Domain {
		labels := []string{""}
		for _, l := range s.List("labels") {
			labels = append(labels, l.Raw("label"))
		}
		return map[string]flow.Domain{s.Raw("save"): {Among: labels}}
	},
	Check: func(c *flow.Checking, s *flow.Step) {
		seen := map[string]bool{}
		for i, l := range s.List("labels") {
			if seen[l.Raw("label")] {
				c.Wrong(s.Args["labels"].Places[i], "the label %q is there twice", l.Raw("label"))
			}
			seen[l.Raw("label")] = true
			if len(l.Strings("examples")) == 0 {
				c.Doubt(s.Args["labels"].Places[i], "the label %q has no examples: a few make it far surer", l.Raw("label"))
			}
		}
		if !s.Has("save") {
			c.Wrong(s.At, "say what the label is kept as: save, a name")
		}
	},
	Plain: func(s *flow.Step) string {
		var names []string
		for _, l := range s.List("labels") {
			names = append(names, l.Raw("label"))
		}
		return "Decide what " + flow.Quote(s.Raw("text")) + " is: " + flow.Or(names) + "."
	},
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		said, err := r.Text(s.Args["text"])
		if err != nil {
			return flow.Fail(err)
		}
		var labels []flow.Label
		for _, l := range s.List("labels") {
			labels = append(labels, flow.Label{Name: l.Raw("label"), About: l.Raw("about"), Examples: l.Strings("examples")})
		}
		label, sure := "", 0.0
		if r.Conduct != nil && strings.TrimSpace(said) != "" {
			there := true
			if label, sure, there = r.Conduct.Classify(said, labels); !there {
				return flow.Pending()
			}
		}
		r.Set("sure", sure)
		if err := r.Save(s.Raw("save"), label, ""); err != nil {
			return flow.Fail(err)
		}
		r.Did("decided: %s", map[bool]string{true: "none fits", false: label}[label == ""])
		return flow.Next()
	},
}
