// Package learn makes house answers of what people replied: the question in
// general words, the answer without what belongs to one customer.
package learn

import (
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/text"
)

// A Customer is what is known of whom a reply was written to.
type Customer struct {
	Fields contact.Fields
	Memory contact.Memory
	Region string // ISO 3166, for telephone numbers
	Said   string // what they wrote in the conversation
}

// names returns what the customer is called: the whole name, and the first.
func (c Customer) names() (names []string) {
	if name := c.Fields.Person(c.Memory); name != "" {
		names = append(names, name, strings.Fields(name)[0])
	}
	return names
}

var (
	hello   = regexp.MustCompile(`(?i)^(?:hi+|hello|hey|hiya|dear|good (?:morning|afternoon|evening|day))\b[^.!?\n]{0,60}?[,!.\n]+\s*`)
	goodbye = regexp.MustCompile(`(?i)^(?:(?:with )?(?:kind|best|warm|many)?\s*(?:regards|wishes)|yours(?: sincerely| faithfully)?|sincerely|cheers|see you(?: soon| then| there)?|have a (?:nice|good|lovely) \w+|thank(?:s| you)(?: (?:so|very) much| again)?(?: for .{1,60})?|all the best|take care|bye)\b[^.!?]{0,60}[.!,]*$`)
	polite  = regexp.MustCompile(`(?i)^(?:(?:i(?:'| a)m )?(?:so |very )?sorry[^.!?]{0,80}[.!]|no (?:problem|worries)[.!]|good question[.!]|of course[.!]|you(?:'|’)re welcome[.!]|thank(?:s| you)[^.!?]{0,80}[.!]|(?:i (?:have )?(?:just )?(?:asked|checked|looked)[^.!?]{0,80})[.!])$`)
	number  = regexp.MustCompile(`(?i)\b(?:booking|order|ticket|reference|invoice|case|customer|account)(?: (?:number|no\.?|reference|ref\.?))?[ :#]*(?:[a-z]{0,4}-?\d[\d-]{3,}|[a-z]+\d+)\b`)
	answers = regexp.MustCompile(`(?i)^(?:(?:and|but|also|so|well|hi|hello|hey|please|sorry|quick question|one more (?:thing|question)|can you tell me|could you tell me|do you know|i(?:'d| would) like to know|i(?:'m| am) wondering|i was wondering|tell me|just)(?: if| whether)?[\s,:.!-]+)+`)
)

// Question puts a customer's question into general words: without greetings,
// names and numbers. It returns "" if nothing is left.
func Question(asked string, c Customer) string {
	var parts []string
	for _, part := range answer.Split(c.anonymous(asked)) {
		if part.Kind != answer.Question && part.Kind != answer.Statement {
			continue
		}
		s := answers.ReplaceAllString(text.Squeeze(part.Text), "")
		s = strings.TrimSpace(without(s, c))
		if s == "" || c.isAbout(part.Text) {
			continue
		}
		parts = append(parts, s)
	}
	question := strings.TrimRight(strings.Join(parts, " "), " .!?,;:")
	if question == "" {
		return ""
	}
	return capital(question) + "?"
}

// Answer takes out of a person's reply what holds for everyone: greetings and
// partings go, and sentences that speak of this customer. It returns "" if
// nothing is left.
func Answer(reply string, c Customer) string {
	var kept []string
	var paragraphs []string
	flush := func() {
		if len(kept) > 0 {
			paragraphs = append(paragraphs, strings.Join(kept, " "))
		}
		kept = nil
	}
	reply = strings.ReplaceAll(reply, "\r\n", "\n")
	for _, paragraph := range strings.Split(reply, "\n") {
		paragraph = hello.ReplaceAllString(strings.TrimSpace(paragraph), "")
		for _, span := range text.Sentences(paragraph) {
			s := strings.TrimSpace(paragraph[span.Start:span.End])
			s = strings.TrimSpace(without(s, c))
			if s == "" || goodbye.MatchString(s) || polite.MatchString(s) || c.isAbout(s) || len(text.Words(s)) == 1 && len(kept) == 0 && len(paragraphs) > 0 {
				continue
			}
			kept = append(kept, capital(s))
		}
		flush()
	}
	return Worded(strings.Join(paragraphs, "\n"))
}

// without takes a customer's name out of a sentence where it only addresses them.
func without(s string, c Customer) string {
	for _, name := range c.names() {
		quoted := regexp.QuoteMeta(name)
		s = regexp.MustCompile(`(?i)^`+quoted+`\s*[,:!]\s*`).ReplaceAllString(s, "")
		s = regexp.MustCompile(`(?i)\s*,\s*`+quoted+`\s*([.!?,]|$)`).ReplaceAllString(s, "$1")
	}
	return s
}

