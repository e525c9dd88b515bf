package answer

import (
	"math"
	"testing"
)

// Confidence follows what customers say, keeps the order of what is surer, and stays near
// what it was where few have said anything.
func TestConfidenceFollowsWhatCustomersSay(t *testing.T) {
	said := func(n int, confidence, share float64) (learnt []Learnt) {
		for i := range n {
			learnt = append(learnt, Learnt{confidence, float64(i) < share*float64(n)})
		}
		return learnt
	}
	if c := (Calibration{}); c.Of(0.37) != 0.37 {
		t.Error("nothing learnt changes something")
	}
	better := Calibrate(append(said(40, 0.5, 0.9), said(40, 0.3, 0.7)...))
	if got := better.Of(0.5); math.Abs(got-0.9) > 0.07 {
		t.Errorf("of what was 0.5 nine in ten were right, and it is %.2f", got)
	}
	worse := Calibrate(said(60, 0.6, 0.2))
	if got := worse.Of(0.6); math.Abs(got-0.2) > 0.1 {
		t.Errorf("of what was 0.6 one in five was right, and it is %.2f", got)
	}
	little := Calibrate(said(2, 0.5, 1))
	if got := little.Of(0.5); got < 0.5 || got > 0.75 {
		t.Errorf("after two it is %.2f", got)
	}
	// However odd what they say, what is surer stays surer, and a chance stays one.
	odd := Calibrate(append(said(200, 0.9, 0), said(200, 0.1, 1)...))
	for _, c := range []Calibration{better, worse, little, odd, Calibrate(said(500, 1, 1)), Calibrate(said(500, 0, 0)), Calibrate(nil)} {
		before := -1.0
		for _, chance := range []float64{0, 0.01, 0.2, 0.5, 0.8, 0.99, 1} {
			got := c.Of(chance)
			if math.IsNaN(got) || got < 0 || got > 1 || got < before {
				t.Errorf("%+v makes %.2f of %.2f, behind %.2f", c, got, chance, before)
			}
			before = got
		}
	}
}
