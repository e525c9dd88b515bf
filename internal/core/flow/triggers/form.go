package triggers

import (
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/workspace"
)

var form = &flow.TriggerKind{
	Name: Form, Main: "form",
	About:   "A form is submitted.",
	Example: "- form: group-enquiry",
	Fields: []flow.Field{
		{Name: "form", Label: "Which form", Type: flow.Name, Kind: "form", Required: true, About: "Which form."},
		{Name: "if", Label: "Only if", Type: flow.Condition, About: "Only if this holds."},
	},
	Event: func(c *flow.Checking, t *flow.Trigger) map[string]flow.Given {
		given := map[string]flow.Given{"entry": {Kind: flow.AText, Always: true}}
		if f, ok := c.Find("form", t.Raw("form")).(workspace.Form); ok {
			for _, field := range f.Fields {
				kind := flow.Read{As: field.As}.Kind()
				if kind == flow.ATime || kind == flow.AFlag && !field.Required {
					kind = flow.AText
				}
				given[field.Name] = flow.Given{Kind: kind, Always: field.Required && field.Strict()}
			}
		}
		return given
	},
	Plain: func(t *flow.Trigger) string {
		plain := "the form " + t.Raw("form") + " is submitted"
		if t.Has("if") {
			plain += ", and " + flow.InWords(t.Raw("if"))
		}
		return plain
	},
	Fits: func(m *flow.Matching, t *flow.Trigger) (bool, string) {
		if t.Raw("form") != text(m.Values["form"]) {
			return false, "it was another form"
		}
		return condition(m, t)
	},
}
