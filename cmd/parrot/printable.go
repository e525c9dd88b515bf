package main

import (
	"fmt"
	"io"
	"unicode"
	"unicode/utf8"
)

// printable lets through what a terminal shows, and nothing that it obeys: what
// customers write, and what pages hold, is printed too.
type printable struct {
	io.Writer
	escaped bool   // as in JSON, instead of marked as left out
	rest    []byte // the beginning of a letter whose end is yet to come
}

// Write writes the bytes that can be shown.
func (p *printable) Write(b []byte) (int, error) {
	whole := append(p.rest, b...)
	out := make([]byte, 0, len(whole))
	for i := 0; i < len(whole); {
		r, size := utf8.DecodeRune(whole[i:])
		if r == utf8.RuneError && size == 1 && !utf8.FullRune(whole[i:]) || r == '\r' && i+1 == len(whole) {
			p.rest = append([]byte{}, whole[i:]...)
			_, err := p.Writer.Write(out)
			return len(b), err
		}
		switch {
		case r == '\r' && i+1 < len(whole) && whole[i+1] == '\n': // the end of a line, as in CSV
			out = append(out, '\r')
		case r == '\n' || r == '\t' || !obeyed(r) && !(r == utf8.RuneError && size == 1):
			out = append(out, whole[i:i+size]...)
		case p.escaped:
			out = fmt.Appendf(out, `\u%04x`, r)
		default:
			out = utf8.AppendRune(out, utf8.RuneError)
		}
		i += size
	}
	p.rest = nil
	_, err := p.Writer.Write(out)
	return len(b), err
}

// obeyed reports whether a terminal does something at a rune instead of showing it:
// controls, and marks that turn the direction of what follows.
func obeyed(r rune) bool {
	return unicode.IsControl(r) || r >= '\u202a' && r <= '\u202e' || r >= '\u2066' && r <= '\u2069'
}
