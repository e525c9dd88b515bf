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
		f.Heading*o.Heading + f.Question*o.Question + f.Lacking*o.Lacking + f.NoFact*o.NoFact + f.Short*o.Short + f.Unknown*o.Unknown + f.Margin*o.Margin
}

// confidence is the chance that a passage answers the question.
func (w *Weights) confidence(f Features) float64 {
	return 1 / (1 + math.Exp(-w.Bias-w.Confidence.dot(f)))
}
