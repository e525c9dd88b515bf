package answer

import (
	_ "embed"
	"encoding/json"
	"math"
	"strconv"
)

// fittedFile holds the weights that were fitted on the labelled questions in
// test/quality; make fit writes it anew.
//
//go:embed fitted.json
var fittedFile []byte

// Weights tell how much each feature counts.
type Weights struct {
	Rank       Features `json:"rank"`       // a passage's rank is the sum of its features, weighted
	Confidence Chance   `json:"confidence"` // that it answers the question
	Likely     Chance   `json:"likely"`     // that it or one of the two behind it does
	Quote      Tells    `json:"quote"`      // the sentence that answers has the largest sum
}

// Fitted are the weights where the checker has a say, and where it has none: the tokens
// of question or passages are not known.
type Fitted struct {
	Judged Weights `json:"judged"`
	Plain  Weights `json:"plain"`
}

// fitted does not change.
var fitted = func() (w Fitted) {
	if err := json.Unmarshal(fittedFile, &w); err != nil {
		panic(err) // the file is embedded
	}
	return w
}()

func (f Features) dot(o Features) float64 {
	a, b := f.Values(), o.Values()
	sum := 0.0
	for i, v := range a {
		sum += v * b[i]
	}
	return sum
}

// confidence is the chance that a passage answers the question; a pair is a
// question with the answer that was written for it.
func (w *Weights) confidence(f *Features, pair bool) float64 {
	c := w.Confidence.of(f)
	if f.Lacking >= unheardOf && f.Counted >= mostThere {
		c *= nearMiss
	} else if f.Lacking >= unheardOf && f.Counted >= halfThere {
		c *= halfMiss
	}
	if pair && f.Counted >= wholly {
		// What was written as the answer to a question like this one answers this one.
		c = max(c, f.Best*logistic(likeSteep*(max(f.Heading, f.Question)-likeHalf)))
	}
	return c
}

func logistic(x float64) float64 { return 1 / (1 + math.Exp(-x)) }

// How like its question a pair's must be to be trusted half, and how steeply trust grows
// from there; and which share of the telling words it must hold.
const (
	likeHalf  = 0.72
	likeSteep = 14
	wholly    = 0.99
)

// The commonest wrong answer is the near miss: most of the telling words are there, and one
// is not, nor is it anywhere in the knowledge ("... at Christmas?"). Of two words, of which one
// is there ("can I rent skis?", and skates are), it may be one.
const (
	mostThere = 0.6
	unheardOf = 0.95
	nearMiss  = 0.7
	halfThere = 0.5
	halfMiss  = 0.85
)

// Shown writes a confidence with two digits behind the point, never rounded up: one
// that is below a threshold must not look as if it had reached it.
func Shown(confidence float64) string {
	const spare = 1e-9 // for what binary fractions lose
	return strconv.FormatFloat(math.Floor(confidence*100+spare)/100, 'f', 2, 64)
}
