package steps

import "urgentparrot.example/internal/core/flow"

var start = &flow.StepKind{
	Name: "start", Group: decide, Main: "flow",
	About:   "Starts another flow for the same contact, or for one of a list, with values that it finds as event.NAME.",
	Example: "- start: { flow: follow-up, with: { About: \"{{ question }}\" } }",
	Fields: []flow.Field{
		{Name: "flow", Label: "Which flow", Type: flow.Name, Kind: "flow", Required: true, About: "Which flow; it must start by hand."},
		{Name: "for", Label: "For the contact", Type: flow.Text, About: "The id of the contact that it is started for, in a loop over contacts: {{ item.id }}. The run's own, if it is left out."},
		{Name: "with", Label: "With these values", Type: flow.Cells, About: "Values that it is given."},
	},
	Check: func(c *flow.Checking, s *flow.Step) {
		other, ok := c.Find("flow", s.Raw("flow")).(*flow.Flow)
		if ok && !other.Listens(flow.ByHand) {
			c.Wrong(s.Args["flow"].At, "the flow %s does not start by hand: add \"- by hand\" to its when", s.Raw("flow"))
		}
		if ok && other.Listens(flow.ByHand) {
			given := map[string]any{}
			if s.Has("with") {
				for _, cell := range s.Args["with"].Cells {
					given[cell.Key] = true
				}
			}
			for _, name := range other.Lacks(given) {
				c.Wrong(s.At, "the flow %s needs %q: give it under with, as in with: { %s: \"…\" }", s.Raw("flow"), name, name)
			}
		}
		if s.Raw("flow") == c.Flow.Name {
			c.Doubt(s.Args["flow"].At, "the flow starts itself again: after ten in a row it is cut off")
		}
	},
	Plain: func(s *flow.Step) string {
		if s.Has("for") {
			return "Start the flow " + s.Raw("flow") + " for the contact " + s.Raw("for") + "."
		}
		return "Start the flow " + s.Raw("flow") + "."
	},
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		with, err := r.Cells(s.Args["with"])
		if err != nil {
			return flow.Fail(err)
		}
		who, err := r.Text(s.Args["for"])
		if err != nil {
			return flow.Fail(err)
		}
		values := map[string]any{}
		for k, v := range with {
			values[k] = v
		}
		if item, ok := r.Lookup("item"); ok {
			values["item"] = item
		}
		r.Emit(flow.Start{Flow: s.Raw("flow"), For: who, Values: values, Key: r.Key()})
		r.Did("started %s", s.Raw("flow"))
		return flow.Next()
	},
}
