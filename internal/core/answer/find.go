package answer

import (
	"cmp"
	"context"
	"slices"
	"sync"
	"time"

	"urgentparrot.example/internal/core/encoder"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
)

// A Candidate is a passage weighed as the answer to a question.
type Candidate struct {
	knowledge.Hit
	Features   Features
	Coverage   float64   // share of the question's telling words it holds, 0 to 1
	Meaning    float64   // likeness of its best sentence or heading to the question, -1 to 1; 0 while it is not known
	Sure       float64   // how sure the checker is that a sentence of it answers, 0 to 1; 0 while that is not known
	Confidence float64   // that it answers the question, 0 to 1
	Missing    []string  // telling words of the question that it does not hold
	Lacks      string    // the word of the question that the checker finds nothing for, "" if there is none
	Quote      text.Span // the sentences of the passage that answer
	said       string    // what they say of what was asked, of the rows of a table; "": as they stand
	rank       float64
	echoes     bool // says what the first says
	sentences  []sentence
	heads      []float64 // how well the headings hold each term of the question
}

// A Finder finds passages for questions. It is safe for concurrent use.
type Finder struct {
	Index   *knowledge.Index
	Scope   knowledge.Scope
	Vectors *Vectors  // nil: passages are found by their words only
	Wanted  *[]string // takes the texts whose vectors were not known, if it is not nil; then only one goroutine may use the Finder

	// Tokens returns those of the sentences of passages, nil for a passage whose tokens
	// are not known; nil: none are.
	Tokens func(ctx context.Context, passages []knowledge.Hit) [][]encoder.Tokens

	Weights     *Fitted     // nil: those that were fitted
	Calibration Calibration // of the workspace

	Watch func(Candidate, []Tells) // is shown what told of each sentence of a candidate, for fitting; nil: nobody is

	Lately  *Lately // what was found before; nil: every question is searched for
	Sources string  // names the sources of the scope, for Lately
	Title   string  // of the business
}

// considered is how many of the best passages by words, and of the best by
// meaning, are weighed.
const considered = 16

// Found is what was found for one question.
type Found struct {
	Mended     string // the question with misspelt words mended
	Meant      string // and, of a follow-up, with what it takes from the question before
	Candidates []Candidate
	Bare       string  // the question without the place or name at its end, if it was answered so; "": as Meant
	Likely     float64 // the chance that one of the first three answers it, 0 to 1

	behind []knowledge.Hit // the next ones, for a reader that takes more
}

// While its meaning is not known, a passage that shares hardly a word with the
// question is there by chance.
const (
	sharesWords = 0.3
	byChance    = 0.2
)

// closely is how many of the best are held against the question token by token, and
// bearing how many of these are looked at for whether others bear them out.
const (
	closely = 12
	bearing = 3
)

// kept is how many candidates are returned.
const kept = 8

// unrelated is how near in meaning a question and a passage of other matters are.
const unrelated = 0.25

// Find returns the passages that may answer what a part of a message asks, the best
// first; none when it holds no telling word. Follow-up questions take their subject from
// previous, the question before it ("" if none).
//
// What it returns may be shared and must not be changed.
func (f Finder) Find(ctx context.Context, asked Part, previous string) Found {
	if f.Lately == nil || f.Index.Timed() {
		found, _ := f.search(ctx, asked, previous)
		return found
	}
	key := lateKey{f.Sources, asked.Text, asked.Around, previous, f.Title, f.Scope.Now.Format(time.DateOnly), f.Calibration}
	found, ok := f.Lately.get(f.Index, key)
	if !ok {
		var whole bool
		if found, whole = f.search(ctx, asked, previous); whole {
			f.Lately.put(f.Index, key, found)
		}
	}
	return found
}

// search looks for what was asked, by itself and, where it may follow the question before,
// together with that. It reports whether it could use all that there is: it could not if
// the meaning of the question was not to be had.
func (f Finder) search(ctx context.Context, asked Part, previous string) (found Found, whole bool) {
	q := f.understand(asked.Text)
	found = Found{Mended: q.mended, Meant: q.mended}
	around := asked.Around
	need := byItself
	if previous != "" {
		need = followsUp(&q)
	}
	if need == byItself {
		found, whole = f.look(ctx, q, found, around)
		return f.bare(ctx, asked.Text, found), whole
	}
	// It may stand by itself, or follow: the surer reading holds.
	pointing := q.onlyPoints()
	alone, whole := f.look(ctx, q, found, around)
	q.own = len(q.terms)
	if q.replaces {
		if before := f.Find(ctx, Part{Text: previous, Kind: Question}, ""); len(before.Candidates) > 0 {
			q.before = &before.Candidates[0]
		}
	}
	found.Meant = q.carryOver(f.Index, previous)
	q.on(f.Index, f.Scope.Now)
	q.bare = false
	following, known := f.look(ctx, q, found, previous+" "+q.mended)
	if pointing && need == follows {
		return following, whole && known
	}
	if need == mayFollow && alone.sureness() >= standsAlone || following.sureness() < alone.sureness()+surerAlone[need] {
		if need == follows {
			alone.Meant = found.Meant // what is asked next may follow both
		}
		following = alone
	} else {
		q.doubtStrange(f.Index, following.Candidates)
	}
	return following, whole && known
}

