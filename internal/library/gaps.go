package library

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"sync"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/learn"
	"urgentparrot.example/internal/store"
)

// alike is how like, by words or by meaning, two questions must be to be the same
// gap or the same house answer.
const alike = 0.75

// mostGaps is how many open gaps are remembered, and gapsCompared with how many of them
// a question is compared: those that share the most telling words with it, and the
// newest, which may say the same in other words.
const (
	mostGaps     = 5_000
	gapsCompared = 40
)

// gaps remembers the open gaps, so that a question finds its own. Its lock is held for
// moments: questions are compared outside of it.
type gaps struct {
	mu     sync.Mutex
	open   map[string]gap
	byStem map[string]map[string]bool // the ids of those whose question holds a stem
}

type gap struct {
	question string
	stems    []string
}

func (g *gaps) add(id string, added gap) {
	g.open[id] = added
	for _, stem := range added.stems {
		if g.byStem[stem] == nil {
			g.byStem[stem] = map[string]bool{}
		}
		g.byStem[stem][id] = true
	}
}

func (g *gaps) remove(id string) {
	g.mu.Lock()
	defer g.mu.Unlock()
	for _, stem := range g.open[id].stems {
		if delete(g.byStem[stem], id); len(g.byStem[stem]) == 0 {
			delete(g.byStem, stem)
		}
	}
	delete(g.open, id)
}

// likely returns the gaps that a question may belong to, by id.
func (g *gaps) likely(stems []string) map[string]string {
	g.mu.Lock()
	defer g.mu.Unlock()
	shared := map[string]float64{}
	for _, stem := range stems {
		holders := g.byStem[stem]
		for id := range holders {
			shared[id] += 1 / float64(len(holders)) // a rare word tells more
		}
	}
	best := slices.SortedFunc(maps.Keys(shared), func(a, b string) int { return cmp.Or(cmp.Compare(shared[b], shared[a]), cmp.Compare(b, a)) })
	newest := slices.Sorted(maps.Keys(g.open)) // ids sort by time
	likely := map[string]string{}
	for _, id := range slices.Concat(best[:min(len(best), gapsCompared)], newest[max(0, len(newest)-gapsCompared):]) {
		likely[id] = g.open[id].question
	}
	return likely
}

func (l *Library) stems(question string) (stems []string) {
	for _, t := range l.index.Load().Analyzer().Telling(question) {
		if !t.Light {
			stems = append(stems, t.Stem)
		}
	}
	return stems
}

func (l *Library) loadGaps(ctx context.Context) error {
	list, err := l.Store.Gaps(ctx, mostGaps)
	if err != nil {
		return err
	}
	l.gaps.mu.Lock()
	defer l.gaps.mu.Unlock()
	l.gaps.open, l.gaps.byStem = map[string]gap{}, map[string]map[string]bool{}
	for _, g := range list {
		l.gaps.add(g.ID, gap{g.Question, l.stems(g.Question)})
	}
	return nil
}

// GapFor returns the gap that a question belongs to: the open one that is most
// like it, or a new one.
func (l *Library) GapFor(ctx context.Context, asked string) store.GapQuestion {
	question := learn.Question(asked, learn.Customer{})
	if question == "" {
		question = asked
	}
	stems := l.stems(question)
	likely := l.gaps.likely(stems)
	best := ""
	l.With(ctx, bot.Brief{}, func(f answer.Finder) {
		likest := alike
		best = ""
		for id, other := range likely {
			if like := f.Like(ctx, question, []string{other}); like >= likest {
				best, likest = id, like
			}
		}
	})
	l.gaps.mu.Lock()
	defer l.gaps.mu.Unlock()
	if _, open := l.gaps.open[best]; best != "" && !open {
		best = "" // it was closed meanwhile
	}
	if best == "" {
		for id, other := range l.gaps.open { // one that was asked at the same moment
			if other.question == question {
				best = id
			}
		}
	}
	if best == "" {
		best = store.NewID()
		l.gaps.add(best, gap{question, stems})
	}
	return store.GapQuestion{GapID: best, Question: question, Wording: asked}
}

func (l *Library) closeGap(id string) { l.gaps.remove(id) }
