//go:build !amd64

package encoder

// dotTiles multiplies the weights of so many outputs, n for each, with each of
// the tile's rows of n numbers, and writes the sums by output.
func dotTiles(weights []int8, x []int16, outputs, n int, sums []int32) {
	dotTilesPlain(weights, x, outputs, n, sums)
}
