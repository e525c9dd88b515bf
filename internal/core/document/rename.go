package document

import (
	"cmp"
	"slices"
	"strings"
)

// A Place is where something stands in a text: a line, and a letter in it at or after which it
// begins, both from 1.
type Place struct{ Line, Column int }

// Rename returns the text of a document in which every reference to another one names it
// otherwise, and whether there was one. What cannot be read stays as it is.
func Rename(k Kind, name, source, kind, from, to string) (string, bool) {
	read, err := k.Parse(name, []byte(source))
	if err != nil {
		return source, false
	}
	var places []Place
	at := func(path string) {
		for _, p := range At(name, []byte(source), path, "") {
			places = append(places, Place{p.Line, p.Column})
		}
	}
	for _, r := range read.Refers() {
		if r.Kind == kind && r.Name == from && r.Path != "$" {
			at(r.Path)
		}
	}
	if k.Mentions != nil {
		places = append(places, k.Mentions([]byte(source), kind, from)...)
	}
	renamed := replaced(source, places, from, to)
	return renamed, renamed != source
}

// Renamed returns the text of a document under another name of its own.
func Renamed(k Kind, name, source, to string) string {
	var places []Place
	for _, p := range At(name, []byte(source), "$."+k.Name, "") {
		places = append(places, Place{p.Line, p.Column})
	}
	return replaced(source, places, name, to)
}

// replaced puts another name in place of one where it stands at or behind some places, as a
// whole word: bot/freight holds freight, and freight-desk does not.
func replaced(source string, places []Place, from, to string) string {
	lines := strings.SplitAfter(source, "\n")
	slices.SortFunc(places, func(a, b Place) int { return cmp.Or(b.Line-a.Line, b.Column-a.Column) })
	for _, p := range slices.Compact(places) {
		if p.Line < 1 || p.Line > len(lines) {
			continue
		}
		line := lines[p.Line-1]
		start := 0
		for range min(p.Column-1, len([]rune(line))) {
			start += len(string([]rune(line[start:])[0]))
		}
		if at := wholeIn(line[start:], from); at >= 0 {
			at += start
			lines[p.Line-1] = line[:at] + to + line[at+len(from):]
		}
	}
	return strings.Join(lines, "")
}

func wholeIn(s, name string) int {
	part := func(b byte) bool { return b == '-' || b == '_' || b >= 'a' && b <= 'z' || b >= '0' && b <= '9' }
	for from := 0; ; {
		at := strings.Index(s[from:], name)
		if at < 0 {
			return -1
		}
		at += from
		end := at + len(name)
		if (at == 0 || !part(s[at-1])) && (end == len(s) || !part(s[end])) {
			return at
		}
		from = at + 1
	}
}
