package encoder

import (
	"math"
	"sync"
)

// A matrix maps rows of in numbers to rows of out numbers. Its weights are
// 8-bit, a row and a scale for each output.
type matrix struct {
	out, in int
	weights []int8
	scale   []float32
	bias    []float32
}

// unpack writes one row of weights.
func (m *matrix) unpack(row int, into []float32) {
	for i, w := range m.weights[row*m.in : (row+1)*m.in] {
		into[i] = float32(w) * m.scale[row]
	}
}

// finest is the largest activation: products of 1,536 of them with 8-bit weights
// add up to less than 2^31.
const finest = 8191

// How many rows are multiplied at once, with how many outputs' weights.
const (
	tile  = 4
	block = 32
)

// multiply computes x times the matrix plus its bias.
func (m *matrix) multiply(w *workspace, x, out rows) {
	w.room(x.n, m.in)
	for p := range x.n {
		w.scales[p] = quantise(x.row(p), w.quantised[p*m.in:(p+1)*m.in])
	}
	m.multiplied(w, x.n, out)
}

// multiplied multiplies the n rows of whole numbers that lie in the workspace.
func (m *matrix) multiplied(w *workspace, n int, out rows) {
	// A block of weights stays near while all rows are multiplied with it.
	var sums [block * tile]int32
	for first := 0; first < m.out; first += block {
		outputs := min(block, m.out-first)
		scales, biases := m.scale[first:first+outputs], m.bias[first:first+outputs]
		for p := 0; p < n; p += tile {
			dotTiles(m.weights[first*m.in:(first+outputs)*m.in], w.quantised[p*m.in:(p+tile)*m.in], outputs, m.in, sums[:outputs*tile])
			ofRows := w.scales[p:min(p+tile, n)]
			settle(sums[:outputs*tile], ofRows, scales, biases, out.v[p*out.width+first:], out.width)
		}
	}
}

// settlePlain is settle in plain Go.
func settlePlain(sums []int32, ofRows, scales, biases, into []float32, stride int) {
	for i, scale := range ofRows {
		row := into[i*stride : i*stride+len(scales)]
		for o := range row {
			row[o] = float32(float32(sums[o*tile+i])*scale*scales[o]) + biases[o]
		}
	}
}

// quantise rounds a row to whole numbers of at most finest and returns what one
// of them is worth.
func quantise(row []float32, into []int16) float32 {
	most := math.Float32frombits(largest(row))
	if most == 0 {
		clear(into)
		return 0
	}
	round(row, finest/most, into)
	return most / finest
}

func largestPlain(row []float32) (bits uint32) { // they sort as the numbers do
	for _, v := range row {
		bits = max(bits, math.Float32bits(v)&^(1<<31))
	}
	return bits
}

func roundPlain(row []float32, factor float32, into []int16) {
	for i, v := range row {
		into[i] = int16(int32(float32(v*factor)+(finest+0.5)) - finest) // to the nearest, also below 0
	}
}

func blendPlain(weights, of []float32, stride int, into []float32) {
	for i, weight := range weights {
		for k, v := range of[i*stride : i*stride+len(into)] {
			into[k] += float32(weight * v)
		}
	}
}

// dotTilesPlain is dotTiles in plain Go.
func dotTilesPlain(weights []int8, x []int16, outputs, n int, sums []int32) {
	a, b, c, d := x[:n], x[n:2*n], x[2*n:3*n], x[3*n:4*n]
	for o := range outputs {
		var s0, s1, s2, s3 int32
		for i, w := range weights[o*n : (o+1)*n] {
			w := int32(w)
			s0 += w * int32(a[i])
			s1 += w * int32(b[i])
			s2 += w * int32(c[i])
			s3 += w * int32(d[i])
		}
		sums[4*o], sums[4*o+1], sums[4*o+2], sums[4*o+3] = s0, s1, s2, s3
	}
}

// rows are rows of numbers of one width.
type rows struct {
	n, width int
	v        []float32
}

func (r rows) row(i int) []float32 { return r.v[i*r.width : (i+1)*r.width] }

func (r rows) add(o rows) {
	for i, v := range o.v {
		r.v[i] += v
	}
}

// dotLanes is how many sums a dot product is the sum of: so many are added to at a time.
const dotLanes = 16

// dotPlain is dot in plain Go.
func dotPlain(a, b []float32) float32 {
	var sums [dotLanes]float32
	for len(a) >= dotLanes && len(b) >= dotLanes {
		for i, v := range a[:dotLanes] {
			sums[i] += float32(v * b[i])
		}
		a, b = a[dotLanes:], b[dotLanes:]
	}
	for i, v := range a {
		sums[i] += float32(v * b[i])
	}
	return folded(&sums)
}

// folded adds sums up, in a fixed order.
func folded(sums *[dotLanes]float32) float32 {
	for half := dotLanes / 2; half > 0; half /= 2 {
		for i := range half {
			sums[i] += sums[half+i]
		}
	}
	return sums[0]
}

// Cosine is that of two vectors of length 1, of equally many numbers.
func Cosine(a, b []float32) float64 { return float64(dot(a, b)) }

func contrastPlain(a, b, into []float32) {
	for i, v := range a {
		into[i] = v * b[i]
		d := v - b[i]
		into[len(a)+i] = max(d, -d)
	}
}

func raisePlain(of []float32, n, stride int, into []float32) {
	for i := range n {
		for k, v := range of[i*stride : i*stride+len(into)] {
			into[k] = max(into[k], v)
		}
	}
}

func floorPlain(x []float32) {
	for i, v := range x {
		x[i] = max(v, 0)
	}
}

// sum adds up a list whose length divides by 4.
func sum(a []float32) float32 {
	var s0, s1, s2, s3 float32
	for ; len(a) >= 4; a = a[4:] {
		s0 += a[0]
		s1 += a[1]
		s2 += a[2]
		s3 += a[3]
	}
	return s0 + s1 + s2 + s3
}

// A workspace lends the memory for one encoding.
type workspace struct {
	floats    []float32
	used      int
	quantised []int16
	scales    []float32
}

// put lays the tokens of texts into the workspace, one behind the other, n in all; 1 is
// worth unit.
func (w *workspace) put(texts []Tokens, n int, unit float32) {
	w.room(n, TokenDim)
	into := w.quantised
	for _, t := range texts {
		for i, v := range t {
			into[i] = int16(v)
		}
		into = into[len(t):]
	}
	for p := range n {
		w.scales[p] = unit
	}
}

// room makes room for n rows of whole numbers, filled up to whole tiles.
func (w *workspace) room(n, width int) {
	padded := (n + tile - 1) / tile * tile
	w.quantised = grow(w.quantised, padded*width)
	w.scales = grow(w.scales, padded)
	clear(w.quantised[n*width:])
}

var workspaces = sync.Pool{New: func() any { return new(workspace) }}

// zeros lends rows of zeros until reset.
func (w *workspace) zeros(n, width int) rows {
	r := w.take(n, width)
	clear(r.v)
	return r
}

// take lends rows until reset; what is in them is to be overwritten.
func (w *workspace) take(n, width int) rows {
	if w.used+n*width > len(w.floats) {
		// What was lent before stays valid; only the spare memory is new.
		w.floats, w.used = make([]float32, max(n*width, 2*len(w.floats), 64*hidden)), 0
	}
	v := w.floats[w.used : w.used+n*width : w.used+n*width]
	w.used += n * width
	return rows{n, width, v}
}

func (w *workspace) reset() { w.used = 0 }

func grow[T any](s []T, n int) []T {
	if cap(s) < n {
		return make([]T, n)
	}
	return s[:n]
}
