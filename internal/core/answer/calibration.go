package answer

import "math"

// A Calibration is what a workspace's own customers taught of confidence: a chance, as a
// logit, is multiplied by Slope, and Shift is added (Platt, 1999: "Probabilistic Outputs
// for Support Vector Machines"). The zero Calibration changes nothing.
type Calibration struct {
	Slope float64 `json:"slope"`
	Shift float64 `json:"shift"`
}

// Of returns the chance for what was a chance before, both from 0 to 1.
func (c Calibration) Of(chance float64) float64 {
	if c == (Calibration{}) {
		return chance
	}
	return logistic(c.Slope*logit(chance) + c.Shift)
}

// logit is the inverse of logistic, as far as chances are told apart.
func logit(chance float64) float64 {
	chance = max(1e-6, min(1-1e-6, chance))
	return math.Log(chance / (1 - chance))
}

// Learnt is how sure the bot was of what it found first for a question, 0 to 1, and whether
// the customer said that it answers.
type Learnt struct {
	Confidence float64
	Right      bool
}

// How much is held against a slope other than 1, and a shift: what customers say to offers
// comes from the middle of the scale and says little of its ends.
const (
	heldAgainstSlope = 12.0
	heldAgainstShift = 1.0
)

// Calibrate fits a calibration by what customers said, with Newton's steps on the penalised
// likelihood.
func Calibrate(learnt []Learnt) Calibration {
	c := Calibration{Slope: 1}
	for range 25 {
		g0, g1 := heldAgainstSlope*(1-c.Slope), -heldAgainstShift*c.Shift
		h00, h01, h11 := heldAgainstSlope, 0.0, heldAgainstShift
		for _, l := range learnt {
			x := logit(l.Confidence)
			chance := logistic(c.Slope*x + c.Shift)
			pull := -chance
			if l.Right {
				pull++
			}
			bend := chance * (1 - chance)
			g0, g1 = g0+pull*x, g1+pull
			h00, h01, h11 = h00+bend*x*x, h01+bend*x, h11+bend
		}
		det := h00*h11 - h01*h01
		c.Slope = max(0.2, c.Slope+(g0*h11-g1*h01)/det) // what is surer stays surer
		c.Shift += (g1*h00 - g0*h01) / det
	}
	return c
}