// understand reads a question, asked now.
func (f Finder) understand(asked string) question {
	q := f.Lately.understood(f.Index, asked)
	q.terms = slices.Clone(q.terms) // it may take on others
	q.on(f.Index, f.Scope.Now)
	return q
}

// doubtStrange doubts what answers a follow-up that brings up something of which the knowledge
// has no word: after "are lockers free?", "is it loud in there?" is not answered by lockers.
func (q *question) doubtStrange(ix *knowledge.Index, candidates []Candidate) {
	if len(candidates) == 0 || followUp.MatchString(q.mended) {
		return
	}
	for _, t := range q.terms[:q.own] {
		strange := !slices.ContainsFunc(t.want, func(a knowledge.Alternative) bool { return ix.Knows(a.Stem) })
		if strange && !t.Light && slices.Contains(candidates[0].Missing, t.Word) {
			for i := range candidates {
				candidates[i].Confidence = min(candidates[i].Confidence, doubted)
			}
			return
		}
	}
}

// surerAlone is how much surer a question must be when it follows the one before than
// by itself; standsAlone how sure one that only may follow must be to stand by itself.
var surerAlone = [...]float64{mayFollow: 0.2, follows: -0.15}

const standsAlone = 0.3

// repeatsLess is what a passage is lowered by that would say to a follow-up what was said to
// the question before, though another has what it asks about in its heading.
const repeatsLess = 6.0

// lacksCode is what a passage is lowered by that lacks a code which the question names and
// another holds: an error, a format, a model ("MT940").
const lacksCode = 20

// Asks is what a next question may follow.
func (f Found) Asks() string { return cmp.Or(f.Bare, f.Meant) }

// sureness is the confidence of the first candidate.
func (f Found) sureness() float64 {
	if len(f.Candidates) == 0 {
		return 0
	}
	return f.Candidates[0].Confidence
}

// look finds for one reading of a question, with the message around it: it gathers
// passages, weighs them by words and meaning, holds the best against the question token by
// token, picks their sentences, ranks them, and says how far they are to be trusted.
func (f Finder) look(ctx context.Context, q question, found Found, around string) (_ Found, whole bool) {
	own := f.wording(q, found.Meant)
	wide := own
	if around != "" && around != found.Mended {
		aroundAsked := f.understand(around)
		wide = f.wording(aroundAsked, aroundAsked.mended)
		if q.bare && wide.telling > 0 {
			wide.q.fact = q.fact
			own = wide // "what would that cost?" asks of what stands before it
		} else {
			own.around = &wide.weigher
		}
	}
	if own.q.telling() == 0 && wide.q.telling() == 0 {
		return found, true
	}
	found.Candidates = weighAll(own, wide, f.gather(ctx, own, wide, considered))
	weights := &f.fitted().Plain
	all := found.Candidates
	candidates, judged := f.judge(ctx, own, wide, all)
	if found.Candidates = candidates; judged {
		weights = &f.fitted().Judged
	}
	for i := range found.Candidates {
		c := &found.Candidates[i]
		own.quote(c, &weights.Quote)
		c.rank = weights.Rank.dot(c.Features) + f.preference(*c)
		if own.lacksCode(c) && slices.ContainsFunc(found.Candidates, func(o Candidate) bool { return !own.lacksCode(&o) }) {
			c.rank -= lacksCode
		}
		if own.repeats(c) && slices.ContainsFunc(found.Candidates, own.headed) {
			c.rank -= repeatsLess
		}
	}
	byRank(found.Candidates)
	ranked := slices.Clone(found.Candidates[:min(1, len(found.Candidates))])
	if own == wide {
		holdsMore(found.Candidates)
	}
	own.rowAsked(found.Candidates)
	own.headingAsked(found.Candidates)
	own.headingNamed(found.Candidates)
	own.extremeFirst(found.Candidates)
	own.pricedFirst(found.Candidates)
	for _, c := range slices.Concat(found.Candidates[min(kept, len(found.Candidates)):], all[len(found.Candidates):]) {
		if len(found.behind) < behind {
			found.behind = append(found.behind, c.Hit)
		}
	}
	found.Candidates = found.Candidates[:min(kept, len(found.Candidates))]
	if len(found.Candidates) > 0 && own == wide {
		found.Candidates[0].Features.Alone = 1
	}
	for i := range found.Candidates {
		found.Candidates[i].Features.Length = float64(wide.length) / 10
	}
	found.Likely = own.trust(found.Candidates, weights)
	if i := slices.IndexFunc(found.Candidates, func(c Candidate) bool { return c.Same(ranked[0].Hit) }); i > 0 {
		found.Likely = max(found.Likely, weights.Likely.of(&found.Candidates[i].Features)) // of three it is no matter which is first
	}
	if slices.ContainsFunc(found.Candidates[:min(choices, len(found.Candidates))], own.isHeading) {
		found.Likely = max(found.Likely, likelyHeading)
	}
	own.sureOfCode(found.Candidates)
	f.doubt(ctx, found)
	for i := range found.Candidates {
		found.Candidates[i].sentences, found.Candidates[i].heads = nil, nil // what is remembered need not hold them
	}
	return found, own.aim.Known() || f.Vectors == nil
}

