package triggers

import "urgentparrot.example/internal/core/flow"

var webhook = &flow.TriggerKind{
	Name:    Webhook,
	About:   "Another system posts JSON to the flow's own address, signed, or with a token in the path.",
	Example: "- webhook:\n    body: { type: object, required: [email] }\n    contact: { email: body.email }",
	Fields: []flow.Field{
		{Name: "connection", Label: "Signed by", Type: flow.Name, Kind: "connection", About: "Whose secret signs the requests (Standard Webhooks); else the token in the path will do."},
		{Name: "body", Label: "The body must fit", Type: flow.JSON, About: "A JSON Schema that the body must fit."},
		{Name: "contact", Label: "Where the contact stands in the body", Type: flow.Cells, About: "Where the contact's fields stand in the body, by field: body.customer.mail."},
		{Name: "if", Label: "Only if", Type: flow.Condition, About: "Only if this holds."},
	},
	Event: func(*flow.Checking, *flow.Trigger) map[string]flow.Given {
		return map[string]flow.Given{"body": {Kind: flow.Any, Always: true}}
	},
	Check: func(c *flow.Checking, t *flow.Trigger) {
		if t.Has("contact") {
			for _, cell := range t.Args["contact"].Cells {
				if _, ok := c.Fields().Named(cell.Key); !ok {
					c.NoSuchField(cell.Arg, cell.Key)
				}
			}
		}
	},
	Plain: func(*flow.Trigger) string { return "another system posts to the flow's address" },
	Fits:  condition,
}
