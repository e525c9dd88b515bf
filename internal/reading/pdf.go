package reading

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"github.com/ledongthuc/pdf"

	"urgentparrot.example/internal/core/knowledge"
)

// mostPages is how many pages of a PDF are read.
const mostPages = 3_000

// A line is a line of a PDF's page.
type line struct {
	words string
	size  float64 // of the letters, in points
	y     float64 // from the bottom
}

// readPDF reads the text of a PDF. What is set larger than the body is a heading;
// a wider gap between lines ends a paragraph.
func readPDF(f *file) (knowledge.Document, error) {
	document, err := pdf.NewReader(bytes.NewReader(f.content), int64(len(f.content)))
	switch {
	case errors.Is(err, pdf.ErrInvalidPassword):
		return knowledge.Document{}, errors.New("the PDF is encrypted; save it without a password")
	case err != nil:
		return knowledge.Document{}, errors.New("the file is not a PDF, or is damaged; save it anew")
	case document.NumPage() > mostPages:
		return knowledge.Document{}, fmt.Errorf("the PDF has %d pages; at most %d are read", document.NumPage(), mostPages)
	}
	var pages [][]line
	fonts := map[string]*font{}
	total := 0
	var sizes []float64
	for n := 1; n <= document.NumPage(); n++ {
		lines, err := linesOf(document.Page(n), fonts)
		if err != nil {
			return knowledge.Document{}, err
		}
		for _, l := range lines {
			total += len(l.words)
			sizes = append(sizes, l.size)
		}
		if total > mostText {
			return knowledge.Document{}, errBomb
		}
		pages = append(pages, lines)
	}
	if total == 0 {
		return knowledge.Document{}, errors.New("the PDF holds no text: it is probably scanned; run it through a program for text recognition first")
	}
	if len(pages) >= furnitureMin {
		withoutFurniture(pages)
	}
	slices.Sort(sizes)
	body := sizes[len(sizes)/2]
	var o outline
	var paragraph, heading []byte
	level := 0
	flush := func() {
		o.paragraph(string(paragraph), false)
		paragraph = paragraph[:0]
	}
	endHeading := func() {
		if len(heading) > 0 {
			o.heading(level, string(heading))
			heading = heading[:0]
		}
	}
	for _, lines := range pages {
		endHeading()
		for i, l := range lines {
			if l.size > 1.15*body && len(l.words) < 120 {
				flush()
				// A heading that goes on in the next line is one.
				if len(heading) > 0 && math.Abs(lines[i-1].size-l.size) < 0.1 && lines[i-1].y-l.y < 2*l.size {
					heading = joinLine(heading, l.words)
				} else {
					endHeading()
					heading, level = joinLine(heading, l.words), headingLevel(l.size/body)
				}
				continue
			}
			endHeading()
			if i > 0 {
				if gap := lines[i-1].y - l.y; gap > 1.8*l.size || gap < 0 {
					flush()
				}
			}
			paragraph = joinLine(paragraph, l.words)
		}
	}
	endHeading()
	flush()
	return o.done(), nil
}

// joinLine puts a line behind another; a word that was divided becomes one again.
func joinLine(s []byte, next string) []byte {
	switch {
	case len(s) == 0:
	case s[len(s)-1] == '-':
		s = s[:len(s)-1]
	default:
		s = append(s, ' ')
	}
	return append(s, next...)
}

// headingLevel ranks headings by how much larger than the body they are.
func headingLevel(times float64) int {
	switch {
	case times > 1.8:
		return 1
	case times > 1.4:
		return 2
	}
	return 3
}

// gap is how far apart two pieces of a line are, in sizes of the letters, that are
// two words.
const gap = 0.13

// linesOf puts the pieces of text of a page together into lines, from the top.
func linesOf(page pdf.Page, fonts map[string]*font) ([]line, error) {
	pieces, err := piecesOf(page, fonts)
	if err != nil {
		return nil, err
	}
	slices.SortStableFunc(pieces, func(a, b piece) int {
		switch {
		case a.y-b.y > 2:
			return -1
		case b.y-a.y > 2:
			return 1
		}
		return cmp.Compare(a.x, b.x)
	})
	var lines []line
	var current strings.Builder
	var last piece
	size := 0.0
	flush := func() {
		if words := strings.Join(strings.Fields(ligatures.Replace(current.String())), " "); words != "" {
			lines = append(lines, line{words, size, last.y})
		}
		current.Reset()
		size = 0
	}
	for i, p := range pieces {
		if i > 0 {
			if math.Abs(last.y-p.y) > 2 {
				flush()
			} else if p.x-(last.x+last.width) > gap*p.size {
				current.WriteByte(' ')
			}
		}
		current.WriteString(p.words)
		if strings.TrimSpace(p.words) != "" {
			size = max(size, p.size)
		}
		last = p
	}
	flush()
	return lines, nil
}

// furniture is how many lines at the top and at the bottom of a page may be there on
// every page, and on how many pages they are before they are left out.
const (
	furniture    = 2
	furnitureMin = 3
)

// withoutFurniture leaves out what stands at the top or bottom of many pages: the
// names of chapters, and numbers.
func withoutFurniture(pages [][]line) {
	times := map[string]int{}
	edge := func(lines []line, i int) bool { return i < furniture || i >= len(lines)-furniture }
	for _, lines := range pages {
		seen := map[string]bool{}
		for i, l := range lines {
			if words := digits.ReplaceAllString(l.words, ""); edge(lines, i) && !seen[words] {
				seen[words] = true
				times[words]++
			}
		}
	}
	for n, lines := range pages {
		var kept []line
		for i, l := range lines {
			if words := strings.TrimSpace(digits.ReplaceAllString(l.words, "")); !edge(lines, i) || words != "" && times[digits.ReplaceAllString(l.words, "")] < furnitureMin {
				kept = append(kept, l)
			}
		}
		pages[n] = kept
	}
}

var digits = regexp.MustCompile(`\d+`)
