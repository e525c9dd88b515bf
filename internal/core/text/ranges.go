package text

import (
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// A Range is a range of whole numbers that a text names: "3 to 15", "under 14", "65 and over".
type Range struct {
	Span
	From, To int // both belong to it
}

// Holds reports whether a number lies in the range.
func (r Range) Holds(n int) bool { return r.From <= n && n <= r.To }

var (
	number = `(\d{1,6})(?:[.,]0+)?s?\b`
	ranged = regexp.MustCompile(`(?i)\b` + number + `\s*(?:to|until|[-–—])\s*` + number +
		`|\b(?:between|from)\s+` + number + `\s+(?:and|to)\s+` + number +
		`|\b(under|below|younger than|less than|fewer than|shorter than|lighter than)[\s-]+(?:the age of\s+)?` + number +
		`|\b(up to|at most|no more than|not more than|no older than|not older than|a maximum of)\s+(?:the age of\s+)?` + number +
		`|\b(over|above|older than|more than)[\s-]+(?:the age of\s+)?` + number +
		`|\b(at least|from age|a minimum of)\s+` + number +
		`|\bfrom\s+` + number + `\s+(?:on|onwards|up|upwards|years)\b` +
		`|\b` + number + `\s*(?:years\s+)?(?:(?:and|or)\s+(?:over|older|more|above|up|upwards)\b|plus\b|\+)` +
		`|\b` + number + `\s*(?:years\s+)?(?:and|or)\s+(?:under|younger|less|fewer|below)\b`)
)

// What makes a range of a number stands before it, or of two between them, or behind it with
// words that say which way the range goes on; besideNumber is how far off at most, in bytes.
const besideNumber = 28

var (
	beforeNumber  = []string{"from", "between", "under", "below", "than", "age", "up to", "most", "over", "above", "least", "maximum", "minimum"}
	betweenNumber = []string{"to", "until", "-", "–", "—"}
	behindNumber  = []string{"and", "or", "years"}
	goesOn        = []string{"over", "older", "more", "above", "up", "under", "younger", "less", "fewer", "below", "plus", "+"}
)

// mayName reports whether a text may name a range: beside one of its numbers stands what makes
// one. Most numbers are none, and the pattern is slow.
func mayName(s string) bool {
	for at := 0; at < len(s); at++ {
		if !isDigitAt(s, at) {
			continue
		}
		before := strings.ToLower(s[max(0, at-besideNumber):at])
		for at < len(s) && (isDigitAt(s, at) || (s[at] == '.' || s[at] == ',') && isDigitAt(s, at+1)) {
			at++
		}
		behind := strings.ToLower(strings.TrimLeft(strings.TrimPrefix(s[at:min(len(s), at+besideNumber)], "s"), " \t\r\n"))
		starts := func(word string) bool { return strings.HasPrefix(behind, word) }
		follows := func(word string) bool { return strings.Contains(behind, word) }
		stands := func(word string) bool { return strings.Contains(before, word) }
		switch {
		case slices.ContainsFunc(beforeNumber, stands), starts("plus"), starts("+"),
			slices.ContainsFunc(betweenNumber, starts) && strings.ContainsAny(behind, "0123456789"),
			slices.ContainsFunc(behindNumber, starts) && slices.ContainsFunc(goesOn, follows):
			return true
		}
	}
	return false
}

func isDigitAt(s string, at int) bool { return at < len(s) && s[at] >= '0' && s[at] <= '9' }

// Ranges returns the ranges of whole numbers that an English text names, in order. Of two
// numbers with a dash between them these are the bounds, in any language.
func Ranges(s string) (ranges []Range) {
	if !mayName(s) {
		return nil
	}
	for _, m := range ranged.FindAllStringSubmatchIndex(s, -1) {
		r := Range{Span: Span{Start: m[0], End: m[1]}, To: math.MaxInt}
		bound := func(group int) (n int, ok bool) {
			if m[2*group] < 0 {
				return 0, false
			}
			n, err := strconv.Atoi(s[m[2*group]:m[2*group+1]])
			return n, err == nil
		}
		for _, group := range []int{1, 3, 10, 12, 13, 14} { // lower bounds
			if n, ok := bound(group); ok {
				r.From = n
			}
		}
		for _, group := range []int{2, 4, 6, 8, 15} { // upper bounds
			if n, ok := bound(group); ok {
				r.To = n
			}
		}
		if _, ok := bound(6); ok {
			r.To-- // under
		}
		if _, ok := bound(10); ok {
			r.From++ // over
		}
		if r.From <= r.To {
			ranges = append(ranges, r)
		}
	}
	return ranges
}
