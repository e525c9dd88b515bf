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
