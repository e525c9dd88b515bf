package bot

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/workspace"
)

// Voice is how a bot speaks.
type Voice struct {
	Tone    string            `yaml:"tone"`    // in a few words: warm and plain
	Length  string            `yaml:"length"`  // short, normal, full
	Address string            `yaml:"address"` // first name, formal
	Call    map[string]string `yaml:"call"`    // what things are called, by what they are not to be called: boat: ferry
}

// An Exchange is an example of what a customer writes and what the bot replies.
type Exchange struct {
	Customer string `yaml:"customer"`
	Bot      string `yaml:"bot"`
}

// Limits bound what a bot does.
type Limits struct {
	Length int `yaml:"length"` // letters of a reply; 0: as many as the channel takes
	Turns  int `yaml:"turns"`  // replies in one conversation, after which a person is asked; 0: no bound
}

// When a bot says that it is an automated assistant, beside when it is asked.
const (
	InFirstReply = "first reply"
	WhenAsked    = "when asked"
)

// Lengths of replies, in letters; others are bound by the channel alone.
const shortReply = 320

// The forms of address.
const (
	byFirstName = "first name"
	formally    = "formal"
)

// Letters is how long a reply may be, where a channel takes so many (0: no bound).
func (b Brief) Letters(channel int) int {
	limit := channel
	for _, most := range []int{b.Limits.Length, map[bool]int{true: shortReply}[b.Voice.Length == "short"]} {
		if most > 0 && (limit == 0 || most < limit) {
			limit = most
		}
	}
	return limit
}

// SaysAssistant reports whether the first reply says that it comes from an automated
// assistant.
func (b Brief) SaysAssistant() bool { return b.Assistant != WhenAsked }

// Formal reports whether customers are not called by their first name.
func (b Brief) Formal() bool { return b.Voice.Address == formally }

// MayRemember reports whether the bot may keep what customers say for a field.
func (b Brief) MayRemember(field string) bool {
	return len(b.Remembers) == 0 || slices.Contains(b.Remembers, field)
}

// Called puts what things are to be called in place of what they are not, in the bot's own
// words.
func (b Brief) Called(s string) string {
	for _, other := range slices.Sorted(maps.Keys(b.Voice.Call)) {
		words := text.Words(s)
		for i := len(words) - 1; i >= 0; i-- {
			if w := words[i]; w.Folded == text.Fold(other) {
				s = s[:w.Start] + b.Voice.Call[other] + s[w.End:]
			}
		}
	}
	return s
}

// Manner is how a bot is to work and speak, in plain sentences, for a model: what it does
// first, what it must keep to last.
func (b Brief) Manner() (lines []string) {
	add := func(format string, args ...any) { lines = append(lines, fmt.Sprintf(format, args...)) }
	for _, duty := range b.Duties {
		add("You %s.", strings.TrimRight(strings.TrimSpace(duty), "."))
	}
	if len(b.Order) > 0 {
		add("The order of the talk: %s.", strings.Join(b.Order, "; then "))
	}
	if b.Voice.Tone != "" {
		add("Your tone: %s.", strings.TrimRight(b.Voice.Tone, "."))
	}
	switch b.Voice.Length {
	case "short":
		add("Reply in one or two short sentences.")
	case "full":
		add("Reply with all that is of use.")
	}
	if b.Formal() {
		add("Address customers formally, not by their first name.")
	}
	for _, other := range slices.Sorted(maps.Keys(b.Voice.Call)) {
		add("Say %q, not %q.", b.Voice.Call[other], other)
	}
	for _, e := range b.Examples {
		add("An example of how you speak, not of what is true. Customer: %q You: %q", e.Customer, e.Bot)
	}
	for _, rule := range b.Rules {
		add("You must keep to this: %s.", strings.TrimRight(strings.TrimSpace(rule), "."))
	}
	return lines
}

// checkManner checks how a bot speaks, and what bounds it.
func (b Brief) checkManner(c *document.Checker) {
	oneOf := func(path, value string, values ...string) {
		if value != "" && !slices.Contains(values, value) {
			c.Wrong(path, "%q is not known here; it is %s", value, strings.Join(values, " or "))
		}
	}
	oneOf("$.voice.length", b.Voice.Length, "short", "normal", "full")
	oneOf("$.voice.address", b.Voice.Address, byFirstName, formally)
	oneOf("$.mode", b.Mode, workspace.Hold, workspace.Draft, workspace.Off)
	oneOf("$.assistant", b.Assistant, InFirstReply, WhenAsked)
	for i, e := range b.Examples {
		if e.Customer == "" || e.Bot == "" {
			c.Wrong(fmt.Sprintf("$.examples[%d]", i), "an example needs what the customer writes and what the bot replies")
		}
	}
	const fewest = 80 // letters, in which an answer can be said
	if b.Limits.Length != 0 && b.Limits.Length < fewest {
		c.Wrong("$.limits.length", "a reply needs at least %d letters", fewest)
	}
	if b.Limits.Turns < 0 {
		c.Wrong("$.limits.turns", "how often it replies is 0, for no bound, or more")
	}
}

func (b Brief) remembersRefers() (refers []document.Reference) {
	for i, field := range b.Remembers {
		refers = append(refers, workspace.FieldKnown(fmt.Sprintf("$.remembers[%d]", i), field))
	}
	return refers
}
