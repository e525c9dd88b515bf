package encoder

import (
	"context"
	"math"
	"runtime"
	"slices"
	"strings"
	"sync"
)

// A Reading is what the encoder makes of a text.
type Reading struct {
	Vector []float32 // of the whole, Dim numbers of length 1
	Tokens Tokens
}

// TokenDim is the number of components of a token's vector.
const TokenDim = 128

// Tokens are vectors of length 1 for a text's pieces, one after another, in 8 bits a
// component: tokenUnit stands for 1.
type Tokens []int8

const tokenUnit = 256

// Len is the number of pieces.
func (t Tokens) Len() int { return len(t) / TokenDim }

// rounded rounds rows of length 1.
func rounded(x rows) Tokens {
	t := make(Tokens, len(x.v))
	for i, v := range x.v {
		t[i] = int8(max(-127, min(127, math.Round(float64(v)*tokenUnit))))
	}
	return t
}

// Bytes returns the tokens of several texts for keeping.
func Bytes(texts []Tokens) []byte {
	var b []byte
	for _, t := range texts {
		b = append(b, byte(t.Len()))
		for _, v := range t {
			b = append(b, byte(v))
		}
	}
	return b
}

// ParseTokens takes apart what Bytes put together; nil if it is damaged.
func ParseTokens(b []byte) (texts []Tokens) {
	for len(b) > 0 {
		n := int(b[0]) * TokenDim
		if b = b[1:]; len(b) < n {
			return nil
		}
		t := make(Tokens, n)
		for i := range t {
			t[i] = int8(b[i])
		}
		texts, b = append(texts, t), b[n:]
	}
	return texts
}

// Widths of the judge.
const (
	compared = 48
	judged   = 64
)

// A judge holds the tokens of a question against those of a sentence: each token is
// compared with what it is softly aligned to on the other side (Parikh and others, 2016:
// "A Decomposable Attention Model"). test/training teaches it.
type judge struct {
	token, telling, compared matrix
	asked, said              matrix // compare the tokens of either side
	missing, inner, outer    matrix
	steep                    float32 // how sharply tokens are aligned
}

func (r *reader) judge() judge {
	j := judge{token: r.matrix(false), telling: r.matrix(true), compared: r.matrix(true), asked: r.matrix(true), said: r.matrix(true),
		missing: r.matrix(true), inner: r.matrix(true), outer: r.matrix(true)}
	j.token.bias = make([]float32, j.token.out)
	if steep := r.floats(); len(steep) == 1 {
		j.steep = steep[0]
	}
	return j
}

// A side is a text made ready to be held against others.
type side struct {
	n       int
	tokens  Tokens
	telling []float32 // how much each token tells, of all
	seen    []float32 // what is compared of each token
}

// sides makes texts ready; what they hold is lent by the workspace.
func (j *judge) sides(w *workspace, texts []Tokens) []side {
	n := 0
	for _, t := range texts {
		n += t.Len()
	}
	const length = 11.313708498984760 // of vectors whose components are about 1: the root of TokenDim
	seen, told := w.take(n, compared), w.take(n, 1)
	w.put(texts, n, length/tokenUnit)
	j.compared.multiplied(w, n, seen)
	j.telling.multiplied(w, n, told)
	sides := make([]side, len(texts))
	at := 0
	for k, t := range texts {
		s := side{t.Len(), t, told.v[at : at+t.Len()], seen.v[at*compared : (at+t.Len())*compared]}
		at += s.n
		var all float32
		for i, v := range s.telling {
			s.telling[i] = max(v, 0) + logOnePlus(exp(-max(v, -v)))
			all += s.telling[i]
		}
		for i := range s.telling {
			s.telling[i] /= max(all, 1e-6)
		}
		sides[k] = s
	}
	return sides
}

// Asked is a question made ready to be held against sentences. It is safe for
// concurrent use.
type Asked struct {
	e    *Encoder
	side side
	wide []int16  // the tokens, filled up to whole tiles
	of   []string // the word that each piece belongs to
}

