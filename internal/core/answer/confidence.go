package answer

import (
	_ "embed"
	"encoding/json"
	"math"
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

// confidence is the chance that a passage answers the question.
func (w *Weights) confidence(f Features) float64 {
	c := 1 / (1 + math.Exp(-w.Bias-w.Confidence.dot(f)))
	if f.Lacking > 0 && f.Counted >= halfThere && f.Meaning < vouched {
		c *= nearMiss
	}
	return c
}

// The commonest wrong answer is the near miss: many of the telling words are
// there, and one is not. Unless the meaning vouches for the passage, it is
// trusted less than the fit says.
const (
	halfThere = 0.4
	vouched   = 0.7
	nearMiss  = 0.7
)
