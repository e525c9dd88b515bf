// Package answer finds the reply to a question in the knowledge, or says that
// there is none. It also knows what a message asks, and small talk.
package answer

import (
	"regexp"
	"strings"

	"urgentparrot.example/internal/core/text"
)

// Kind says what a part of a message is.
type Kind string

// The kinds of parts.
const (
	Question  Kind = "question"
	Greeting  Kind = "greeting"
	Thanks    Kind = "thanks"
	Farewell  Kind = "farewell"
	AboutBot  Kind = "about the bot" // "are you a robot?"
	Statement Kind = "statement"     // nothing that asks: "ok", "I'm Ada"
)

// A Part is one thing that a message says or asks.
type Part struct {
	Text string `json:"text"`
	Kind Kind   `json:"kind"`
}

var (
	greeting   = regexp.MustCompile(`(?i)^(?:hi+|hello+|hey+|hiya|good (?:morning|afternoon|evening|day)|morning|evening|dear (?:sir|madam|all|team)|greetings)(?: (?:there|all|again|team|everyone))?[\s,.!:)-]*`)
	thanks     = regexp.MustCompile(`(?i)^(?:(?:ok(?:ay)?|great|perfect|lovely|brilliant|cheers|super|good|wonderful)[\s,.!]+)*(?:many thanks|thanks?(?: you| u)?|thx|cheers|ta)\b(?:[\s,]*(?:so much|very much|a lot|again|in advance|for .{1,60}|you))*[\s.!:)]*$`)
	farewell   = regexp.MustCompile(`(?i)^(?:(?:ok(?:ay)?|great|perfect|lovely|(?:many )?thanks?(?: you)?|thx|cheers)[\s,.!]+)*(?:(?:good)?bye(?: bye)?|see you(?: later| soon)?|have a (?:nice|good|lovely) (?:day|evening|weekend|one)|that(?:'|’)?s all|that is all|no,? that(?:'|’)?s (?:all|it)|nothing else)[\s.!:)]*(?:thanks?(?: you)?|bye|for now)?[\s.!:)]*$`)
	aboutBot   = regexp.MustCompile(`(?i)\b(?:are|r) (?:you|u) (?:a |an )?(?:real )?(?:bot|robot|human|person|machine|computer|ai|real)\b|\b(?:is this|am i (?:talking|speaking|chatting) (?:to|with)) (?:a |an )?(?:real )?(?:bot|robot|human|person|machine|computer|ai)\b|\bwho (?:are you|am i (?:talking|speaking|chatting) (?:to|with))\b|\bhow are you\b`)
	asks       = regexp.MustCompile(`(?i)^(?:(?:and|so|but|also|then|please|ok|okay|well|oh)[\s,]+)*(?:who|what|whats|what's|when|whens|where|wheres|which|why|how|hows|can|could|may|do|does|did|is|are|am|was|will|would|should|shall|has|have|any|need|must|im looking|i'm looking|i am looking|looking for|tell me|i need|i want|i would like|i'd like|id like|i wonder|im wondering|i was wondering|wondering|please tell|help)\b`)
	twoAsked   = regexp.MustCompile(`(?i)(?:,?\s+(?:and|also|plus)\s+(?:also\s+)?|;\s*)((?:who|what|when|where|which|why|how|can|could|may|do|does|is|are|will|would|should)\b)`)
	onlyFiller = regexp.MustCompile(`(?i)^(?:please|pls|ok(?:ay)?|yes|no|yeah|yep|nope|sure|fine|great|good|perfect|right|well|and|also|so|one more (?:thing|question)|(?:i have )?(?:a|two|another|one|some) (?:quick )?questions?|quick question|sorry)[\s.,!:]*$`)
)

// Split takes a message apart into what it says and asks, in order. Two
// questions in one sentence ("how much is it and can I bring my dog?") become
// two parts.
func Split(message string) []Part {
	var parts []Part
	for _, span := range text.Typed(message) {
		s := text.Squeeze(message[span.Start:span.End])
		if rest := greeting.ReplaceAllString(s, ""); rest != s {
			parts = append(parts, Part{strings.TrimSpace(s[:len(s)-len(rest)]), Greeting})
			s = rest
		}
		if s = strings.TrimSpace(s); s == "" {
			continue
		}
		for _, piece := range splitAsked(s) {
			parts = append(parts, Part{piece, kindOf(piece)})
		}
	}
	return parts
}

func kindOf(s string) Kind {
	switch {
	case thanks.MatchString(s):
		return Thanks
	case farewell.MatchString(s):
		return Farewell
	case aboutBot.MatchString(s):
		return AboutBot
	case onlyFiller.MatchString(s):
		return Statement
	case strings.HasSuffix(s, "?") || asks.MatchString(s):
		return Question
	}
	return Statement
}

// splitAsked cuts where a second question begins, if both sides ask something.
func splitAsked(s string) []string {
	var pieces []string
	for {
		m := twoAsked.FindStringSubmatchIndex(s)
		if m == nil || !asks.MatchString(s[:m[0]]) || len(text.Words(s[:m[0]])) < 3 || len(text.Words(s[m[2]:])) < 3 {
			return append(pieces, s)
		}
		pieces = append(pieces, s[:m[0]]+"?")
		s = s[m[2]:]
	}
}
