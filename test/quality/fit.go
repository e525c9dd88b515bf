package main

import (
	"context"
	"encoding/json"
	"math"
	"os"
	"runtime"
	"slices"
	"strings"
	"sync"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/quiz"
	"urgentparrot.example/internal/core/text"
)

// Logistic regressions are fitted, with a small penalty on large weights. Ranking: of the
// passages found for a question, how likely the right one comes first (softmax over them).
// Quotes: of its sentences, those that answer, in the same way. Confidence: whether the
// first passage is right. All are fitted twice, with the checker and without.

// A situation is what was found for one question.
type situation struct {
	found  []answer.Features
	right  []bool
	weight float64 // in fitting confidence
	quoted choice  // among the sentences of the right passage
}

// A slot is the place of a feature that takes part.
type slot func(*answer.Features) *float64

var (
	rankedByWords = []slot{
		func(v *answer.Features) *float64 { return &v.Words },
		func(v *answer.Features) *float64 { return &v.Coverage },
		func(v *answer.Features) *float64 { return &v.Together },
		func(v *answer.Features) *float64 { return &v.Meaning },
		func(v *answer.Features) *float64 { return &v.Whole },
		func(v *answer.Features) *float64 { return &v.Heading },
		func(v *answer.Features) *float64 { return &v.Question },
		func(v *answer.Features) *float64 { return &v.NoFact },
		func(v *answer.Features) *float64 { return &v.Customers },
		func(v *answer.Features) *float64 { return &v.AroundWords },
		func(v *answer.Features) *float64 { return &v.AroundMeaning },
		func(v *answer.Features) *float64 { return &v.AroundCustomers },
	}
	rankedByTokens = []slot{
		func(v *answer.Features) *float64 { return &v.Match },
		func(v *answer.Features) *float64 { return &v.Sure },
		func(v *answer.Features) *float64 { return &v.AroundMatch },
		func(v *answer.Features) *float64 { return &v.AroundSure },
	}
	trustedByWords = []slot{
		func(v *answer.Features) *float64 { return &v.Coverage },
		func(v *answer.Features) *float64 { return &v.Counted },
		func(v *answer.Features) *float64 { return &v.Together },
		func(v *answer.Features) *float64 { return &v.Meaning },
		func(v *answer.Features) *float64 { return &v.Whole },
		func(v *answer.Features) *float64 { return &v.Question },
		func(v *answer.Features) *float64 { return &v.Lacking },
		func(v *answer.Features) *float64 { return &v.NoFact },
		func(v *answer.Features) *float64 { return &v.Fact },
		func(v *answer.Features) *float64 { return &v.Short },
		func(v *answer.Features) *float64 { return &v.Best },
		func(v *answer.Features) *float64 { return &v.Three },
		func(v *answer.Features) *float64 { return &v.Ahead },
		func(v *answer.Features) *float64 { return &v.Customers },
		func(v *answer.Features) *float64 { return &v.AroundWords },
		func(v *answer.Features) *float64 { return &v.AroundMeaning },
	}
	trustedByTokens = []slot{
		func(v *answer.Features) *float64 { return &v.Match },
		func(v *answer.Features) *float64 { return &v.Sure },
		func(v *answer.Features) *float64 { return &v.AroundSure },
		func(v *answer.Features) *float64 { return &v.Lacks },
		func(v *answer.Features) *float64 { return &v.Rivals },
	}
)

// values returns the features that take part.
func values(f answer.Features, slots []slot) []float64 {
	list := make([]float64, len(slots))
	for i, at := range slots {
		list[i] = *at(&f)
	}
	return list
}

// weighted puts weights in the places of their features.
func weighted(weights []float64, slots []slot) (f answer.Features) {
	for i, at := range slots {
		*at(&f) = math.Round(weights[i]*1000) / 1000
	}
	return f
}

func fitRanking(situations []situation, slots []slot) answer.Features {
	var choices []choice
	for _, s := range situations {
		c := choice{right: s.right, weight: s.weight}
		for _, f := range s.found {
			c.rows = append(c.rows, values(f, slots))
		}
		choices = append(choices, c)
	}
	return weighted(fitChoice(choices, len(slots)), slots)
}

