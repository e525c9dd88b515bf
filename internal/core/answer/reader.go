package answer

import (
	"cmp"
	"context"
	"math"
	"slices"

	"urgentparrot.example/internal/core/encoder"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
)

// behind is how many passages are remembered behind those that are returned as candidates,
// for a reader that is given more.
const behind = 16

// fusedFrom softens the places in several rankings that are added up (reciprocal rank
// fusion): the first place counts 1/fusedFrom.
const fusedFrom = 4.0

// Reading returns the n passages that a reader needs for what the parts of a message ask,
// the likeliest first: those found for each part by itself, after the question before
// (previous, "" if none), and for the message as a whole. Unlike Find it need not decide
// between these.
func (f Finder) Reading(ctx context.Context, parts []Part, previous string, n int) []knowledge.Hit {
	score := map[string]float64{}
	hits := map[string]knowledge.Hit{}
	note := func(found Found, weight float64) {
		place := 0
		add := func(h knowledge.Hit) {
			if _, ok := hits[h.ID]; !ok {
				hits[h.ID] = h
			}
			score[h.ID] += weight / (fusedFrom + float64(place))
			place++
		}
		for _, c := range found.Candidates {
			add(c.Hit)
		}
		for _, h := range found.behind {
			add(h)
		}
	}
	for _, part := range parts {
		if n > closely+behind/2 {
			f.leaf(ctx, part, previous, n, note)
		}
		note(f.Find(ctx, part, previous), 1)
		if previous != "" {
			note(f.Find(ctx, part, ""), 1)
			note(f.Find(ctx, Part{Text: previous + " " + part.Text, Kind: Question}, ""), 1)
		}
		if part.Around != "" && part.Around != part.Text {
			note(f.Find(ctx, Part{Text: part.Around, Kind: Question}, ""), 0.5)
		}
	}
	ids := make([]string, 0, len(score))
	for id := range score {
		ids = append(ids, id)
	}
	slices.SortFunc(ids, func(a, b string) int { return cmp.Or(cmp.Compare(score[b], score[a]), cmp.Compare(a, b)) })
	list := make([]knowledge.Hit, 0, n)
	for _, id := range ids[:min(n, len(ids))] {
		list = append(list, hits[id])
	}
	return list
}

// ReadingWith is Reading that leaves the last sixth of the places to what is found in
// further wordings of what was asked.
func (f Finder) ReadingWith(ctx context.Context, parts []Part, wordings []string, previous string, n int) []knowledge.Hit {
	found := f.Reading(ctx, parts, previous, n)
	if len(wordings) == 0 || n < 2 {
		return found
	}
	var asked []Part
	for _, w := range wordings {
		asked = append(asked, Part{Text: w, Kind: Question})
	}
	places := max(1, n/6)
	list := slices.Clone(found[:min(len(found), n-places)])
	for _, hit := range slices.Concat(f.Reading(ctx, asked, "", places+1), found[len(list):]) {
		if len(list) < n && !slices.ContainsFunc(list, hit.Same) {
			list = append(list, hit)
		}
	}
	return list
}

// leaf ranks many passages by words and meaning alone.
func (f Finder) leaf(ctx context.Context, part Part, previous string, n int, note func(Found, float64)) {
	q := understand(f.Index, part.Text)
	if previous != "" {
		q.carryOver(f.Index, previous)
	}
	own := f.wording(q, q.mended)
	wide := own
	if around := part.Around; around != "" && around != part.Text || previous != "" {
		if around == "" {
			around = part.Text
		}
		asked := understand(f.Index, previous+" "+around)
		wide = f.wording(asked, asked.mended)
	}
	var found Found
	for _, hit := range f.gather(ctx, own, wide, n) {
		found.Candidates = append(found.Candidates, weigh(own, wide, hit))
	}
	slices.SortStableFunc(found.Candidates, func(a, b Candidate) int { return cmp.Compare(b.rank, a.rank) })
	note(found, 1)
}

// Fit is how well what is said fits what a part of a message asks, after the question before
// (previous, "" if none): what the checker makes of it, with the likeness of both by meaning
// and by tokens. Of right answers 97 in 100 have more than FitsLeast; of sentences of other
// passages on the same business about half (made-up businesses that trained nothing). It
// reports false where meanings are not known.
func (f Finder) Fit(ctx context.Context, asked Part, previous, said string) (fit float64, known bool) {
	around := asked.Around
	if previous != "" {
		around = previous + " " + asked.Text
	}
	if around == "" {
		around = asked.Text
	}
	answer := f.meaning(ctx, said)
	fit = math.Inf(-1)
	for _, form := range []string{asked.Text, around} {
		question := f.meaning(ctx, form)
		if question.asked == nil || answer.asked == nil {
			return 0, false
		}
		like := encoder.Cosine(question.vector, answer.vector)
		judgement := question.asked.Judge([]encoder.Tokens{answer.asked.Tokens()}, []float64{like})[0]
		fit = max(fit, judgement.Sure+fitOfLikeness*(like+question.asked.Match(answer.asked.Tokens())))
	}
	return fit, true
}

// fitOfLikeness is what the likenesses count beside the checker; FitsLeast the fit below
// which something is said beside the question.
const (
	fitOfLikeness = 3
	FitsLeast     = -2.1
)

// LacksNamed returns a name or a feast that a part of a message asks about and
// that a text says nothing of, "" if there is none: what is said of all days need not hold
// at Christmas.
func (f Finder) LacksNamed(asked Part, content string) string {
	analyzer := f.Index.Analyzer()
	stems := map[string]bool{}
	for _, t := range analyzer.Terms(content) {
		stems[t.Stem] = true
	}
	for _, w := range text.Words(asked.Text) {
		word := asked.Text[w.Start:w.End]
		if !text.IsNamed(asked.Text, w) && !text.IsFeast(w.Folded) || analyzer.IsStop(word, w.Folded) || text.IsTime(w.Folded) && !text.IsFeast(w.Folded) {
			continue
		}
		dated := slices.ContainsFunc(text.Feasts(asked.Text), func(feast text.Feast) bool {
			return feast.Start <= w.Start && w.End <= feast.End && feast.Dates(content)
		})
		if !stems[analyzer.Stem(w.Folded)] && !dated && f.Index.Spelt(w.Folded) == 0 {
			return word
		}
	}
	return ""
}
