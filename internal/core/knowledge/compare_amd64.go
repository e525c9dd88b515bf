package knowledge

import "golang.org/x/sys/cpu"

// What the processor has.
var (
	counts512 = cpu.X86.HasPOPCNT
	hasAVX2   = cpu.X86.HasAVX2
)

// apart writes how many signs of each row differ from those of one.
func apart(signs, from []uint64, into []uint16) {
	if !counts512 || len(from) != 8 || len(into) == 0 {
		apartPlain(signs, from, into)
		return
	}
	_ = signs[8*len(into)-1]
	apart512(&signs[0], len(into), &from[0], &into[0])
}

// apart512 is apart for rows of 512 signs, of which there is at least one.
//
//go:noescape
func apart512(signs *uint64, n int, from *uint64, into *uint16)

// products adds up what the low and the high half of each byte are, times the numbers beside them.
func products(nibbles []byte, low, high []int8) int32 {
	if !hasAVX2 || len(nibbles) == 0 || len(nibbles)%32 != 0 {
		return productsPlain(nibbles, low, high)
	}
	_, _ = low[len(nibbles)-1], high[len(nibbles)-1]
	return productsAVX2(&nibbles[0], len(nibbles), &low[0], &high[0])
}

// productsAVX2 is products for n bytes, a multiple of 32.
//
//go:noescape
func productsAVX2(nibbles *byte, n int, low, high *int8) int32
