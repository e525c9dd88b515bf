package learn

import (
	"slices"

	"urgentparrot.example/internal/core/text"
)

// Approved counts what people did with held replies.
type Approved struct {
	All, Unchanged int
	Worded         int // sent in other words that say the same
	Changed        int // sent, saying something else
	Rejected       int
}

// sameWords is the share of the telling words of either wording that the other has, from which
// they say the same.
const sameWords = 0.75

// SaysTheSame reports whether a reply that a person has worded otherwise still says what it
// said: it has the same numbers and negations, and most of its telling words.
func SaysTheSame(was, became string) bool {
	a, b := sayingOf(was), sayingOf(became)
	if !slices.Equal(a.numbers, b.numbers) || a.negated != b.negated {
		return false
	}
	shared := 0
	for _, stem := range a.stems {
		if slices.Contains(b.stems, stem) {
			shared++
		}
	}
	most := max(len(a.stems), len(b.stems))
	return most == 0 || float64(shared) >= sameWords*float64(most)
}

type saying struct {
	stems, numbers []string
	negated        int
}

var analyzer = text.NewAnalyzer("en", nil)

var negations = []string{"not", "no", "never", "none", "without", "cannot", "cant", "dont", "doesnt", "isnt", "arent", "wont"}

func sayingOf(s string) (of saying) {
	for _, w := range text.Words(s) {
		switch {
		case w.Folded[0] >= '0' && w.Folded[0] <= '9':
			of.numbers = append(of.numbers, w.Folded)
		case slices.Contains(negations, w.Folded):
			of.negated++
		}
	}
	slices.Sort(of.numbers)
	for _, t := range analyzer.Telling(s) {
		if !t.Light {
			of.stems = append(of.stems, t.Stem)
		}
	}
	return of
}

// A Judged reply is one that a person has judged, with how sure the bot was of it.
type Judged struct {
	Confidence float64
	Right      bool // it was sent, or would have been, as it was or in words that say the same
}

// An AtThreshold says what would have gone out by itself at a threshold.
type AtThreshold struct {
	Threshold float64
	Sent      int // of the replies judged
	Wrong     int // of these, people changed or rejected them
}

// Thresholds says for each threshold from 0.3 to 0.95 how many of the replies that people
// judged would have gone out, and how many of those they changed.
func Thresholds(judged []Judged) []AtThreshold {
	list := make([]AtThreshold, 0, 14)
	for percent := 30; percent <= 95; percent += 5 {
		at := AtThreshold{Threshold: float64(percent) / 100}
		for _, j := range judged {
			if j.Confidence >= at.Threshold {
				at.Sent++
				if !j.Right {
					at.Wrong++
				}
			}
		}
		list = append(list, at)
	}
	return list
}