// likelyHeading is how likely one of the first three answers at least, if its heading holds all
// that was asked about: "do you have vacancies?" is about what stands under "Jobs".
const likelyHeading = 0.5

func byRank(candidates []Candidate) {
	slices.SortStableFunc(candidates, func(a, b Candidate) int { return cmp.Compare(b.rank, a.rank) })
}

// doubted is how far a pair of question and answer is trusted at most whose question is like the
// one that is asked only in how it asks: it may be offered.
const doubted = 0.45

// doubt doubts such a pair if it comes first: "Can I take my bicycle on the boat?" does not say
// "what can I take with me?".
func (f Finder) doubt(ctx context.Context, found Found) {
	if len(found.Candidates) == 0 {
		return
	}
	first := found.Candidates[0]
	if first.Question == "" || first.Confidence < doubted || first.Coverage > 0 && !f.OnlyAsksLike(ctx, found.Meant, first.Question) {
		return
	}
	for i := range found.Candidates {
		c := &found.Candidates[i]
		c.Confidence = min(c.Confidence, doubted)
	}
}

// A wording is a question, or the message around it, made ready for being looked for.
type wording struct {
	weigher
	wants []knowledge.Want
	meant string
	asked *encoder.Asked // nil: its tokens are not known

	length int // how many words it has
}

func (f Finder) wording(q question, meant string) *wording {
	w := &wording{wants: q.wants(), meant: meant, length: len(text.Words(meant))}
	w.weigher = weigher{ix: f.Index, q: &q, stems: f.Lately.stemsOf(f.Index), analyzer: f.Index.Analyzer(), fitted: f.fitted(), calibration: f.Calibration, watch: f.Watch}
	w.prepare(meant)
	return w
}

// gather returns the n passages that hold most of the words of either wording, and the n
// that are the most like it, once it has found out what it means.
func (f Finder) gather(ctx context.Context, own, wide *wording, n int) (hits []knowledge.Hit) {
	add := func(found []knowledge.Hit) {
		for _, hit := range found {
			if !slices.ContainsFunc(hits, hit.Same) {
				hits = append(hits, hit)
			}
		}
	}
	for _, w := range []*wording{own, wide} {
		var byMeaning []knowledge.Hit
		var like sync.WaitGroup
		like.Go(func() {
			if m := f.meaning(ctx, w.meant); m.vector != nil {
				w.aim, w.asked = knowledge.NewAim(m.vector), m.asked
			}
			byMeaning = f.Index.ByMeaning(w.aim, f.Scope, n)
		})
		add(f.Index.ByWords(w.wants, f.Scope, n))
		like.Wait()
		add(byMeaning)
		if own == wide {
			break
		}
	}
	return hits
}

func (f Finder) fitted() *Fitted {
	if f.Weights != nil {
		return f.Weights
	}
	return &fitted
}

// What is preferred of passages that answer about as well, in units of rank.
const (
	preferTemporary = 20   // what holds for a time was written for this time
	preferHouse     = 1.5  // a person wrote it for this question
	preferEarlier   = 0.25 // each place in the order of the bot's sources
	preferredFrom   = 0.4  // the coverage, or likeness of the headings, from which what holds for a time is
	houseFrom       = 0.6  // the likeness of the question from which a house answer is
)

// preference is what a passage is raised by beside others.
func (f Finder) preference(c Candidate) (raise float64) {
	if max(c.Features.Coverage, c.Features.Heading) >= preferredFrom && (!c.From.IsZero() || !c.Until.IsZero()) {
		raise += preferTemporary
	}
	if c.Question != "" && max(c.Features.Question, c.Features.Heading) >= houseFrom {
		raise += preferHouse
	}
	return raise - preferEarlier*float64(min(f.Scope.Sources[c.SourceID], 8))
}

// Passage weighs one passage that was found for a question; it reports false if
// it is not among those found.
func (f Finder) Passage(ctx context.Context, asked, id string) (Candidate, bool) {
	for _, c := range f.Find(ctx, Part{Text: asked, Kind: Question}, "").Candidates {
		if c.ID == id {
			return c, true
		}
	}
	return Candidate{}, false
}
