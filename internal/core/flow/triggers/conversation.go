package triggers

import (
	"time"

	"urgentparrot.example/internal/core/flow"
)

var conversation = &flow.TriggerKind{
	Name: Conversation, Talks: true,
	About:   "A conversation is handed to people, is closed, or nobody has written in it for a while.",
	Example: "- conversation: { idle: 2h }",
	Fields: []flow.Field{
		{Name: "becomes", Label: "It becomes", Type: flow.Choice, Choices: []string{"escalated", "closed"}, About: "It is handed to people, or closed."},
		{Name: "idle", Label: "The customer has been silent for", Type: flow.Duration, Within: 90 * 24 * time.Hour, About: "The customer has not written for so long, and a bot leads."},
		{Name: "channel", Label: "Channel", Type: flow.Name, Kind: "channel", About: "On this channel only."},
		{Name: "if", Label: "Only if", Type: flow.Condition, About: "Only if this holds."},
	},
	Event: func(*flow.Checking, *flow.Trigger) map[string]flow.Given {
		return map[string]flow.Given{"reason": {Kind: flow.AText, Always: true}, "channel": {Kind: flow.AText, Always: true}}
	},
	Check: func(c *flow.Checking, t *flow.Trigger) {
		if t.Has("becomes") == t.Has("idle") {
			c.Wrong(t.At, "say what happens to the conversation: becomes (escalated, closed), or idle (for how long)")
		}
		if t.Has("idle") && t.Duration("idle", 0) < time.Minute {
			c.Wrong(t.Args["idle"].At, "a conversation is idle after a minute at the earliest")
		}
	},
	FiredBy: func(t *flow.Trigger, s *flow.Step) bool {
		return s.Kind.Name == "close" && t.Raw("becomes") == "closed" || s.Kind.Name == "escalate" && t.Raw("becomes") == "escalated"
	},
	Plain: func(t *flow.Trigger) string {
		plain := "a conversation is handed to people"
		switch {
		case t.Has("idle"):
			plain = "the customer has not written for " + flow.Spoken(t.Duration("idle", 0))
		case t.Raw("becomes") == "closed":
			plain = "a conversation is closed"
		}
		if t.Has("channel") {
			plain += " on " + t.Raw("channel")
		}
		if t.Has("if") {
			plain += ", and " + flow.InWords(t.Raw("if"))
		}
		return plain
	},
	Sample: func(t *flow.Trigger, _ time.Time) map[string]any {
		v := map[string]any{"what": t.Raw("becomes"), "reason": "", "channel": t.Raw("channel")}
		if t.Has("idle") {
			v["what"], v["idle"] = "idle", t.Duration("idle", 0).String()
		}
		return v
	},
	Fits: func(m *flow.Matching, t *flow.Trigger) (bool, string) {
		what := text(m.Values["what"])
		if t.Has("idle") != (what == "idle") || t.Has("becomes") && what != t.Raw("becomes") {
			return false, "the conversation became something else"
		}
		if t.Has("idle") && text(m.Values["idle"]) != t.Duration("idle", 0).String() {
			return false, "it is not idle for so long"
		}
		if t.Has("channel") && t.Raw("channel") != text(m.Values["channel"]) {
			return false, "it is on another channel"
		}
		return condition(m, t)
	},
}
