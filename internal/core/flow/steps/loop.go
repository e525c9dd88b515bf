package steps

import (
	"fmt"

	"urgentparrot.example/internal/core/flow"
)

var loop = &flow.StepKind{
	Name: "loop", Group: decide, Leads: flow.LeadsLoop, Over: []string{"each", "over", "sheet"},
	About:   "Takes the steps again and again: while a condition holds, at most so often, or for each item of a list. The value round counts from 1; item is the item of the list.",
	Example: "- loop:\n    at_most: 20\n    steps:\n      - ask: \"Anything else?\"\n        save: question",
	Fields: []flow.Field{
		{Name: "at_most", Label: "How often, at most", Type: flow.Number, Least: 1, Most: 1000, About: "How often, at most."},
		{Name: "while", Label: "While", Type: flow.Condition, About: "It goes on while this holds."},
		{Name: "each", Label: "For each item of", Type: flow.Value, About: "A list: the steps are taken for each item of it."},
		{Name: "over", Label: "For each of", Type: flow.Choice, Choices: []string{"conversations today", "conversations yesterday", "contacts"}, About: "A list of the workspace, in place of each."},
		{Name: "sheet", Label: "For each row of", Type: flow.Name, Kind: "sheet", About: "The rows of a sheet, in place of each."},
		{Name: "steps", Label: "Do each time", Type: flow.Steps, Required: true, About: "What is done each time."},
	},
	Check: func(c *flow.Checking, s *flow.Step) {
		lists := 0
		for _, name := range s.Kind.Over {
			if s.Has(name) {
				lists++
			}
		}
		if lists > 1 {
			c.Wrong(s.At, "a loop goes over one list: each, over or sheet")
		}
		waits, ends := false, false
		if b := s.Block("steps"); b != nil {
			for _, inner := range flow.Within(b) {
				waits, ends = waits || inner.Kind.Waits, ends || inner.Kind.Ends
			}
		}
		if lists == 0 && !s.Has("at_most") {
			if !waits && !ends {
				c.Wrong(s.At, "the loop neither waits nor ends: say how often at most (at_most), or go over a list (each)")
			} else {
				c.Wrong(s.At, "say how often the loop goes round at most: at_most, such as 20")
			}
		}
	},
	Plain: func(s *flow.Step) string {
		most := ""
		if s.Has("at_most") {
			most = fmt.Sprintf(", at most %d times", s.Whole("at_most", 0))
		}
		switch {
		case s.Has("over"):
			return "For each of the " + s.Raw("over") + most + ":"
		case s.Has("sheet"):
			return "For each row of the sheet " + s.Raw("sheet") + most + ":"
		case s.Has("each"):
			return "For each item of " + s.Raw("each") + most + ":"
		case s.Has("while"):
			return "While " + flow.InWords(s.Raw("while")) + most + ":"
		}
		if !s.Has("at_most") {
			return "Again and again:"
		}
		return fmt.Sprintf("Up to %d times:", s.Whole("at_most", 0))
	},
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		var list []any
		isList := true
		switch {
		case s.Has("each"):
			v, err := r.Value(s.Args["each"])
			if err != nil {
				return flow.Fail(err)
			}
			items, ok := v.([]any)
			if !ok {
				return flow.Fail(fmt.Errorf("%s is no list: it is %s", s.Raw("each"), r.Show(v)))
			}
			list = items
		case s.Has("over"), s.Has("sheet"):
			name := s.Raw("over")
			if s.Has("sheet") {
				name = "sheet " + s.Raw("sheet")
			}
			if r.Lists == nil {
				return flow.Fail(fmt.Errorf("there is no list %s here", name))
			}
			list = r.Lists(name)
		default:
			isList = false
		}
		if isList {
			if most := s.Whole("at_most", 1000); len(list) > most {
				r.Did("the list has %d items; the first %d are taken", len(list), most)
				list = list[:most]
			}
			r.Remember("list", list)
		}
		r.Remember("round", 0)
		return round(r, s)
	},
	Go: func(r *flow.Running, s *flow.Step, _ flow.Event) flow.Move { return round(r, s) },
}

func round(r *flow.Running, s *flow.Step) flow.Move {
	n := r.Count("round") + 1
	if list, ok := r.Memory("list").([]any); ok {
		if n > len(list) {
			return flow.Next()
		}
		r.Remember("item", list[n-1])
		r.Remember("number", n)
	} else if n > s.Whole("at_most", 1000) {
		return flow.Next()
	}
	r.Remember("round", n)
	if s.Has("while") {
		holds, err := r.Holds(s.Args["while"])
		if err != nil {
			return flow.Fail(err)
		}
		if !holds {
			return flow.Next()
		}
	}
	return flow.Into("steps")
}
