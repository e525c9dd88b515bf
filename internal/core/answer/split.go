// Package answer finds the reply to a question in the knowledge, or says that
// there is none. It also knows what a message asks, and small talk.
package answer

import (
	"regexp"
	"slices"
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
	Statement Kind = "statement"     // nothing that asks in form: "ok", "I'm Ada", "I lost my hat"
	Told      Kind = "told"          // a statement that only goes with another
)

// A Part is one thing that a message says or asks.
type Part struct {
	Text   string `json:"text"`
	Kind   Kind   `json:"kind"`
	Around string `json:"-"` // the message around it, as far as it may belong to it; "" for nothing more
}

// Whole returns a message as one part, whose question is the last thing it asks, if it
// asks anything in form.
func Whole(message string) Part {
	parts := Split(message)
	whole := Part{Text: message, Kind: Question}
	for _, p := range parts {
		if p.Kind == Question {
			whole = p
		}
	}
	return whole
}

var (
	greeting = regexp.MustCompile(`(?i)^(?:hi+|hello+|hey+|hiya|good (?:morning|afternoon|evening|day)|morning|evening|dear (?:sir|madam|all|team)|greetings)(?: (?:there|all|again|team|everyone))?[\s,.!:)-]*`)
	thanked  = `(?:many thanks|thanks?(?: you| u)?|thx|cheers|ta)\b(?:[\s,]*(?:so much|very much|a lot|again|in advance|for .{1,60}|you))*`
	praised  = `(?:(?:you(?:(?:'|’)?ve| have)? (?:been|were|are)|you(?:'|’)?re|that(?:(?:'|’)?s| is| was| has been)|this (?:is|was)|it(?:'|’)?s been) (?:(?:a|an|the|so|very|really|such|most|all|just|exactly|of) )*(?:(?:great|big|huge|real|good|kind|much) )?(?:help|helpful|kind|great|star|best|brilliant|wonderful|lovely|perfect|amazing|awesome|excellent|clear|useful|what i (?:needed|wanted)(?: to know)?|all i (?:needed|wanted)(?: to know)?|good to know)|great help|very helpful|(?:much |i (?:really )?)appreciated?(?: it| that| your help)?|(?:good|nice) to know|awesome|amazing|excellent|brilliant|wonderful)\b`
	thanks   = regexp.MustCompile(`(?i)^(?:(?:ok(?:ay)?|great|perfect|lovely|brilliant|cheers|super|good|wonderful|oh|ah)[\s,.!]+)*(?:` + thanked + `|` + praised + `)(?:[\s,.!-]+(?:and )?(?:` + thanked + `|` + praised + `))*[\s.!:)]*$`)
	farewell = regexp.MustCompile(`(?i)^(?:(?:ok(?:ay)?|great|perfect|lovely|(?:many )?thanks?(?: you)?(?: (?:so|very) much)?|thx|cheers)[\s,.!]+)*(?:(?:good ?)?bye(?: bye)?|see you(?: later| soon)?|have a (?:nice|good|lovely) (?:day|evening|weekend|one)|that(?:'|’)?s all|that is all|no,? that(?:'|’)?s (?:all|it)|nothing else)[\s.!:)]*(?:thanks?(?: you)?|bye|for now)?[\s.!:)]*$`)
	aboutBot = regexp.MustCompile(`(?i)\b(?:are|r) (?:you|u) (?:even |actually |really |just |only )?(?:a |an )?(?:real )?(?:bot|robot|human|person|machine|computer|ai|real)\b|\b(?:is this|am i (?:talking|speaking|chatting) (?:to|with)) (?:a |an )?(?:real )?(?:bot|robot|human|person|machine|computer|ai)\b|\bwho (?:are you|am i (?:talking|speaking|chatting) (?:to|with))\b|\bhow are you\b|` + personal + `[\s?!.]*$`)
	// what one asks somebody of themselves
	personal = `^(?:and |so |but )?(?:are you (?:married|single|happy|sad|tired|hungry|bored|lonely|alive|conscious|sentient|in love|male|female|a (?:man|woman|girl|boy|he|she)|awake|clever|smart|stupid)|do you (?:ever )?(?:dream|sleep|love me|like me|have (?:feelings|a soul|a name|a body|a boyfriend|a girlfriend|a wife|a husband|kids|children|friends))|(?:what(?:'|’)?s|what is) your (?:own )?(?:name|favou?rite (?:colou?r|food|film|movie|song|animal))|what are you)`
	// what tells a program what to do, or asks what it was told
	toProgram  = regexp.MustCompile(`(?i)\b(?:ignore|forget|disregard|override|bypass)\s+(?:all\s+|any\s+)?(?:of\s+)?(?:your|all|any|previous|prior|earlier|these|those)\s+(?:previous\s+|prior\s+|earlier\s+|own\s+|system\s+)?(?:rules|instructions|prompts?|guidelines|restrictions)\b|\b(?:print|show|reveal|repeat|output|tell|give|leak)\s+(?:me\s+|us\s+)?(?:all\s+)?(?:of\s+)?your\s+(?:system\s+|secret\s+|hidden\s+|own\s+|initial\s+|full\s+)?(?:instructions|prompts?|secrets|api keys?)\b`)
	asks       = regexp.MustCompile(`(?i)^(?:(?:and|so|but|also|then|please|ok|okay|well|oh)[\s,]+)*(?:who|what|whats|what's|when|whens|where|wheres|which|why|how|hows|can|could|may|do|does|did|is|are|am|was|will|would|should|shall|has|have|any|need|must|im looking|i'm looking|i am looking|looking for|tell me|i need|i want|i would like|i'd like|id like|i wonder|im wondering|i was wondering|wondering|please tell|help)\b`)
	twoAsked   = regexp.MustCompile(`(?i)(?:,?\s+(?:and|also|plus)\s+(?:also\s+)?|;\s*)((?:(?:who|what|when|where|how)(?:['’]?s)?|which|why|can|could|may|do|does|is|are|will|would|should)\b)`)
	commaAsked = regexp.MustCompile(`(?i),\s+(?:(?:and|also|plus|or)\s+)?((?:(?:can|could|may|do|does|did|is|are|will|would|should|must) (?:i|we|you|they|the|there|my|our|it|he|she)|how (?:much|long|many|far|often|early|do|does)|where (?:do|does|is|are|can)|what (?:is|are|does|do|time|if)|until when|who (?:pays?|would|do))\b)`)
	onlyFiller = regexp.MustCompile(`(?i)^(?:please|pls|ok(?:ay)?|yes|no|yeah|yep|nope|sure|fine|great|good|perfect|right|well|and|also|so|one more (?:thing|question)|(?:i have )?(?:a|two|another|one|some) (?:quick )?questions?|quick question|sorry)[\s.,!:]*$`)
)