// Ask makes a question ready. It breaks off with the context's error.
func (e *Encoder) Ask(ctx context.Context, question string) (*Asked, Reading, error) {
	r, err := e.Read(ctx, question)
	if err != nil {
		return nil, r, err
	}
	w := workspaces.Get().(*workspace)
	defer workspaces.Put(w)
	defer w.reset()
	n := r.Tokens.Len()
	s := e.judge.sides(w, []Tokens{r.Tokens})[0]
	s.telling, s.seen = slices.Clone(s.telling), slices.Clone(s.seen)
	a := &Asked{e: e, side: s, wide: make([]int16, (n+tile-1)/tile*tile*TokenDim), of: e.wordsOf(e.Pieces(question))}
	for i, v := range r.Tokens {
		a.wide[i] = int16(v)
	}
	return a, r, nil
}

// Tokens are those of the question.
func (a *Asked) Tokens() Tokens { return a.side.tokens }

// wordsOf returns for each piece the word that it is a part of, without the marks
// around it.
func (e *Encoder) wordsOf(ids []int) []string {
	of := make([]string, len(ids))
	first := 0
	word := ""
	for i := 0; i <= len(ids); i++ {
		piece := "▁"
		if i < len(ids) {
			piece = e.pieces.texts[ids[i]]
		}
		if strings.HasPrefix(piece, "▁") {
			for k := first; k < i; k++ {
				of[k] = strings.Trim(word, "▁.,;:!?()\"'")
			}
			first, word = i, ""
		}
		word += piece
	}
	return of
}

// likes writes how like each token of the question each of a text is, a row for each
// token of the text.
func (a *Asked) likes(s Tokens, sums []int32, into []float32) {
	n, tokens := a.side.n, s.Len()
	for p := 0; p < n; p += tile {
		dotTiles(s, a.wide[p*TokenDim:(p+tile)*TokenDim], tokens, TokenDim, sums[:tokens*tile])
		for t := range tokens {
			for i := range min(tile, n-p) {
				into[t*n+p+i] = float32(sums[t*tile+i]) * (1.0 / (tokenUnit * tokenUnit))
			}
		}
	}
}

// Match returns how well a sentence matches: of each token of the question the best
// likeness to one of the sentence, weighed by how much the token tells, -1 to 1.
func (a *Asked) Match(s Tokens) float64 {
	n, tokens := a.side.n, s.Len()
	if n == 0 || tokens == 0 || tokens > maxPieces {
		return 0
	}
	var few [maxPieces * tile]int32
	sums := few[:tokens*tile]
	var match float32
	for p := 0; p < n; p += tile {
		dotTiles(s, a.wide[p*TokenDim:(p+tile)*TokenDim], tokens, TokenDim, sums)
		best := [tile]int32{-tokenUnit * tokenUnit, -tokenUnit * tokenUnit, -tokenUnit * tokenUnit, -tokenUnit * tokenUnit}
		for at := 0; at < len(sums); at += tile {
			for i, sum := range sums[at : at+tile] {
				best[i] = max(best[i], sum)
			}
		}
		for i := range min(tile, n-p) {
			match += float32(float32(best[i]) * (1.0 / (tokenUnit * tokenUnit)) * a.side.telling[p+i])
		}
	}
	return float64(match)
}

// A Judgement says how well a sentence answers a question.
type Judgement struct {
	Sure    float64 // that it answers: a logit
	Lacks   float64 // the chance that a word of the question is what is not covered, 0 to 1
	Lacking string  // the word for which that is likeliest
}

// apart is how many sentences are worth being judged on two processors.
const apart = 8

// Judge judges sentences, each with its cosine to the question: each by itself, so that it
// comes to the same however many there are.
func (a *Asked) Judge(sentences []Tokens, cosines []float64) []Judgement {
	judgements := make([]Judgement, len(sentences))
	half := len(sentences)
	if half >= apart && runtime.GOMAXPROCS(0) > 1 {
		half /= 2
	}
	var other sync.WaitGroup
	other.Go(func() { a.judge(sentences[half:], cosines[half:], judgements[half:]) })
	a.judge(sentences[:half], cosines[:half], judgements[:half])
	other.Wait()
	return judgements
}

