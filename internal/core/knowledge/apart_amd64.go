package knowledge

import "golang.org/x/sys/cpu"

var counts512 = cpu.X86.HasPOPCNT

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
