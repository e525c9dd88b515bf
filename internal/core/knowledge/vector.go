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
	var word uint64
	for i, b := range c[scaleBytes:] {
		word |= uint64(b>>3&1|b>>7&1<<1) << (2 * i % 64)
		if i%32 == 31 {
			bits = append(bits, word)
			word = 0
		}
	}
	return bits
}

// A target is a vector that codes are compared with.
type target struct {
	table []float32 // for each byte of a code and each value, its part of the dot product
	bits  []uint64
}

func newTarget(vector []float32) *target {
	t := &target{table: make([]float32, len(vector)/2*256), bits: Pack(vector).signs(nil)}
	for i := 0; i < len(vector); i += 2 {
		part := t.table[i/2*256 : i/2*256+256]
		for b := range part {
			part[b] = vector[i]*(float32(b&15)-7.5) + vector[i+1]*(float32(b>>4)-7.5)
		}
	}
	return t
}

// dot returns the dot product with a code.
func (t *target) dot(c Code) float64 {
	var even, odd float32
	body := c[scaleBytes:]
	table := t.table
	for i := 0; i+1 < len(body); i += 2 {
		even += table[i*256+int(body[i])]
		odd += table[(i+1)*256+int(body[i+1])]
	}
	return float64((even + odd) * c.scale())
}

// Joined puts the codes of one passage one after another, for keeping.
func Joined(codes []Code) []byte {
	var all []byte
	for _, code := range codes {
		all = append(all, code...)
	}
	return all
}

// Codes takes apart what Joined put together: n codes of one length; nil if it
// does not hold so many.
func Codes(joined []byte, n int) []Code {
	if n == 0 || len(joined) == 0 || len(joined)%n != 0 {
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