// A choice is among rows of numbers, of which some are right.
type choice struct {
	rows   [][]float64
	right  []bool
	weight float64
}

// fitChoice finds the weights by which the right rows come first (softmax over the rows of
// each choice).
func fitChoice(choices []choice, n int) []float64 {
	return climb(n, func(weights, gradient []float64, curvature [][]float64) {
		for _, s := range choices {
			var all, right float64
			chances := make([]float64, len(s.rows))
			for i, row := range s.rows {
				chances[i] = math.Exp(min(dot(weights, row), 300))
				all += chances[i]
				if s.right[i] {
					right += chances[i]
				}
			}
			if right == 0 {
				continue
			}
			mean, wanted := make([]float64, n), make([]float64, n)
			for i, row := range s.rows {
				for j, v := range row {
					mean[j] += chances[i] / all * v
					if s.right[i] {
						wanted[j] += chances[i] / right * v
					}
				}
			}
			for i, row := range s.rows {
				for j, v := range row {
					for k := range row {
						curvature[j][k] += s.weight * chances[i] / all * (v - mean[j]) * (row[k] - mean[k])
					}
				}
			}
			for j := range gradient {
				gradient[j] += s.weight * (wanted[j] - mean[j])
			}
		}
	})
}

// choices is how many passages are offered at most.
const choices = 3

// fitChance fits, by the features of the first passage of each situation, that one of the
// first so many is right.
func fitChance(situations []situation, slots []slot, among int) (c answer.Chance) {
	weights := climb(len(slots)+1, func(weights, gradient []float64, curvature [][]float64) { // the last is the bias
		for _, s := range situations {
			row := append(values(s.found[0], slots), 1)
			chance := 1 / (1 + math.Exp(-dot(weights, row)))
			pull := -chance
			if slices.Contains(s.right[:min(among, len(s.right))], true) {
				pull++
			}
			for j, v := range row {
				gradient[j] += s.weight * pull * v
				for k := range row {
					curvature[j][k] += s.weight * chance * (1 - chance) * v * row[k]
				}
			}
		}
	})
	c.Weights, c.Bias = weighted(weights, slots), math.Round(weights[len(slots)]*1000)/1000
	rows, right := make([][]float64, len(situations)), make([]bool, len(situations))
	heavy, sums := make([]float64, len(situations)), make([]float64, len(situations))
	for i, s := range situations {
		all := s.found[0].Values()
		rows[i], right[i], heavy[i] = all[:], slices.Contains(s.right[:min(among, len(s.right))], true), s.weight
		sums[i] = c.Bias + dot(values(s.found[0], slots), values(c.Weights, slots))
	}
	c.Trees = grow(rows, right, heavy, sums)
	return c
}

func dot(a, b []float64) (sum float64) {
	for i := range a {
		sum += a[i] * b[i]
	}
	return sum
}

const (
	steps   = 25
	penalty = 2.0 // on the square of each weight
)

// climb finds the weights at the top of a concave sum by Newton's steps; add adds up its
// gradient and its curvature (negated) at given weights.
func climb(n int, add func(weights, gradient []float64, curvature [][]float64)) []float64 {
	weights := make([]float64, n)
	for range steps {
		gradient, curvature := make([]float64, n), make([][]float64, n)
		for i := range curvature {
			curvature[i] = make([]float64, n)
		}
		add(weights, gradient, curvature)
		for i := range gradient {
			gradient[i] -= penalty * weights[i]
			curvature[i][i] += penalty
		}
		for i, step := range solve(curvature, gradient) {
			weights[i] += max(-5, min(5, step))
		}
	}
	return weights
}

// solve returns x of a·x = b for a positive definite a (Gauss and Jordan); it changes
// both.
func solve(a [][]float64, b []float64) []float64 {
	for i := range a {
		pivot := a[i][i]
		for k := range a {
			if k == i {
				continue
			}
			factor := a[k][i] / pivot
			for j := i; j < len(a); j++ {
				a[k][j] -= factor * a[i][j]
			}
			b[k] -= factor * b[i]
		}
	}
	x := make([]float64, len(b))
	for i := range x {
		x[i] = b[i] / a[i][i]
	}
	return x
}

