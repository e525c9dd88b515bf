package answer

import (
	"cmp"
	"context"
	"slices"

	"urgentparrot.example/internal/core/encoder"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
)

// All sentences of the first whole passages are judged, of those up to the first several
// the few that match best, of others the one.
const (
	whole   = 3
	several = 8
	few     = 2
)

// judge keeps the closest candidates and holds their sentences against the question
// token by token. It reports false, having done nothing, if tokens are not known.
func (f Finder) judge(ctx context.Context, own, wide *wording, candidates []Candidate) ([]Candidate, bool) {
	byRank(candidates)
	candidates = candidates[:min(closely, len(candidates))]
	if f.Tokens == nil || own.asked == nil || wide.asked == nil {
		return candidates, false
	}
	hits := make([]knowledge.Hit, len(candidates))
	for i, c := range candidates {
		hits[i] = c.Hit
	}
	all := f.Tokens(ctx, hits)
	for i, tokens := range all {
		if len(tokens) != len(candidates[i].sentences) {
			return candidates, false
		}
	}
	type place struct{ candidate, sentence int }
	var places []place
	var judged []encoder.Tokens
	var likes []float64
	for i := range candidates {
		c := &candidates[i]
		order := make([]int, len(c.sentences))
		for k := range c.sentences {
			s := &c.sentences[k]
			order[k] = k
			s.match = own.asked.Match(all[i][k])
			s.around = s.match
			if wide != own {
				s.around = wide.asked.Match(all[i][k])
			}
			c.Features.Match, c.Features.AroundMatch = max(c.Features.Match, s.match), max(c.Features.AroundMatch, s.around)
		}
		slices.SortStableFunc(order, func(a, b int) int {
			return cmp.Compare(c.sentences[b].match+c.sentences[b].around+c.sentences[b].like, c.sentences[a].match+c.sentences[a].around+c.sentences[a].like)
		})
		switch {
		case i >= several:
			order = order[:min(1, len(order))]
		case i >= whole:
			order = order[:min(few, len(order))]
		}
		for _, k := range order {
			places, judged, likes = append(places, place{i, k}), append(judged, all[i][k]), append(likes, c.sentences[k].like)
		}
	}
	judgements := own.asked.Judge(judged, likes)
	around := judgements
	if wide != own {
		for n, at := range places {
			likes[n] = candidates[at.candidate].sentences[at.sentence].likeAround
		}
		around = wide.asked.Judge(judged, likes)
	}
	for i := range candidates {
		candidates[i].Features.Sure, candidates[i].Features.AroundSure = -surest, -surest
	}
	for n, at := range places {
		c := &candidates[at.candidate]
		s := &c.sentences[at.sentence]
		sure, aroundSure := max(-surest, min(surest, judgements[n].Sure)), max(-surest, min(surest, around[n].Sure))
		s.sure, s.judged = (sure+aroundSure)/2, true
		if sure > c.Features.Sure || c.Features.Sure == -surest {
			c.Features.Sure, c.Features.Lacks, c.Lacks = sure, judgements[n].Lacks, ""
			if lacking := text.Fold(judgements[n].Lacking); judgements[n].Lacks > 0.5 && slices.Contains(c.Missing, lacking) {
				c.Lacks = lacking // the words agree
			}
		}
		c.Features.AroundSure = max(c.Features.AroundSure, aroundSure)
	}
	for i := range candidates {
		candidates[i].Sure = logistic(candidates[i].Features.Sure)
	}
	return candidates, true
}

// surest bounds what the checker says, a logit.
const surest = 6
