//go:build !amd64

package encoder

// dotTiles multiplies the weights of so many outputs, n for each, with each of
// the tile's rows of n numbers, and writes the sums by output.
func dotTiles(weights []int8, x []int16, outputs, n int, sums []int32) {
	dotTilesPlain(weights, x, outputs, n, sums)
}

// largest returns the bits of the largest number of a row, without its sign.
func largest(row []float32) uint32 { return largestPlain(row) }

// round writes each number times factor as a whole number, to the nearest.
func round(row []float32, factor float32, into []int16) { roundPlain(row, factor, into) }

// blend adds to into as much as weights say of rows of as many numbers, which begin
// stride numbers apart.
func blend(weights, of []float32, stride int, into []float32) {
	blendPlain(weights, of, stride, into)
}

// dot is the dot product of two lists of the same length, the sum of sixteen sums.
func dot(a, b []float32) float32 { return dotPlain(a, b) }

// settle writes what the sums of a tile come to, a row of outputs for each of its rows, which
// begin stride numbers apart.
func settle(sums []int32, ofRows, scales, biases, into []float32, stride int) {
	settlePlain(sums, ofRows, scales, biases, into, stride)
}

// exps writes e to the power of each number.
func exps(x, into []float32) {
	for i, v := range x {
		into[i] = exp(v)
	}
}

// contrast writes the products of two lists, and behind them how far they lie apart.
func contrast(a, b, into []float32) { contrastPlain(a, b, into) }

// raise raises each number of into to the largest of its column, in n rows of as many numbers.
func raise(of []float32, n, stride int, into []float32) { raisePlain(of, n, stride, into) }

// floor raises what is below 0.
func floor(x []float32) { floorPlain(x) }
