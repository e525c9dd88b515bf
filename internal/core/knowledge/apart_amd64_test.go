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
