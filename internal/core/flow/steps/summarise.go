package steps

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/flow"
)

var summarise = &flow.StepKind{
	Name: "summarise", Group: think, Main: "parts",
	About:   "Sums the conversation up in parts: what was asked, what was answered, what stays open, the mood, what is known of the contact, and a grade with its measures. Where the bot has a model, the text follows instructions, and parts of your own are filled in: of texts what was said, of numbers what is within the bounds.",
	Example: "- summarise: { parts: [asked, open, mood, grade] }\n  save: summary",
	Fields: []flow.Field{
		{Name: "parts", Label: "Which parts", Type: flow.Texts, About: "Which parts: asked, answered, open, mood, known, grade, text."},
		{Name: "instructions", Type: flow.Words, About: "What to look at, in plain words, for a model."},
		{Name: "more", Label: "Parts of your own", Type: flow.Objects, About: "Parts of your own, for a model; where it does not fill them in, texts and lists are empty and numbers null.", Of: []flow.Field{
			{Name: "name", Label: "Called", Type: flow.Variable, Required: true, About: "Its name: summary.name holds it."},
			{Name: "about", Label: "What it is", Type: flow.Words, Required: true, About: "What it is, in plain words."},
			{Name: "as", Label: "It is", Type: flow.Choice, Choices: []string{"text", "list", "number", "choice"}, About: "What it is; a text, if it is left out."},
			{Name: "choices", Label: "What it may be", Type: flow.Texts, About: "Of a choice."},
			{Name: "from", Type: flow.Number, Most: 1e6, About: "Of a number: the least; 1, if it is left out."},
			{Name: "to", Type: flow.Number, Most: 1e6, About: "Of a number: the most; 5, if it is left out."},
		}},
	},
	Saves: fixed(flow.ARecord),
	Check: func(c *flow.Checking, s *flow.Step) {
		if !s.Has("save") {
			c.Wrong(s.At, "say what the summary is kept as: save, a name; its parts are then found as name.grade, name.open and so on")
		}
		for _, part := range s.Strings("parts") {
			if !slices.Contains(sumParts, part) {
				c.Wrong(s.Args["parts"].At, "a summary has no part %q; there are: %s", part, strings.Join(sumParts, ", "))
			}
		}
		seen := map[string]bool{}
		for i, p := range ownParts(s) {
			at := s.Args["more"].Places[i]
			switch {
			case slices.Contains(sumParts, p.Name) || p.Name == "measures" || p.Name == "left_out" || seen[p.Name]:
				c.Wrong(at, "the summary has a part %s already; give this one another name", p.Name)
			case (p.As == "choice") != (len(p.Choices) > 0):
				c.Wrong(at, "a part as choice, and no other, lists its choices")
			case p.As == "number" && p.Most <= p.Least:
				c.Wrong(at, "a number from %v to %v is always the same: write from below to", p.Least, p.Most)
			}
			seen[p.Name] = true
		}
		needsModel(c, s, "instructions", "the text is made of what the conversation shows")
		needsModel(c, s, "more", "these parts stay empty")
	},
	Plain: func(s *flow.Step) string {
		list := s.Strings("parts")
		for _, p := range ownParts(s) {
			list = append(list, p.About)
		}
		if len(list) > 0 {
			return "Sum the conversation up: " + strings.Join(list, ", ") + "."
		}
		return "Sum the conversation up."
	},
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		sum := flow.Summarise(r.Talk, r.Stage)
		parts := ownParts(s)
		for _, p := range parts {
			sum[p.Name] = p.Nothing()
		}
		if r.Conduct != nil && r.Talk != nil && (len(parts) > 0 || s.Has("instructions")) {
			made, there := r.Conduct.Sum(r.Talk.Lines, s.Raw("instructions"), parts)
			if !there {
				return flow.Pending()
			}
			maps.Copy(sum, made.Parts)
			if made.Text != "" {
				sum["text"] = made.Text
			}
		}
		if err := r.Save(s.Raw("save"), sum, ""); err != nil {
			return flow.Fail(err)
		}
		r.Did("summed up: grade %s, %s", r.Show(sum["grade"]), fmt.Sprint(sum["measures"]))
		return flow.Next()
	},
}

// sumParts are the parts that every summary has.
var sumParts = []string{"asked", "answered", "open", "mood", "known", "grade", "text"}

// ownParts are those that the builder asks for.
func ownParts(s *flow.Step) (parts []flow.Part) {
	for _, v := range s.List("more") {
		p := flow.Part{Name: v.Raw("name"), About: v.Raw("about"), As: cmp.Or(v.Raw("as"), "text"), Choices: v.Strings("choices")}
		if p.As == "number" {
			p.Least, p.Most = float64(v.Whole("from", 1)), float64(v.Whole("to", 5))
		}
		parts = append(parts, p)
	}
	return parts
}
