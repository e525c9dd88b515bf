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
	Confidence Features `json:"confidence"` // its confidence the logistic function of such a sum
	Bias       float64  `json:"bias"`
}

// fitted does not change.
var fitted = func() (w Weights) {
	if err := json.Unmarshal(fittedFile, &w); err != nil {
		panic(err) // the file is embedded
	}
	return w
}()

func (f Features) dot(o Features) float64 {
	return f.Words*o.Words + f.Coverage*o.Coverage + f.Counted*o.Counted + f.Together*o.Together + f.Meaning*o.Meaning + f.Whole*o.Whole +
		f.Heading*o.Heading + f.Question*o.Question + f.Lacking*o.Lacking + f.NoFact*o.NoFact + f.Fact*o.Fact + f.Short*o.Short + f.Best*o.Best
}

// confidence is the chance that a passage answers the question; a pair is a
// question with the answer that was written for it.
func (w *Weights) confidence(f Features, pair bool) float64 {
	c := logistic(w.Bias + w.Confidence.dot(f))
	if pair {
		// What was written as the answer to a question like this one answers this one.
		c = max(c, f.Best*logistic(likeSteep*(max(f.Heading, f.Question)-likeHalf)))
	}
	if f.Lacking > 0 && f.Counted >= someThere && f.Meaning < vouched {
		c *= nearMiss
	}
	return c
}

func logistic(x float64) float64 { return 1 / (1 + math.Exp(-x)) }

// How like its question a pair's must be to be trusted half, and how steeply
// trust grows from there.
const (
	likeHalf  = 0.72
	likeSteep = 14
)

// The commonest wrong answer is the near miss: some of the telling words are
// there, and one is not. Unless the meaning vouches for the passage, it is
// trusted less than the fit says.
const (
	someThere = 0.3
	vouched   = 0.7
	nearMiss  = 0.6
)

// Shown writes a confidence with two digits behind the point, never rounded up: one
// that is below a threshold must not look as if it had reached it.
func Shown(confidence float64) string {
	const spare = 1e-9 // for what binary fractions lose
	return strconv.FormatFloat(math.Floor(confidence*100+spare)/100, 'f', 2, 64)
}
