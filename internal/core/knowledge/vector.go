package knowledge

import (
	"encoding/binary"
	"math"
)

// A Code is a vector rounded to 4 bits a component, with its scale before it: an
// eighth of the memory, and dot products within about 0.006 of the exact ones.
type Code []byte

// scaleBytes is the length of a code's scale.
const scaleBytes = 4

// step is the distance between two levels of a code, in units of the components'
// root mean square: near the best for 16 levels of a normal distribution (Max,
// 1960: "Quantizing for minimum distortion").
const step = 0.335

// Pack rounds a vector whose length is even. Level q, from -8 to 7, stands for
// (q + 1/2) steps.
func Pack(vector []float32) Code {
	var squares float64
	for _, v := range vector {
		squares += float64(v) * float64(v)
	}
	width := step * math.Sqrt(squares/float64(len(vector)))
	code := make(Code, scaleBytes+len(vector)/2)
	var along, length float64
	for i, v := range vector {
		level := 0.0
		if width > 0 {
			level = max(-8, min(7, math.Floor(float64(v)/width)))
		}
		along += float64(v) * (level + 0.5)
		length += (level + 0.5) * (level + 0.5)
		code[scaleBytes+i/2] |= byte(int(level)+8) << (4 * (i % 2))
	}
	binary.LittleEndian.PutUint32(code, math.Float32bits(float32(along/length)))
	return code
}

// dim is the number of components.
func (c Code) dim() int { return 2 * (len(c) - scaleBytes) }

func (c Code) scale() float32 { return math.Float32frombits(binary.LittleEndian.Uint32(c)) }

// signs appends a bit for the sign of each component, in words of 64.
func (c Code) signs(bits []uint64) []uint64 {
	for body := c[scaleBytes:]; len(body) >= 32; body = body[32:] {
		var word uint64
		for i := 31; i >= 0; i-- {
			word = word<<2 | uint64(twoSigns[body[i]])
		}
		bits = append(bits, word)
	}
	return bits
}

// twoSigns are the signs of the two levels in a byte of a code.
var twoSigns = func() (table [256]byte) {
	for b := range table {
		table[b] = byte(b>>3&1 | b>>6&2)
	}
	return table
}()

// A target is a vector that codes are compared with, rounded to 8 bits a component: whole
// numbers add up to the same on every processor.
type target struct {
	bits      []uint64
	even, odd []int8  // every other component
	sum       int32   // of all
	unit      float32 // what one of them is worth
}

func newTarget(vector []float32) *target {
	most := float32(0)
	for _, v := range vector {
		most = max(most, v, -v)
	}
	t := &target{bits: Pack(vector).signs(nil), even: make([]int8, len(vector)/2), odd: make([]int8, len(vector)/2), unit: most / 127}
	if most == 0 {
		return t
	}
	for i := range t.even {
		t.even[i], t.odd[i] = int8(math.Round(float64(vector[2*i]/t.unit))), int8(math.Round(float64(vector[2*i+1]/t.unit)))
		t.sum += int32(t.even[i]) + int32(t.odd[i])
	}
	return t
}

// dot returns the dot product with a code of as many components. A nibble n stands for n - 15/2
// steps.
func (t *target) dot(c Code) float64 {
	doubled := 2*products(c[scaleBytes:], t.even, t.odd) - 15*t.sum
	return float64(float32(doubled) * (t.unit / 2) * c.scale())
}

// productsPlain is products in plain Go.
func productsPlain(nibbles []byte, low, high []int8) (sum int32) {
	for i, b := range nibbles {
		sum += int32(b&15)*int32(low[i]) + int32(b>>4)*int32(high[i])
	}
	return sum
}

// Joined puts the codes of one passage one after another, for keeping, behind
// their number.
func Joined(codes []Code) []byte {
	all := binary.LittleEndian.AppendUint16(nil, uint16(len(codes)))
	for _, code := range codes {
		all = append(all, code...)
	}
	return all
}

// Codes takes apart what Joined put together; nil if it is damaged.
func Codes(joined []byte) []Code {
	if len(joined) < 2 {
		return nil
	}
	n := int(binary.LittleEndian.Uint16(joined))
	joined = joined[2:]
	if n == 0 || len(joined)%n != 0 {
		return nil
	}
	size := len(joined) / n
	if (size-scaleBytes)%32 != 0 || size <= scaleBytes+32 {
		return nil // not of a vector whose signs fill words of 64
	}
	codes := make([]Code, n)
	for i := range codes {
		codes[i] = Code(joined[i*size : (i+1)*size])
	}
	return codes
}