func (a *Asked) judge(sentences []Tokens, cosines []float64, judgements []Judgement) {
	if len(sentences) == 0 {
		return
	}
	e, n := a.e, a.side.n
	w := workspaces.Get().(*workspace)
	defer workspaces.Put(w)
	defer w.reset()
	total, longest := 0, 0
	for _, s := range sentences {
		total, longest = total+s.Len(), max(longest, s.Len())
	}
	asked, said := w.zeros(n*len(sentences), e.judge.asked.in), w.zeros(total, e.judge.said.in)
	sides, matched := e.judge.sides(w, sentences), make([]float32, len(sentences))
	sums := make([]int32, longest*tile)
	first := 0
	for k := range sides {
		matched[k] = a.align(w, &sides[k], sums, asked, k*n, said, first)
		first += sides[k].n
	}
	ofAsked, ofSaid := w.take(asked.n, judged), w.take(said.n, judged)
	e.judge.asked.multiply(w, asked, ofAsked)
	e.judge.said.multiply(w, said, ofSaid)
	floor(ofAsked.v)
	floor(ofSaid.v)
	lacks := w.take(asked.n, 1)
	e.judge.missing.multiply(w, ofAsked, lacks)
	pooled := w.zeros(len(sentences), e.judge.inner.in)
	first = 0
	for k, s := range sides {
		row := pooled.row(k)
		pool(ofAsked, k*n, a.side.telling, row[:2*judged])
		pool(ofSaid, first, s.telling, row[2*judged:4*judged])
		first += s.n
		var most float32
		for i := range n {
			if chance := 1 / (1 + exp(-lacks.v[k*n+i])); chance > most {
				most = chance
				judgements[k].Lacking = a.of[i]
			}
		}
		judgements[k].Lacks = float64(most)
		row[4*judged], row[4*judged+1], row[4*judged+2] = matched[k], float32(cosines[k]), most
	}
	inner, outer := w.take(len(sentences), judged), w.take(len(sentences), 1)
	e.judge.inner.multiply(w, pooled, inner)
	floor(inner.v)
	e.judge.outer.multiply(w, inner, outer)
	for k := range judgements {
		judgements[k].Sure = float64(outer.v[k])
	}
}

// align writes what is compared of the tokens of both sides, from the given rows on,
// and returns the match.
func (a *Asked) align(w *workspace, s *side, sums []int32, asked rows, atAsked int, said rows, atSaid int) (match float32) {
	n := a.side.n
	likes, near := w.take(s.n, n), w.take(s.n, n)
	a.likes(s.tokens, sums, likes.v)
	for i, like := range likes.v {
		near.v[i] = like * a.e.judge.steep
	}
	exps(near.v, near.v)
	weights := w.take(1, max(n, s.n)).v
	for i := range n { // each token of the question over those of the sentence
		best, all := float32(-1), float32(0)
		for t := range s.n {
			best = max(best, likes.v[t*n+i])
			weights[t] = near.v[t*n+i]
			all += weights[t]
		}
		compare(a.side.seen[i*compared:(i+1)*compared], s.seen, weights[:s.n], all, best, asked.row(atAsked+i))
		match += float32(best * a.side.telling[i])
	}
	for t := range s.n {
		best, all := float32(-1), float32(0)
		for i, like := range likes.row(t) {
			best = max(best, like)
			weights[i] = near.v[t*n+i]
			all += weights[i]
		}
		compare(s.seen[t*compared:(t+1)*compared], a.side.seen, weights[:n], all, best, said.row(atSaid+t))
	}
	return match
}

// compare writes what a token is, what it is aligned to, their product, their
// difference, and the likeness of the best. It divides the weights by their sum.
func compare(own, others, weights []float32, all, best float32, into []float32) {
	for i := range weights {
		weights[i] /= all
	}
	aligned := into[compared : 2*compared]
	blend(weights, others, compared, aligned)
	copy(into, own)
	contrast(own, aligned, into[2*compared:4*compared])
	into[4*compared] = best
}

// pool writes the mean of rows, weighed by how much each tells, and the largest of each
// number.
func pool(x rows, from int, telling []float32, into []float32) {
	rows := x.v[from*x.width:]
	blend(telling, rows, x.width, into[:judged])
	raise(rows, len(telling), x.width, into[judged:])
}
