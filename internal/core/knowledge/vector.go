package knowledge

import (
	"encoding/binary"
	"math"
	"sync"
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

// A target is a vector that codes are compared with.
type target struct {
	vector []float32
	bits   []uint64
	once   sync.Once
	table  []float32 // for each byte of a code and each value, its part of the dot product
}

func newTarget(vector []float32) *target {
	return &target{vector: vector, bits: Pack(vector).signs(nil)}
}

// hurry makes a table that pays where many codes are compared.
func (t *target) hurry() {
	t.once.Do(func() {
		t.table = make([]float32, len(t.vector)/2*256)
		for i := 0; i < len(t.vector); i += 2 {
			part := t.table[i/2*256 : i/2*256+256]
			for b := range part {
				part[b] = t.vector[i]*(float32(b&15)-7.5) + t.vector[i+1]*(float32(b>>4)-7.5)
			}
		}
	})
}

// dot returns the dot product with a code.
func (t *target) dot(c Code) float64 {
	body := c[scaleBytes:]
	if t.table == nil {
		// Four sums at a time do not wait for each other.
		var s0, s1, s2, s3 float32
		for v := t.vector; len(v) >= 4 && len(body) >= 2; v, body = v[4:], body[2:] {
			a, b := &levels[body[0]], &levels[body[1]]
			s0 += v[0] * a[0]
			s1 += v[1] * a[1]
			s2 += v[2] * b[0]
			s3 += v[3] * b[1]
		}
		return float64((s0 + s1 + s2 + s3) * c.scale())
	}
	var even, odd float32
	table := t.table
	for i := 0; i+1 < len(body); i += 2 {
		even += table[i*256+int(body[i])]
		odd += table[(i+1)*256+int(body[i+1])]
	}
	return float64((even + odd) * c.scale())
}

// levels are what the two levels in a byte of a code stand for, in steps.
var levels = func() (table [256][2]float32) {
	for b := range table {
		table[b] = [2]float32{float32(b&15) - 7.5, float32(b>>4) - 7.5}
	}
	return table
}()

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
