package knowledge

import (
	"math/rand/v2"
	"slices"
	"testing"
)

// Signs are counted alike, whatever the processor has.
func TestSignsAreCountedAlike(t *testing.T) {
	random := rand.New(rand.NewPCG(3, 4))
	for _, words := range []int{1, 6, 8, 16} {
		for _, n := range []int{0, 1, 2, 63} {
			signs, from := make([]uint64, n*words), make([]uint64, words)
			for i := range signs {
				signs[i] = random.Uint64()
			}
			for i := range from {
				from[i] = random.Uint64()
			}
			if n > 2 {
				copy(signs[words:], from)
			}
			quick, plain := make([]uint16, n), make([]uint16, n)
			apart(signs, from, quick)
			apartPlain(signs, from, plain)
			if !slices.Equal(quick, plain) || n > 2 && quick[1] != 0 {
				t.Errorf("%d rows of %d words: %v and %v", n, words, quick, plain)
			}
		}
	}
}

// Codes are multiplied alike, also at the ends of what 8 bits and half a byte hold.
func TestCodesAreMultipliedAlike(t *testing.T) {
	random := rand.New(rand.NewPCG(5, 6))
	for _, n := range []int{0, 1, 31, 32, 96, 256} {
		nibbles, low, high := make([]byte, n), make([]int8, n), make([]int8, n)
		for round := range 3 {
			for i := range n {
				nibbles[i], low[i], high[i] = byte(random.Uint32()), int8(random.Uint32()), int8(random.Uint32())
				if round == 1 {
					nibbles[i], low[i], high[i] = 255, -128, -128
				} else if round == 2 {
					nibbles[i], low[i], high[i] = 255, 127, 127
				}
			}
			if quick, plain := products(nibbles, low, high), productsPlain(nibbles, low, high); quick != plain {
				t.Errorf("%d bytes: %d and %d", n, quick, plain)
			}
		}
	}
}
