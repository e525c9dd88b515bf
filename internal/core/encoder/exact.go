package encoder

import "math"

// Products are converted to float32 before they are added up, here and elsewhere in the
// package: the language then forbids to join both in one step with one rounding, which
// some processors can. The functions of package math have instructions of their own on
// some processors, so what they might compute differently is computed here.

const (
	expMost = 88
	log2e   = 1.4426950408889634
	// ln 2 in two parts, so that taking whole multiples away loses nothing.
	ln2High = 6.93147180369123816490e-01
	ln2Low  = 1.90821492927058770002e-10
)

// expSeries is e to the power of what lies between ±0.35, the seventh power first.
var expSeries = [...]float64{1.0 / 5040, 1.0 / 720, 1.0 / 120, 1.0 / 24, 1.0 / 6, 0.5, 1, 1}

// expParts is what exp is computed with, for a processor that does so with several at a time.
var expParts = append([]float64{expMost, -expMost, log2e, 0.5, ln2High, ln2Low}, expSeries[:]...)

// exp is e to the power of x, within a few units of the last place of a float32.
func exp(x float32) float32 {
	if x != x || x < -expMost {
		return 0
	}
	v := float64(min(x, expMost))
	k := math.Floor(float64(v*log2e) + 0.5)
	r := float64(v-float64(k*ln2High)) - float64(k*ln2Low)
	sum := expSeries[0]
	for _, c := range expSeries[1:] {
		sum = float64(sum*r) + c
	}
	return float32(sum * math.Float64frombits(uint64(1023+int64(k))<<52)) // two to the power of k
}

// tanh is the hyperbolic tangent.
func tanh(x float32) float32 {
	e := exp(-2 * max(x, -x))
	t := (1 - e) / (1 + e)
	if x < 0 {
		return -t
	}
	return t
}

// logOnePlus is the logarithm of 1+x, for x from 0 to 1: the series of the inverse
// hyperbolic tangent.
func logOnePlus(x float32) float32 {
	z := float64(x) / (2 + float64(x))
	square := float64(z * z)
	sum := 0.0
	for _, c := range [...]float64{1.0 / 15, 1.0 / 13, 1.0 / 11, 1.0 / 9, 1.0 / 7, 1.0 / 5, 1.0 / 3, 1} {
		sum = float64(sum*square) + c
	}
	return float32(2 * z * sum)
}
