package steps

import (
	"strings"

	"urgentparrot.example/internal/core/flow"
)

var extract = &flow.StepKind{
	Name: "extract", Group: think, Main: "from",
	About:   "Takes values out of a text; those that it does not hold are left empty. Where the bot has a model, that finds more, which counts if it stands in the text.",
	Example: "- extract: { from: \"{{ message.text }}\", values: [ { name: where, as: choice, choices: [saloon, deck] } ] }",
	Fields: []flow.Field{
		{Name: "from", Label: "The text", Type: flow.Text, Required: true, About: "The text."},
		{Name: "values", Label: "What is taken out", Type: flow.Objects, Required: true, About: "What is taken out.", Of: []flow.Field{
			{Name: "name", Label: "Keep it as", Type: flow.Variable, Required: true, About: "What it is kept as."},
			{Name: "about", Label: "In words", Type: flow.Words, About: "What it is, in words, for a model."},
			{Name: "as", Label: "What it is", Type: flow.Choice, Choices: flow.Reads, Required: true, About: "What it is."},
			{Name: "choices", Label: "What it may be", Type: flow.Texts, About: "Of a choice."},
		}},
	},
	Saves: fixed(flow.ARecord),
	Check: func(c *flow.Checking, s *flow.Step) {
		if !s.Has("save") {
			c.Wrong(s.At, "say what the values are kept as: save, a name; they are then found as name.value")
		}
		for i, v := range s.List("values") {
			if rd := wanted(v).As; !rd.Telling() && rd.As != "name" && c.Settings.Model == "" {
				c.Wrong(s.Args["values"].Places[i], "%s has no form by which the built-in means could tell it in a text; ask for it, connect a model, or use choice, number, date, e-mail address and the like", rd.Words())
			}
		}
	},
	Plain: func(s *flow.Step) string {
		var names []string
		for _, v := range s.List("values") {
			names = append(names, v.Raw("name"))
		}
		return "Take " + strings.Join(names, ", ") + " out of " + flow.Quote(s.Raw("from")) + "."
	},
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		said, err := r.Text(s.Args["from"])
		if err != nil {
			return flow.Fail(err)
		}
		values := map[string]any{}
		take := func(w flow.Wanted, from string, asked bool) bool {
			value, ok := w.As.Hear(from, hearing(r, asked))
			if ok {
				values[w.Name] = r.Show(value)
				if n, number := value.(float64); number {
					values[w.Name] = n
				}
			}
			return ok
		}
		var open []flow.Wanted
		for _, v := range s.List("values") {
			w := wanted(v)
			values[w.Name] = ""
			if !take(w, said, false) {
				open = append(open, w)
			}
		}
		if len(open) > 0 && r.Conduct != nil {
			found, there := r.Conduct.Extract(said, open)
			if !there {
				return flow.Pending()
			}
			for _, w := range open {
				take(w, found[w.Name], true)
			}
		}
		if err := r.Save(s.Raw("save"), values, ""); err != nil {
			return flow.Fail(err)
		}
		r.Did("took out %s", r.Show(values))
		return flow.Next()
	},
}

func wanted(v flow.Args) flow.Wanted {
	return flow.Wanted{Name: v.Raw("name"), Label: v.Raw("about"), As: flow.Read{As: v.Raw("as"), Choices: v.Strings("choices")}}
}
