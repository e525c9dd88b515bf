package steps

import (
	"strings"

	"urgentparrot.example/internal/core/flow"
)

var assign = &flow.StepKind{
	Name: "assign", Group: do, Main: "to",
	About:   "Gives the conversation to a bot.",
	Example: "- assign: bot/front-desk",
	Fields:  []flow.Field{{Name: "to", Label: "To", Type: flow.Name, Kind: "people", Required: true, About: "bot/NAME."}},
	Check: func(c *flow.Checking, s *flow.Step) {
		if !strings.HasPrefix(s.Raw("to"), "bot/") {
			c.Wrong(s.Args["to"].At, "people get a conversation by escalate; assign takes bot/NAME")
		}
	},
	Plain: func(s *flow.Step) string {
		return "Give the conversation to the bot " + strings.TrimPrefix(s.Raw("to"), "bot/") + "."
	},
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		r.Emit(flow.Assign{Bot: strings.TrimPrefix(s.Raw("to"), "bot/")})
		r.Did("gave the conversation to %s", s.Raw("to"))
		return flow.Next()
	},
}
