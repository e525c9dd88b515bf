package main

import (
	"context"
	"encoding/json"
	"math"
	"math/rand/v2"
	"os"
	"strings"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/quiz"
)

// Two logistic regressions are fitted, by gradient descent with a small penalty
// on large weights. Ranking: of the passages found for a question, how likely
// the right one comes first (softmax over them). Confidence: whether the first
// passage is right. For the second each question is put twice more: misspelt,
// and to knowledge from which all that answers it was taken out, so that the
// nearest miss is what is left.

// A situation is what was found for one question.
type situation struct {
	found  []answer.Features
	right  []bool
	weight float64 // in fitting confidence
}

// A slot is the place of a feature that takes part.
type slot func(*answer.Features) *float64

var ranking = []slot{
	func(v *answer.Features) *float64 { return &v.Words },
	func(v *answer.Features) *float64 { return &v.Coverage },
	func(v *answer.Features) *float64 { return &v.Together },
	func(v *answer.Features) *float64 { return &v.Meaning },
	func(v *answer.Features) *float64 { return &v.Whole },
	func(v *answer.Features) *float64 { return &v.Heading },
	func(v *answer.Features) *float64 { return &v.Question },
	func(v *answer.Features) *float64 { return &v.NoFact },
}

var trusting = []slot{
	func(v *answer.Features) *float64 { return &v.Coverage },
	func(v *answer.Features) *float64 { return &v.Together },
	func(v *answer.Features) *float64 { return &v.Meaning },
	func(v *answer.Features) *float64 { return &v.Whole },
	func(v *answer.Features) *float64 { return &v.Question },
	func(v *answer.Features) *float64 { return &v.Lacking },
	func(v *answer.Features) *float64 { return &v.NoFact },
	func(v *answer.Features) *float64 { return &v.Fact },
	func(v *answer.Features) *float64 { return &v.Short },
	func(v *answer.Features) *float64 { return &v.Best },
}

// values returns the features that take part.
func values(f answer.Features, slots []slot) []float64 {
	list := make([]float64, len(slots))
	for i, at := range slots {
		list[i] = *at(&f)
	}
	return list
}

func dot(a, b []float64) (sum float64) {
	for i := range a {
		sum += a[i] * b[i]
	}
	return sum
}

const (
	rounds  = 2000
	penalty = 0.0005
)

func fitRanking(situations []situation) answer.Features {
	weights := make([]float64, len(ranking))
	for round := range rounds {
		gradient := make([]float64, len(weights))
		n := 0.0
		for _, s := range situations {
			var all, right float64
			chances := make([]float64, len(s.found))
			rows := make([][]float64, len(s.found))
			for i, f := range s.found {
				rows[i] = values(f, ranking)
				chances[i] = math.Exp(dot(weights, rows[i]))
				all += chances[i]
				if s.right[i] {
					right += chances[i]
				}
			}
			if right == 0 {
				continue
			}
			n++
			for i, row := range rows {
				pull := -chances[i] / all
				if s.right[i] {
					pull += chances[i] / right
				}
				for j, v := range row {
					gradient[j] += pull * v
				}
			}
		}
		descend(weights, gradient, n, round)
	}
	var v answer.Features
	for i, at := range ranking {
		*at(&v) = math.Round(weights[i]*100) / 100
	}
	return v
}

func descend(weights, gradient []float64, n float64, round int) {
	for j := range weights {
		weights[j] += 2 / (1 + float64(round)/400) * (gradient[j]/n - penalty*weights[j])
	}
}

// fitConfidence fits on the first passage of each situation.
func fitConfidence(situations []situation) (answer.Features, float64) {
	weights := make([]float64, len(trusting)+1) // the last is the bias
	for round := range rounds {
		gradient := make([]float64, len(weights))
		n := 0.0
		for _, s := range situations {
			row := append(values(s.found[0], trusting), 1)
			pull := -1 / (1 + math.Exp(-dot(weights, row)))
			if s.right[0] {
				pull++
			}
			for j, v := range row {
				gradient[j] += s.weight * pull * v
			}
			n += s.weight
		}
		descend(weights, gradient, n, round)
	}
	var v answer.Features
	for i, at := range trusting {
		*at(&v) = math.Round(weights[i]*100) / 100
	}
	return v, math.Round(weights[len(trusting)]*100) / 100
}

// situations puts questions and notes what was found.
func situationsOf(f answer.Finder, questions []quiz.Question, weight float64) (list []situation) {
	for _, q := range questions {
		if len(q.Parts) > 0 {
			continue
		}
		found := f.Find(context.Background(), q.Question, q.After)
		if len(found.Candidates) == 0 {
			continue
		}
		s := situation{weight: weight}
		for _, c := range found.Candidates {
			s.found, s.right = append(s.found, c.Features), append(s.right, quiz.Holds(q, c))
		}
		list = append(list, s)
	}
	return list
}

// settling is how many times the ranking is fitted on what it found itself.
const settling = 4

// missesWeigh is what a near miss made by taking the answer out weighs: customers
// ask more of what is known than of what is not.
const missesWeigh = 0.5

// misspell makes one slip in each longer word, the same at each run.
func misspell(s string) string {
	random := rand.New(rand.NewPCG(uint64(len(s)), 7))
	words := strings.Fields(s)
	for i, w := range words {
		if len(w) < 5 || strings.ContainsFunc(w, func(r rune) bool { return r > 'z' || r < 'A' }) {
			continue
		}
		at := 1 + random.IntN(len(w)-2)
		switch random.IntN(3) {
		case 0:
			words[i] = w[:at] + w[at+1:at+2] + w[at:at+1] + w[at+2:]
		case 1:
			words[i] = w[:at] + w[at+1:]
		case 2:
			words[i] = w[:at] + w[at:at+1] + w[at:]
		}
	}
	return strings.Join(words, " ")
}

// fit fits both on the questions of the corpora and writes the weights.
func fit(corpora []*corpus, quizzes [][]quiz.Question, c *codes, file string) error {
	// What is found depends on the weights, so they are fitted some times over, from
	// a start that gives each list its say.
	w := answer.Weights{Rank: answer.Features{Words: 5, Coverage: 5, Meaning: 10, Whole: 5}}
	var asked []situation
	for range settling {
		asked = nil
		for i, k := range corpora {
			k.finder.Weights = &w
			asked = append(asked, situationsOf(k.finder, quizzes[i], 1)...)
		}
		w.Rank = fitRanking(asked)
	}
	asked = nil
	for i, k := range corpora {
		asked = append(asked, situationsOf(k.finder, quizzes[i], 1)...)
		for _, q := range quizzes[i] {
			if q.Unanswerable || len(q.Parts) > 0 {
				continue
			}
			slipped := q
			slipped.Question = misspell(q.Question)
			asked = append(asked, situationsOf(k.finder, []quiz.Question{slipped}, 0.5)...)
			less := k.finder
			less.Index = k.index(c, func(p knowledge.Passage) bool {
				return quiz.Holds(q, answer.Candidate{Hit: knowledge.Hit{Passage: p}})
			})
			asked = append(asked, situationsOf(less, []quiz.Question{q}, missesWeigh)...)
		}
	}
	w.Confidence, w.Bias = fitConfidence(asked)
	raw, err := json.MarshalIndent(w, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(file, append(raw, '\n'), 0o644)
}
