//go:build !amd64

package knowledge

// apart writes how many signs of each row differ from those of one.
func apart(signs, from []uint64, into []uint16) { apartPlain(signs, from, into) }
