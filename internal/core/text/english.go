package text

import (
	"bytes"
	"compress/gzip"
	_ "embed"
	"io"
	"strconv"
	"strings"
	"sync"
)

// englishList is some forty thousand words of English, a line each: those of Debian's
// packages wamerican-small and wbritish-small, which are of the Spell Checker Oriented
// Word Lists (licence beside it, in english.LICENSE), in small letters, without those
// that have an apostrophe, and behind each how often the made-up businesses that train
// use it.
//
//go:embed english.txt.gz
var englishList []byte

// English is the words of English, folded: what is among them is not misspelt.
var English = sync.OnceValue(func() *Vocabulary {
	times := map[string]int32{}
	for i, list := range []string{unzipped(englishList), alikeEnglish, customersEnglish} {
		for line := range strings.Lines(list) {
			if strings.HasPrefix(line, "#") {
				continue
			}
			last := ""
			for w := range EachWord(line) {
				if n, err := strconv.Atoi(w.Folded); err == nil && i == 0 {
					times[last] = int32(n)
				} else if !strings.ContainsFunc(w.Folded, func(r rune) bool { return r >= '0' && r <= '9' }) {
					last = strings.Clone(w.Folded)
					times[last] = max(times[last], 1)
				}
			}
		}
	}
	for word := range lightWords {
		times[word] = max(times[word], 1)
	}
	return NewVocabulary(times)
})

// unzipped is empty for what is damaged: the file is embedded.
func unzipped(b []byte) string {
	r, err := gzip.NewReader(bytes.NewReader(b))
	if err != nil {
		return ""
	}
	all, err := io.ReadAll(r)
	if err != nil {
		return ""
	}
	return string(all)
}
