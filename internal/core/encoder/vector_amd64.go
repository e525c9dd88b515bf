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

// largest returns the bits of the largest number of a row, without its sign.
func largest(row []float32) uint32 {
	if !hasAVX2 || len(row) == 0 || len(row)%16 != 0 {
		return largestPlain(row)
	}
	return largestAVX2(&row[0], len(row))
}

// round writes each number times factor as a whole number, to the nearest.
func round(row []float32, factor float32, into []int16) {
	if !hasAVX2 || len(row) == 0 || len(row)%16 != 0 {
		roundPlain(row, factor, into)
		return
	}
	_ = into[len(row)-1]
	roundAVX2(&row[0], len(row), factor, finest+0.5, finest, &into[0])
}

// blend adds to into as much as weights say of rows of as many numbers, which begin
// stride numbers apart.
func blend(weights, of []float32, stride int, into []float32) {
	if !hasAVX2 || len(weights) == 0 || len(into) == 0 || len(into)%16 != 0 {
		blendPlain(weights, of, stride, into)
		return
	}
	_ = of[(len(weights)-1)*stride+len(into)-1]
	blendAVX2(&weights[0], len(weights), &of[0], stride, &into[0], len(into))
}

//go:noescape
func largestAVX2(row *float32, n int) uint32

//go:noescape
func roundAVX2(row *float32, n int, factor, half float32, less int32, into *int16)

//go:noescape
func blendAVX2(weights *float32, n int, of *float32, stride int, into *float32, width int)