// situationsOf puts questions and notes what was found.
func situationsOf(f answer.Finder, questions []quiz.Question, quotes map[string]string, weight float64) (list []situation) {
	for _, q := range questions {
		if len(q.Parts) > 0 {
			continue
		}
		s := situation{weight: weight}
		f.Watch = func(c answer.Candidate, tells []answer.Tells) {
			if quote := quotes[q.ID]; quote != "" && quiz.Holds(q, c) {
				s.quoted = quotedOf(c.Text, quote, tells)
			}
		}
		found := f.Find(context.Background(), answer.Whole(q.Question), q.After)
		if len(found.Candidates) == 0 {
			continue
		}
		for _, c := range found.Candidates {
			s.found, s.right = append(s.found, c.Features), append(s.right, quiz.Holds(q, c))
		}
		list = append(list, s)
	}
	return list
}

// quotedOf is the choice of the sentences that a quote begins, ends or goes on in.
func quotedOf(said, quote string, tells []answer.Tells) (c choice) {
	const most = 3 // letters that they may share by chance
	at := strings.Index(said, quote)
	if at < 0 {
		return c
	}
	c.weight = 1
	for i, s := range text.Sentences(said) {
		row := tells[i].Values()
		c.rows, c.right = append(c.rows, row[:]), append(c.right, min(s.End, at+len(quote))-max(s.Start, at) > most)
	}
	return c
}

// fitQuotes fits what tells which sentence answers.
func fitQuotes(situations []situation) (t answer.Tells) {
	var choices []choice
	for _, s := range situations {
		if len(s.quoted.rows) > 1 {
			choices = append(choices, s.quoted)
		}
	}
	into := []*float64{&t.Together, &t.Own, &t.Like, &t.Match, &t.Sure, &t.Judged, &t.Headed, &t.Fact, &t.Early, &t.Gist, &t.Leans, &t.Customers, &t.AroundLike, &t.AroundMatch} // as Values has them
	for i, weight := range fitChoice(choices, len(into)) {
		*into[i] = math.Round(weight*1000) / 1000
	}
	return t
}

// settling is how many times the ranking is fitted on what it found itself.
const settling = 2

// fit fits on the questions of the corpora and writes the weights.
func fit(corpora []*corpus, quizzes [][]quiz.Question, file string) error {
	// What is found depends on the weights, so they are fitted some times over, from
	// a start that gives each list its say.
	start := answer.Weights{Rank: answer.Features{Words: 5, Coverage: 5, Meaning: 10, Whole: 5, AroundWords: 3, AroundMeaning: 5, Match: 5, Sure: 0.5}}
	start.Quote = answer.Tells{Together: 1, Own: 0.5, Like: 1, Match: 1, Sure: 0.35, Headed: 0.4, Fact: 0.3}
	w := answer.Fitted{Judged: start, Plain: start}
	for _, of := range []struct {
		weights *answer.Weights
		judged  bool
		ranked  []slot
		trusted []slot
	}{
		{&w.Plain, false, rankedByWords, trustedByWords},
		{&w.Judged, true, append(slices.Clone(rankedByWords), rankedByTokens...), append(slices.Clone(trustedByWords), trustedByTokens...)},
	} {
		put := func() (asked []situation) {
			each := make([][]situation, len(corpora))
			var working sync.WaitGroup
			places := make(chan struct{}, runtime.GOMAXPROCS(0))
			for i, k := range corpora {
				working.Go(func() {
					places <- struct{}{}
					defer func() { <-places }()
					f := k.finder
					f.Weights = &w
					if !of.judged {
						f.Tokens = nil
					}
					weight := 1.0
					if strings.HasPrefix(k.name, "several") {
						weight = 0.5
					}
					each[i] = situationsOf(f, quizzes[i], k.quotes, weight)
				})
			}
			working.Wait()
			return slices.Concat(each...)
		}
		var asked []situation
		for range settling {
			asked = put()
			of.weights.Rank, of.weights.Quote = fitRanking(asked, of.ranked), fitQuotes(asked)
		}
		asked = put()
		of.weights.Confidence = fitChance(asked, of.trusted, 1)
		of.weights.Likely = fitChance(asked, of.trusted, choices)
	}
	raw, err := json.MarshalIndent(w, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(file, append(raw, '\n'), 0o644)
}
