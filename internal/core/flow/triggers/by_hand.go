package triggers

import (
	"time"

	"urgentparrot.example/internal/core/flow"
)

var byHand = &flow.TriggerKind{
	Name:    flow.ByHand,
	About:   "A person, a program or another flow starts it, for one contact or a list of them.",
	Example: "- by hand",
	Fields: []flow.Field{
		{Name: "with", Type: flow.Texts, About: "The names of the values that it is given, such as columns of a list: they are event.NAME."},
	},
	Event: func(_ *flow.Checking, t *flow.Trigger) map[string]flow.Given {
		given := map[string]flow.Given{"item": {Kind: flow.Any}}
		for _, name := range t.Strings("with") {
			given[name] = flow.Given{Kind: flow.AText}
		}
		return given
	},
	Check: func(c *flow.Checking, t *flow.Trigger) {
		for _, name := range t.Strings("with") {
			if !flow.IsPart(name) || name == "kind" || name == "item" {
				c.Wrong(t.Args["with"].At, "%q is no name for a value, or is there already: use small letters, digits and _, a letter first", name)
			}
		}
	},
	Sample: func(*flow.Trigger, time.Time) map[string]any { return map[string]any{} },
	Plain:  func(*flow.Trigger) string { return "somebody starts it by hand, or another flow does" },
}
