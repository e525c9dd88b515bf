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

// dot is the dot product of two lists of the same length, the sum of sixteen sums.
func dot(a, b []float32) float32 {
	if n := len(a); !hasAVX2 || n == 0 || n%dotLanes != 0 {
		return dotPlain(a, b)
	}
	_ = b[len(a)-1]
	var sums [dotLanes]float32
	dotAVX2(&a[0], &b[0], len(a), &sums[0])
	return folded(&sums)
}

// settle writes what the sums of a tile come to, a row of outputs for each of its rows, which
// begin stride numbers apart.
func settle(sums []int32, ofRows, scales, biases, into []float32, stride int) {
	n := len(scales)
	if !hasAVX2 || n == 0 || n%4 != 0 || len(ofRows) < tile {
		settlePlain(sums, ofRows, scales, biases, into, stride)
		return
	}
	_, _, _, _ = sums[n*tile-1], ofRows[tile-1], biases[n-1], into[(tile-1)*stride+n-1]
	settleAVX2(&sums[0], n, &ofRows[0], &scales[0], &biases[0], &into[0], stride)
}

// exps writes e to the power of each number.
func exps(x, into []float32) {
	whole := 0
	if hasAVX2 {
		if whole = len(x) &^ 3; whole > 0 {
			_ = into[whole-1]
			expsAVX2(&x[0], whole, &expParts[0], &into[0])
		}
	}
	for i, v := range x[whole:] {
		into[whole+i] = exp(v)
	}
}

// contrast writes the products of two lists, and behind them how far they lie apart.
func contrast(a, b, into []float32) {
	n := len(a)
	if !hasAVX2 || n == 0 || n%8 != 0 {
		contrastPlain(a, b, into)
		return
	}
	_, _ = b[n-1], into[2*n-1]
	contrastAVX2(&a[0], &b[0], n, &into[0])
}

// raise raises each number of into to the largest of its column, in n rows of as many numbers.
func raise(of []float32, n, stride int, into []float32) {
	if !hasAVX2 || n == 0 || len(into) == 0 || len(into)%8 != 0 {
		raisePlain(of, n, stride, into)
		return
	}
	_ = of[(n-1)*stride+len(into)-1]
	raiseAVX2(&of[0], n, stride, &into[0], len(into))
}

// floor raises what is below 0.
func floor(x []float32) {
	whole := 0
	if hasAVX2 {
		if whole = len(x) &^ 7; whole > 0 {
			floorAVX2(&x[0], whole)
		}
	}
	floorPlain(x[whole:])
}

//go:noescape
func dotAVX2(a, b *float32, n int, sums *float32)

//go:noescape
func settleAVX2(sums *int32, n int, ofRows, scales, biases, into *float32, stride int)

//go:noescape
func expsAVX2(x *float32, n int, parts *float64, into *float32)

//go:noescape
func contrastAVX2(a, b *float32, n int, into *float32)

//go:noescape
func raiseAVX2(of *float32, n, stride int, into *float32, width int)

//go:noescape
func floorAVX2(x *float32, n int)

//go:noescape
func largestAVX2(row *float32, n int) uint32

//go:noescape
func roundAVX2(row *float32, n int, factor, half float32, less int32, into *int16)

//go:noescape
func blendAVX2(weights *float32, n int, of *float32, stride int, into *float32, width int)
