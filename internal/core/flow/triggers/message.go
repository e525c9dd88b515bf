package triggers

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/flow"
)

var message = &flow.TriggerKind{
	Name: Message, Talks: true,
	About:   "A customer writes.",
	Example: "- message: { channel: website, contains: [group, school class] }",
	Fields: []flow.Field{
		{Name: "channel", Label: "Channel", Type: flow.Name, Kind: "channel", About: "On this channel only."},
		{Name: "contains", Label: "It contains", Type: flow.Texts, About: "Any of these words or phrases, as whole words; van and vans are the same."},
		{Name: "exactly", Label: "It is exactly", Type: flow.Texts, About: "The whole message is one of these."},
		{Name: "about", Label: "It is about", Type: flow.Texts, About: "What it is about, in a few example sentences as customers write them."},
		{Name: "first", Label: "Only the first of a conversation", Type: flow.Flag, About: "Only the first message of a conversation."},
		{Name: "if", Label: "Only if", Type: flow.Condition, About: "Only if this holds."},
	},
	Event: func(*flow.Checking, *flow.Trigger) map[string]flow.Given {
		return map[string]flow.Given{"text": {Kind: flow.AText, Always: true}, "channel": {Kind: flow.AText, Always: true}, "first": {Kind: flow.AFlag, Always: true}}
	},
	Check: func(c *flow.Checking, t *flow.Trigger) {
		if !t.Has("contains") && !t.Has("exactly") && !t.Has("about") && !t.Has("if") && !t.Flag("first") {
			c.Doubt(t.At, "every message starts the flow, so that no bot answers by itself any more; say which: contains, exactly, about, first or if")
		}
		for _, name := range []string{"contains", "exactly"} {
			for _, words := range t.Strings(name) {
				if strings.TrimSpace(words) == "" {
					c.Wrong(t.Args[name].At, "%q holds an empty text", name)
				}
			}
		}
	},
	Plain: func(t *flow.Trigger) string {
		plain := "a customer writes"
		if t.Flag("first") {
			plain = "a customer writes for the first time in a conversation"
		}
		if t.Has("channel") {
			plain += " on " + t.Raw("channel")
		}
		var which []string
		if list := t.Strings("contains"); len(list) > 0 {
			which = append(which, "something with "+flow.Or(quoted(list)))
		}
		if list := t.Strings("exactly"); len(list) > 0 {
			which = append(which, "just "+flow.Or(quoted(list)))
		}
		if list := t.Strings("about"); len(list) > 0 {
			which = append(which, "something like "+flow.Or(quoted(list)))
		}
		if len(which) > 0 {
			plain += ": " + strings.Join(which, ", ")
		}
		if t.Has("if") {
			plain += ", and " + flow.InWords(t.Raw("if"))
		}
		return plain
	},
	Overlaps: func(a, b *flow.Trigger) string {
		if a.Has("channel") && b.Has("channel") && a.Raw("channel") != b.Raw("channel") || a.Has("if") || b.Has("if") {
			return ""
		}
		for _, name := range []string{"contains", "exactly"} {
			for _, words := range a.Strings(name) {
				for _, others := range b.Strings(name) {
					if strings.EqualFold(words, others) {
						return fmt.Sprintf("%q", words)
					}
				}
			}
		}
		return ""
	},
	Sample: func(t *flow.Trigger, _ time.Time) map[string]any {
		for _, name := range []string{"exactly", "contains", "about"} {
			if list := t.Strings(name); len(list) > 0 {
				return map[string]any{"text": list[0], "first": true}
			}
		}
		return map[string]any{"text": "Hello", "first": true}
	},
	Fits: func(m *flow.Matching, t *flow.Trigger) (bool, string) {
		said := text(m.Values["text"])
		if t.Has("channel") && t.Raw("channel") != text(m.Values["channel"]) {
			return false, "it came on another channel"
		}
		if first, _ := m.Values["first"].(bool); t.Flag("first") && !first {
			return false, "it is not the first message of the conversation"
		}
		if list := t.Strings("exactly"); len(list) > 0 && !slices.ContainsFunc(list, func(s string) bool { return flow.Same(said, s) }) {
			return false, "it is none of the messages under exactly"
		}
		if list := t.Strings("contains"); len(list) > 0 {
			if _, ok := flow.Contains(said, list); !ok {
				return false, "it holds none of the words under contains"
			}
		}
		if list := t.Strings("about"); len(list) > 0 {
			const like = 0.62 // as the built-in thinker's for labels
			if m.Like == nil || m.Like(said, list) < like {
				return false, "it is not like the examples under about"
			}
		}
		return condition(m, t)
	},
}

func quoted(list []string) []string {
	out := make([]string, len(list))
	for i, s := range list {
		out[i] = flow.Quote(s)
	}
	return out
}

// condition looks at the condition of a trigger, if it has one.
func condition(m *flow.Matching, t *flow.Trigger) (bool, string) {
	if !t.Has("if") {
		return true, ""
	}
	holds, words, err := m.Weighs(t.Args["if"])
	switch {
	case err != nil:
		return false, "its condition could not be looked at: " + err.Error()
	case !holds:
		return false, "it is not so that " + words
	}
	return true, ""
}
