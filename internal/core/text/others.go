package text

import (
	"regexp"
	"strings"
)

// people are those whom a writer may speak of.
const people = `(?:wife|husband|partner|fianc[eé]e?|friend|mate|brother|sister|son|daughter|child|kid|mother|mum|mom|mam|father|dad|parents?|gran|grand(?:ma|pa|mother|father|son|daughter|dad)|nan|aunt(?:ie)?|uncle|cousin|niece|nephew|in-law|boss|manager|colleague|co-?worker|assistant|secretary|neighbou?r|flatmate|room-?mate|boyfriend|girlfriend|carer|guest|tenant|landlord|client|customer|driver|teacher|doctor|lawyer|accountant|agent|ex)s?`

var (
	// otherMark is what says that a detail after it belongs to somebody else.
	otherMark = regexp.MustCompile(`(?i)\b(?:his|hers?|him|theirs?|them)\b|\b(?:my|our|a|the|another|this) (?:[\p{L}\-]+ ){0,2}` + people + `\b|\p{L}['’]s? (?:[\p{L}\-]+ )?(?:e-?mail|mail|address|number|phone|mobile|telephone|cell|contact)\b|\b(?:wrote|written|spoke|talked|complained|mailed|e-?mailed|called|rang|phoned|texted|messaged|contacted|heard|mail|e-?mail|message|call|letter|text|reply|answer) (?:to|from)\b|\b(?:mailed|e-?mailed|rang|phoned|texted|contacted|called|from)\W*$`)
	// ownMark is what says that it is the writer's.
	ownMark = regexp.MustCompile(`(?i)\b(?:my|our) (?:[\p{L}\-]+ ){0,2}(?:e-?mail|mail|address|number|phone|mobile|telephone|cell|contact details|contact)\b|\b(?:me|mine|us|myself)\b|\bi['’]?m\b|\bi am\b|\b(?:writing|mailing|e-?mailing|sending|sent|texting|calling|phoning|ringing|messaging|booked|ordered|paid|registered)(?: [\p{L}]+){0,3} (?:from|with|under|as)\W*$`)
	// ofOther is what says so behind it.
	ofOther = regexp.MustCompile(`(?i)^[^\p{L}\n]{0,4}(?:(?:is|was|belongs to|for) )?(?:his|hers|theirs|(?:my|our) (?:[\p{L}\-]+ )?` + people + `(?:['’]s?)?|\p{Lu}[\p{L}\-]*['’]s)\b`)
)

// WithoutOthers blanks the mail addresses and telephone numbers in a text that
// belong, by what the text says of them, to somebody else than its writer: "tell my
// wife, her address is ...".
func WithoutOthers(s string) string {
	found := append(emailPattern.FindAllStringIndex(s, mostDetails), phonePattern.FindAllStringIndex(s, mostDetails)...)
	if len(found) == 0 {
		return s
	}
	blanked := []byte(s)
	for _, at := range found {
		if ofSomebodyElse(s, at[0], at[1]) {
			copy(blanked[at[0]:at[1]], strings.Repeat(" ", at[1]-at[0]))
		}
	}
	return string(blanked)
}

// mostDetails is how many details of one text are looked at.
const mostDetails = 16

// Where a mark may stand, in bytes before a detail.
const nearby = 160

func ofSomebodyElse(s string, from, to int) bool {
	before := s[max(0, from-nearby):from]
	if i := lastSentenceEnd(before); i >= 0 {
		before = before[i:]
	}
	after := s[to:min(len(s), to+nearby)]
	return lastEnd(otherMark, before) > lastEnd(ownMark, before) || ofOther.MatchString(after)
}

// lastSentenceEnd returns where the last sentence of a text begins, -1 if there is
// one only.
func lastSentenceEnd(s string) int {
	for i := len(s) - 2; i >= 0; i-- {
		if s[i] == '\n' || strings.IndexByte(".!?", s[i]) >= 0 && isSpace(s[i+1]) {
			return i + 1
		}
	}
	return -1
}

// lastEnd returns where the last match ends, -1 if there is none.
func lastEnd(pattern *regexp.Regexp, s string) int {
	all := pattern.FindAllStringIndex(s, -1)
	if len(all) == 0 {
		return -1
	}
	return all[len(all)-1][1]
}

// possessive ends what stands before somebody else's name: "her name is".
var possessive = regexp.MustCompile(`(?i)(?:['’]s|s['’]|\b(?:his|her|their|its|your|whose))\s+(?:\p{L}+\s+)?$`)
