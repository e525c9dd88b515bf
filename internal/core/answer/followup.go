package answer

import (
	"regexp"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
)

// followUp is what such a question may begin with.
var followUp = regexp.MustCompile(`(?i)^(?:ok(?:ay)?[\s,]+)?(?:and what about|what about|how about|and for|and also|what if|and|also|or|plus|even|same(?: but)?)\b\s*`)

// pointing words stand for what was said before.
var pointing = regexp.MustCompile(`(?i)\b(?:it|its|they|them|their|that|those|this|these|there|one|ones|then|same|else|both|either)\b`)

// pointless are turns in which such a word stands for nothing: "is it possible to ...",
// "are there any ...".
var pointless = regexp.MustCompile(`(?i)\b(?:(?:is|was|would|will) it|it(?:'|’)?s)\s+(?:possible|ok|okay|allowed|true|safe|necessary|too|a|an|any|some|worth|still|free to|cheaper to|better to)\b|\b(?:(?:is|are|was|were|will|would) there|there (?:is|are|was|were)|there(?:'|’)?s)\s+`)

// How much a question needs the one before it.
const (
	byItself = iota
	mayFollow
	follows
)

// longestFollowUp is the number of words from which on a question stands by itself.
const longestFollowUp = 14

// followsUp says whether a question needs the one before it: it begins with "and", "what
// about", and is no whole question by itself, as "and when does the office open?" is; or
// it points back ("how much is it?"). One of few words may.
func followsUp(q *question) int {
	words := len(text.Words(q.mended))
	if words > longestFollowUp {
		return byItself
	}
	rest := followUp.ReplaceAllString(q.mended, "")
	points := pointing.MatchString(pointless.ReplaceAllString(rest, ""))
	q.replaces = rest != q.mended && len(text.Words(rest)) <= shortFollowUp
	switch {
	case rest != q.mended && (points || !asks.MatchString(rest) || len(text.Words(rest)) < 4):
		return follows
	case points && q.telling() <= 2:
		return follows
	case points || rest != q.mended || words <= 4:
		return mayFollow
	}
	return byItself
}

// OnlyPoints reports whether a question says only by a word that points back what it is about:
// "and what does that cost?".
func (f Finder) OnlyPoints(asked string) bool {
	q := understand(f.Index, asked)
	return q.onlyPoints()
}

// PointsBack reports whether a question says by a word that points back what it is about: "can
// they be posted?".
func (f Finder) PointsBack(asked string) bool {
	q := understand(f.Index, asked)
	return q.pointsBack()
}

func (q *question) pointsBack() bool {
	return pointing.MatchString(pointless.ReplaceAllString(q.mended, "")) && q.telling() <= 2
}

// onlyPoints reports whether a question asks how much of something, and says of what only by
// a word that points back: "and what does that cost?". By itself it asks nothing.
func (q *question) onlyPoints() bool {
	return pointing.MatchString(pointless.ReplaceAllString(q.mended, "")) && !slices.ContainsFunc(q.terms, func(t term) bool { return !t.Light && !slices.Contains(measures, t.Word) })
}

// carryOver adds what a follow-up takes from the question before it, as light
// words: all but its subject, the rarest word, which the follow-up replaces.
// "And for dogs?" after a question about bicycles asks the same about dogs. It
// returns the whole question.
func (q *question) carryOver(ix *knowledge.Index, previous string) string {
	before := understand(ix, previous)
	if q.onlyPoints() {
		q.terms = append(q.terms, before.terms...)
		return before.mended + " " + q.mended
	}
	subject := -1
	for i, t := range before.terms {
		if !t.Light && (subject < 0 || t.weight > before.terms[subject].weight) {
			subject = i
		}
	}
	meant := before.mended
	for i, t := range before.terms {
		if i == subject {
			meant = strings.Replace(meant, t.Word, followUp.ReplaceAllString(strings.Trim(q.mended, " ?.!"), ""), 1)
			continue
		}
		if slices.ContainsFunc(q.terms, func(o term) bool { return o.Stem == t.Stem }) {
			continue
		}
		if !t.Light {
			t.Light = true
			t.weight *= lightWeight
		}
		q.terms = append(q.terms, t)
	}
	if q.fact == nil {
		q.fact = before.fact
	}
	return meant
}
