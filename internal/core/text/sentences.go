package text

import (
	"regexp"
	"strings"
	"unicode"
	"unicode/utf8"
)

// abbreviations end in a full stop that ends no sentence.
var abbreviations = Set(`mr mrs ms dr st no approx e.g i.e etc vs tel incl max min p.m a.m`)

// A Span is a part of a text by byte offsets.
type Span struct{ Start, End int }

// Sentences splits s into its sentences, trimmed, in order. A line break ends a
// sentence too: lists and table rows stand on lines of their own.
func Sentences(s string) []Span { return sentences(s, false) }

// Typed splits what somebody typed, where a sentence may begin with a small letter.
func Typed(s string) []Span { return sentences(s, true) }

func sentences(s string, typed bool) []Span {
	var spans []Span
	start := 0
	add := func(end int) {
		from, to := start, end
		for from < to && isSpace(s[from]) {
			from++
		}
		for to > from && isSpace(s[to-1]) {
			to--
		}
		if to > from {
			spans = append(spans, Span{from, to})
		}
		start = end
	}
	for i := 0; i < len(s); i++ {
		switch s[i] {
		case '\n':
			add(i)
		case '.', '!', '?':
			end := i + 1
			for end < len(s) && strings.IndexByte(`.!?)"'`, s[end]) >= 0 {
				end++
			}
			if end == len(s) || (isSpace(s[end]) && !(s[i] == '.' && midSentence(s[start:i], s[end:], typed))) {
				add(end)
				i = end - 1
			}
		}
	}
	add(len(s))
	return spans
}

// counts is what stands before the full stop of an item that is counted: "- 2".
var counts = regexp.MustCompile(`^\s*- \d{1,2}$`)

// midSentence reports whether a full stop after before goes on in after: it
// closes an abbreviation or an initial, or, in what is not typed, the number before a step, or a
// small letter follows.
func midSentence(before, after string, typed bool) bool {
	if !typed && counts.MatchString(before) {
		return true
	}
	last := before[strings.LastIndexFunc(before, unicode.IsSpace)+1:]
	if abbreviations[strings.ToLower(strings.Trim(last, "("))] || utf8.RuneCountInString(last) == 1 && unicode.IsUpper(rune(last[0])) {
		return true
	}
	r, _ := utf8.DecodeRuneInString(strings.TrimLeft(after, " \t"))
	return !typed && unicode.IsLower(r)
}

func isSpace(c byte) bool { return c == ' ' || c == '\t' || c == '\n' || c == '\r' }

// Fit shortens s to at most limit runes, cutting only between sentences. The
// first sentence is kept even when it is longer than the limit, unless hard,
// when it is cut between words. A limit of 0 means no limit.
func Fit(s string, limit int, hard bool) string {
	if limit <= 0 || utf8.RuneCountInString(s) <= limit {
		return s
	}
	cut := 0
	for _, span := range Sentences(s) {
		if cut > 0 && utf8.RuneCountInString(s[:span.End]) > limit {
			break
		}
		cut = span.End
	}
	fitted := s[:cut]
	if hard && utf8.RuneCountInString(fitted) > limit {
		runes := []rune(fitted)[:limit-1]
		short := string(runes)
		if i := strings.LastIndexByte(short, ' '); i > 0 {
			short = short[:i]
		}
		fitted = short + "…"
	}
	return fitted
}