// Split takes a message apart into what it says and asks, in order. Two
// questions in one sentence ("how much is it and can I bring my dog?") become
// two parts.
func Split(message string) []Part {
	var parts []Part
	for _, span := range text.Typed(message) {
		s := bullet.ReplaceAllString(text.Squeeze(message[span.Start:span.End]), "")
		if rest := greeting.ReplaceAllString(s, ""); rest != s {
			parts = append(parts, Part{Text: strings.TrimSpace(s[:len(s)-len(rest)]), Kind: Greeting})
			s = rest
		}
		if s = strings.TrimSpace(s); s == "" {
			continue
		}
		for _, piece := range splitAsked(s) {
			kind := kindOf(piece)
			switch {
			case kind == Question && onlyFrames(piece) && forHelp.MatchString(piece):
				kind = Told // "can you help?" says no more than that something will be asked
			case kind == Thanks && slices.ContainsFunc(parts, func(p Part) bool { return p.Kind == Question }):
				kind = Told // thanks in advance want no answer of their own
			case kind == Statement && (onlyFrames(piece) || signs(piece, ended(parts))):
				kind = Told
			case kind == Statement || kind == Question:
				if rest := unframed(piece); rest != piece {
					piece, kind = rest, kindOf(rest)
				}
			}
			parts = append(parts, Part{Text: piece, Kind: kind})
		}
	}
	setAround(parts)
	return parts
}

// bullet is the sign before an item of a list.
var bullet = regexp.MustCompile(`^(?:[-*•–]|\d{1,2}[.)])\s+`)

// ended reports whether a letter has come to its end: with thanks, or what only goes with it.
func ended(parts []Part) bool {
	if len(parts) == 0 {
		return false
	}
	last := parts[len(parts)-1].Kind
	return last == Told || last == Thanks || last == Farewell
}

// shortFollowUp is how many words something that begins as a follow-up may have to be a
// question without its mark: "and for a child".
const shortFollowUp = 6

// aroundWords is how many words of the message around a question are looked at with it,
// about.
const aroundWords = 70

// setAround gives each part that may ask the statements around it, up to the questions
// before and after, the nearest ones if there are many.
func setAround(parts []Part) {
	for i := range parts {
		if kind := parts[i].Kind; kind != Question && kind != Statement {
			continue
		}
		first, last := i, i
		words := len(text.Words(parts[i].Text))
		for {
			grown := false
			for _, at := range []int{first - 1, last + 1} {
				if at < 0 || at == len(parts) || parts[at].Kind != Statement {
					continue
				}
				if n := len(text.Words(parts[at].Text)); words+n <= aroundWords {
					words += n
					first, last = min(first, at), max(last, at)
					grown = true
				}
			}
			if !grown {
				break
			}
		}
		var around []string
		for _, p := range parts[first : last+1] {
			around = append(around, p.Text)
		}
		if first < last {
			parts[i].Around = strings.Join(around, " ")
		}
	}
}

func kindOf(s string) Kind {
	switch {
	case thanks.MatchString(s):
		return Thanks
	case farewell.MatchString(s):
		return Farewell
	case aboutBot.MatchString(s), toProgram.MatchString(s):
		return AboutBot
	case onlyFiller.MatchString(s):
		return Statement
	case strings.HasSuffix(s, "?") || asks.MatchString(s) || followUp.MatchString(s) && len(text.Words(s)) <= shortFollowUp:
		return Question
	}
	return Statement
}

// splitAsked cuts where a second question begins, if both sides ask something.
func splitAsked(s string) []string {
	var pieces []string
	for {
		m := twoAsked.FindStringSubmatchIndex(s)
		if comma := commaAsked.FindStringSubmatchIndex(s); m == nil || comma != nil && comma[0] < m[0] {
			m = comma
		}
		if m == nil || !asks.MatchString(s[:m[0]]) || len(text.Words(s[:m[0]])) < 3 || len(text.Words(s[m[2]:])) < 3 {
			return append(pieces, s)
		}
		pieces = append(pieces, s[:m[0]]+"?")
		s = s[m[2]:]
	}
}
