package encoder

import (
	"strings"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// firstPiece is the first id that stands for text; those before are marks.
const firstPiece = 6

// pieces segments text as a SentencePiece unigram model does: into the pieces
// whose scores add up to the most.
type pieces struct {
	ids     map[string]int
	texts   []string // by id
	scores  []float64
	longest int // bytes of the longest piece
}

// Pieces returns the ids of a text's pieces, at most as many as are looked at of a
// text; what no piece covers is 0.
func (e *Encoder) Pieces(text string) []int {
	ids := e.pieces.segment(text)
	return ids[:min(len(ids), maxPieces)]
}

// segment returns the ids of a text's pieces. What no piece covers is id 0.
func (p pieces) segment(text string) []int {
	// Far more than can hold maxPieces pieces need not be looked at.
	const most = 8 << 10
	if len(text) > most {
		cut := most
		for cut > 0 && !utf8.RuneStart(text[cut]) {
			cut--
		}
		text = text[:cut]
	}
	text = norm.NFKC.String(strings.ToValidUTF8(text, "\ufffd"))
	if text == "" {
		return nil
	}
	text = strings.ReplaceAll("▁"+text, " ", "▁")
	type step struct {
		score float64
		from  int // where the last piece begins
		id    int
		ok    bool
	}
	best := make([]step, len(text)+1)
	best[0].ok = true
	for start := 0; start < len(text); {
		_, size := utf8.DecodeRuneInString(text[start:])
		if best[start].ok {
			found := false
			for end := start + size; end <= len(text) && end-start <= p.longest; {
				if id, ok := p.ids[text[start:end]]; ok {
					found = true
					if score := best[start].score + p.scores[id]; !best[end].ok || score >= best[end].score {
						best[end] = step{score, start, id, true}
					}
				}
				if end == len(text) {
					break
				}
				_, next := utf8.DecodeRuneInString(text[end:])
				end += next
			}
			if end := start + size; !found && (!best[end].ok || best[start].score >= best[end].score) {
				best[end] = step{best[start].score, start, 0, true}
			}
		}
		start += size
	}
	var reversed []int
	for at := len(text); at > 0; at = best[at].from {
		id := best[at].id
		if id == 0 && len(reversed) > 0 && reversed[len(reversed)-1] == 0 {
			continue // neighbouring unknown characters are one
		}
		reversed = append(reversed, id)
	}
	for i, j := 0, len(reversed)-1; i < j; i, j = i+1, j-1 {
		reversed[i], reversed[j] = reversed[j], reversed[i]
	}
	return reversed
}
