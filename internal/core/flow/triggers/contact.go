package triggers

import (
	"fmt"
	"time"

	"urgentparrot.example/internal/core/flow"
)

var contact = &flow.TriggerKind{
	Name:    Contact,
	About:   "A contact is new, or a field, the stage or a tag of it changes.",
	Example: "- contact: { stage: booked }",
	Fields: []flow.Field{
		{Name: "created", Label: "The contact is new", Type: flow.Flag, About: "A new contact."},
		{Name: "field", Label: "This field changes", Type: flow.Name, Kind: "field", About: "This field changes."},
		{Name: "stage", Label: "The stage becomes", Type: flow.Name, Kind: "stage", About: "The stage becomes this."},
		{Name: "tag", Label: "It is tagged", Type: flow.Name, Kind: "tag", About: "It is marked with this tag."},
		{Name: "untag", Label: "This tag is taken away", Type: flow.Name, Kind: "tag", About: "The tag is taken away."},
		{Name: "from", Label: "It was before", Type: flow.Words, About: "Only if it was this before."},
		{Name: "to", Label: "It is now", Type: flow.Words, About: "Only if the field is this now."},
		{Name: "if", Label: "Only if", Type: flow.Condition, About: "Only if this holds."},
	},
	Event: func(*flow.Checking, *flow.Trigger) map[string]flow.Given {
		return map[string]flow.Given{"what": {Kind: flow.AText, Always: true}, "from": {Kind: flow.AText, Always: true}, "to": {Kind: flow.AText, Always: true}}
	},
	Check: func(c *flow.Checking, t *flow.Trigger) {
		if n := changes(t); n != 1 {
			c.Wrong(t.At, "say what happens to the contact, one of: created, field, stage, tag, untag")
		}
	},
	Plain: func(t *flow.Trigger) string {
		from, to := "", ""
		if t.Has("from") {
			from = " from " + flow.Quote(t.Raw("from"))
		}
		if t.Has("to") {
			to = " to " + flow.Quote(t.Raw("to"))
		}
		switch {
		case t.Has("field"):
			return "the field " + t.Raw("field") + " of a contact changes" + from + to
		case t.Has("stage"):
			return "a contact comes to stand at " + t.Raw("stage") + from
		case t.Has("tag"):
			return "a contact is tagged " + t.Raw("tag")
		case t.Has("untag"):
			return "the tag " + t.Raw("untag") + " is taken away from a contact"
		}
		return "a contact is new"
	},
	FiredBy: func(t *flow.Trigger, s *flow.Step) bool {
		switch s.Kind.Name {
		case "set":
			if s.Has("stage") && s.Raw("stage") == t.Raw("stage") {
				return true
			}
			if t.Has("field") && s.Has("values") {
				for _, cell := range s.Args["values"].Cells {
					if cell.Key == "contact."+t.Raw("field") && !t.Has("to") {
						return true
					}
				}
			}
		case "tag", "untag":
			if s.Raw("on") == "conversation" {
				return false
			}
		}
		switch s.Kind.Name {
		case "tag":
			return t.Has("tag") && s.Raw("tag") == t.Raw("tag")
		case "untag":
			return t.Has("untag") && s.Raw("tag") == t.Raw("untag")
		}
		return false
	},
	Sample: func(t *flow.Trigger, _ time.Time) map[string]any {
		v := map[string]any{"what": "created", "from": t.Raw("from"), "to": t.Raw("to")}
		switch {
		case t.Has("field"):
			v["what"] = "field " + t.Raw("field")
		case t.Has("stage"):
			v["what"], v["to"] = "stage", t.Raw("stage")
		case t.Has("tag"):
			v["what"], v["to"] = "tag", t.Raw("tag")
		case t.Has("untag"):
			v["what"], v["from"] = "untag", t.Raw("untag")
		}
		return v
	},
	Fits: func(m *flow.Matching, t *flow.Trigger) (bool, string) {
		what, from, to := text(m.Values["what"]), text(m.Values["from"]), text(m.Values["to"])
		for name, want := range map[string]string{"field": "field " + t.Raw("field"), "stage": "stage", "tag": "tag", "untag": "untag", "created": "created"} {
			if t.Has(name) && what != want {
				return false, "something else about the contact changed"
			}
		}
		switch {
		case t.Has("stage") && to != t.Raw("stage"), t.Has("tag") && to != t.Raw("tag"), t.Has("untag") && from != t.Raw("untag"), t.Has("to") && to != t.Raw("to"):
			return false, fmt.Sprintf("it is %q now", to)
		case t.Has("from") && from != t.Raw("from"):
			return false, fmt.Sprintf("it was %q before", from)
		}
		return condition(m, t)
	},
}

func changes(t *flow.Trigger) (n int) {
	for _, name := range []string{"created", "field", "stage", "tag", "untag"} {
		if t.Has(name) {
			n++
		}
	}
	return n
}
