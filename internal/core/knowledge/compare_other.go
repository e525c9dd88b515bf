//go:build !amd64

package knowledge

// apart writes how many signs of each row differ from those of one.
func apart(signs, from []uint64, into []uint16) { apartPlain(signs, from, into) }

// products adds up what the low and the high half of each byte are, times the numbers beside them.
func products(nibbles []byte, low, high []int8) int32 { return productsPlain(nibbles, low, high) }
