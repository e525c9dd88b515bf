package encoder

import "golang.org/x/sys/cpu"

// What the processor has.
var (
	hasAVX2 = cpu.X86.HasAVX2
	hasVNNI = cpu.X86.HasAVX512F && cpu.X86.HasAVX512BW && cpu.X86.HasAVX512VNNI
)

// dotTiles multiplies the weights of so many outputs, n for each, with each of
// the tile's rows of n numbers, and writes the sums by output.
func dotTiles(weights []int8, x []int16, outputs, n int, sums []int32) {
	if outputs == 0 || n == 0 {
		return
	}
	_, _, _ = weights[outputs*n-1], x[tile*n-1], sums[outputs*tile-1]
	switch {
	case hasVNNI && n%32 == 0:
		dotTilesVNNI(&weights[0], &x[0], outputs, n, &sums[0])
	case hasAVX2 && n%16 == 0:
		dotTilesAVX2(&weights[0], &x[0], outputs, n, &sums[0])
	default:
		dotTilesPlain(weights, x, outputs, n, sums)
	}
}

// dotTilesAVX2 is dotTilesPlain for at least one output and n a multiple of 16.
// The sums are whole numbers, so they are the same.
//
//go:noescape
func dotTilesAVX2(weights *int8, x *int16, outputs, n int, sums *int32)

// dotTilesVNNI is the same for n a multiple of 32.
//
//go:noescape
func dotTilesVNNI(weights *int8, x *int16, outputs, n int, sums *int32)
