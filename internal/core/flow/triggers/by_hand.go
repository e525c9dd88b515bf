package triggers

import (
	"strings"
	"time"

	"urgentparrot.example/internal/core/flow"
)

var byHand = &flow.TriggerKind{
	Name:    flow.ByHand,
	About:   "A person, a program or another flow starts it, for one contact or a list of them.",
	Example: "- by hand",
	Fields: []flow.Field{
		{Name: "with", Label: "Values that it needs", Type: flow.Texts, About: "The names of the values that it needs, such as columns of a list: they are event.NAME. One that may be left out ends in a question mark: [boat, day?]."},
	},
	Event: func(_ *flow.Checking, t *flow.Trigger) map[string]flow.Given {
		given := map[string]flow.Given{"item": {Kind: flow.Any}}
		for _, name := range t.Strings("with") {
			bare, may := strings.CutSuffix(name, "?")
			given[bare] = flow.Given{Kind: flow.AText, Always: !may}
		}
		return given
	},
	Check: func(c *flow.Checking, t *flow.Trigger) {
		for _, name := range t.Strings("with") {
			if name = strings.TrimSuffix(name, "?"); !flow.IsPart(name) || name == "kind" || name == "item" {
				c.Wrong(t.Args["with"].At, "%q is no name for a value, or is there already: use small letters, digits and _, a letter first", name)
			}
		}
	},
	Fits: func(m *flow.Matching, _ *flow.Trigger) (bool, string) {
		if lacks := m.Running.Flow.Lacks(m.Values); len(lacks) > 0 {
			return false, "it was not given " + strings.Join(lacks, ", ")
		}
		return true, ""
	},
	Sample: func(*flow.Trigger, time.Time) map[string]any { return map[string]any{} },
	Plain:  func(*flow.Trigger) string { return "somebody starts it by hand, or another flow does" },
}
