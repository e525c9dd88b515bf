package steps

import (
	"strings"

	"urgentparrot.example/internal/core/flow"
)

var set = &flow.StepKind{
	Name: "set", Group: do, Main: "values",
	About:   "Sets values, fields of the contact (contact.island), or the contact's stage.",
	Example: "- set: { values: { total: \"{{ party_size * 4 }}\" } }",
	Fields: []flow.Field{
		{Name: "values", Label: "Values", Type: flow.Cells, About: "What is set, by name. A bare number, and a text that is one expression alone, keep their kind."},
		{Name: "stage", Label: "Stage of the contact", Type: flow.Name, Kind: "stage", About: "The stage that the contact stands at from now on."},
	},
	Sets: func(s *flow.Step) map[string]flow.Kind {
		sets := map[string]flow.Kind{}
		if s.Has("values") {
			for _, cell := range s.Args["values"].Cells {
				sets[cell.Key] = flow.Any
			}
		}
		return sets
	},
	Written: func(s *flow.Step) map[string]*flow.Arg {
		written := map[string]*flow.Arg{}
		if s.Has("values") {
			for _, cell := range s.Args["values"].Cells {
				written[cell.Key] = cell.Arg
			}
		}
		return written
	},
	Check: func(c *flow.Checking, s *flow.Step) {
		if !s.Has("values") && !s.Has("stage") {
			c.Wrong(s.At, "say what is set: values, or a stage")
		}
		if !s.Has("values") {
			return
		}
		for _, cell := range s.Args["values"].Cells {
			if name, ok := strings.CutPrefix(cell.Key, "contact."); ok {
				if _, there := c.Fields().Named(name); !there {
					c.NoSuchField(cell.Arg, name)
				}
			} else if flow.IsTaken(cell.Key) {
				c.Wrong(cell.At, "%q means something in expressions already; set it under another name", cell.Key)
			} else if !flow.IsVariable(cell.Key) {
				c.Wrong(cell.At, "%q is no name for a value: use small letters, digits and _, a letter first", cell.Key)
			}
		}
	},
	Plain: func(s *flow.Step) string {
		var parts []string
		if s.Has("values") {
			for _, cell := range s.Args["values"].Cells {
				parts = append(parts, cell.Key+" to "+flow.Quote(cell.Text))
			}
		}
		if s.Has("stage") {
			parts = append(parts, "the contact's stage to "+s.Raw("stage"))
		}
		if len(parts) == 0 {
			return "Set a value."
		}
		return "Set " + strings.Join(parts, ", ") + "."
	},
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		if s.Has("values") {
			for _, cell := range s.Args["values"].Cells {
				v, err := r.Single(cell.Arg)
				if err != nil {
					return flow.Fail(err)
				}
				if err := r.Save(cell.Key, v, ""); err != nil {
					return flow.Fail(err)
				}
				r.Did("%s is %s", cell.Key, flow.Quote(r.Show(v)))
			}
		}
		if s.Has("stage") {
			r.Stand(s.Raw("stage"))
			r.Did("the stage is %s", s.Raw("stage"))
		}
		return flow.Next()
	},
}