var (
	addresses = regexp.MustCompile(`(?i)[a-z0-9._%+-]+@[a-z0-9.-]+\.[a-z]{2,}[.,;]?`)
	leftover  = regexp.MustCompile(`^[\s,.;:!-]+`)
)

// anonymous takes out of what a customer wrote how they are called and reached.
func (c Customer) anonymous(s string) string {
	s = addresses.ReplaceAllString(s, " ")
	for _, name := range c.names() {
		s = regexp.MustCompile(`(?i)\b(?:i['’]?m|i am|my name is|this is|name:?)\s+`+regexp.QuoteMeta(name)+`\b`).ReplaceAllString(s, " ")
	}
	return leftover.ReplaceAllString(s, "")
}

// isAbout reports whether a sentence holds what belongs to the customer: a name,
// an address, a number of theirs.
func (c Customer) isAbout(s string) bool {
	low := strings.ToLower(s)
	phone := text.Phone(s, c.Region)
	values := c.names()
	for _, f := range c.Fields {
		value := c.Memory[f.Name].Value
		if f.Type == contact.Phone {
			if value != "" && value == phone {
				return true
			}
			continue
		}
		values = append(values, value)
	}
	for _, value := range values {
		if utf8.RuneCountInString(value) > 2 && holdsWord(low, strings.ToLower(value)) {
			return true
		}
	}
	if email := text.Email(s); email != "" && strings.Contains(strings.ToLower(c.Said), email) {
		return true
	}
	if phone != "" && phone == text.Phone(c.Said, c.Region) {
		return true
	}
	return number.MatchString(s)
}

// holdsWord reports whether a text holds a phrase between ends of words.
func holdsWord(s, phrase string) bool {
	at := strings.Index(s, phrase)
	if at < 0 {
		return false
	}
	before, _ := utf8.DecodeLastRuneInString(s[:at])
	after, _ := utf8.DecodeRuneInString(s[at+len(phrase):])
	return !unicode.IsLetter(before) && !unicode.IsLetter(after)
}

// Worded makes a sentence of a bare fact ("no boats on the 25th"): it begins with
// a capital and ends with a full stop.
func Worded(fact string) string {
	lines := strings.Split(strings.TrimSpace(fact), "\n")
	lines = slices.DeleteFunc(lines, func(l string) bool { return strings.TrimSpace(l) == "" })
	for i, line := range lines {
		line = capital(text.Squeeze(line))
		if last, _ := utf8.DecodeLastRuneInString(line); unicode.IsLetter(last) || unicode.IsDigit(last) || strings.ContainsRune(")%£€$", last) {
			line += "."
		}
		lines[i] = line
	}
	return strings.Join(lines, "\n")
}

func capital(s string) string {
	first, size := utf8.DecodeRuneInString(s)
	return string(unicode.ToUpper(first)) + s[size:]
}

// A Relation says how two answers to the same question stand to each other.
type Relation string

// The relations.
const (
	Same      Relation = "same"
	Completes Relation = "completes" // each says something that the other does not, and nothing against it
	Differs   Relation = "differs"   // they name different facts, or one denies what the other says
)

var (
	values = regexp.MustCompile(`[£$€]?\d+(?:[.,:]\d+)*`)
	denial = regexp.MustCompile(`(?i)\b(?:no|not|never|none|cannot|can't|don't|doesn't|isn't|aren't|won't|without|only)\b`)
)

// Compare tells how two answers to the same question stand to each other. It errs
// on the side of showing a difference to a person.
func Compare(a, b string) Relation {
	if strings.EqualFold(text.Squeeze(a), text.Squeeze(b)) {
		return Same
	}
	those, these := values.FindAllString(a, -1), values.FindAllString(b, -1)
	if len(those) > 0 && len(these) > 0 && !slices.ContainsFunc(those, func(v string) bool { return slices.Contains(these, v) }) {
		return Differs
	}
	first := func(s string) string { return s[:firstEnd(s)] }
	if denial.MatchString(first(a)) != denial.MatchString(first(b)) {
		return Differs
	}
	return Completes
}

func firstEnd(s string) int {
	spans := text.Sentences(s)
	if len(spans) == 0 {
		return 0
	}
	return spans[0].End
}

// Join puts two answers that complete each other together: the sentences of the
// second that the first does not say already follow it.
func Join(a, b string) string {
	joined := strings.TrimSpace(a)
	for _, span := range text.Sentences(b) {
		s := strings.TrimSpace(b[span.Start:span.End])
		if !strings.Contains(strings.ToLower(joined), strings.ToLower(strings.TrimRight(s, ".!"))) {
			joined += " " + s
		}
	}
	return joined
}
