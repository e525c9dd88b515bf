package reading

import (
	"bytes"
	"errors"
	"fmt"
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
func readPDF(_ string, content []byte) (knowledge.Document, error) {
	file, err := pdf.NewReader(bytes.NewReader(content), int64(len(content)))
	switch {
	case errors.Is(err, pdf.ErrInvalidPassword):
		return knowledge.Document{}, errors.New("the PDF is encrypted; save it without a password")
	case err != nil:
		return knowledge.Document{}, errors.New("the file is not a PDF, or is damaged; save it anew")
	case file.NumPage() > mostPages:
		return knowledge.Document{}, fmt.Errorf("the PDF has %d pages; at most %d are read", file.NumPage(), mostPages)
	}
	var pages [][]line
	total := 0
	var sizes []float64
	for n := 1; n <= file.NumPage(); n++ {
		lines := linesOf(file.Page(n))
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
	slices.Sort(sizes)
	body := sizes[len(sizes)/2]
	var o outline
	var paragraph strings.Builder
	flush := func() {
		o.paragraph(paragraph.String(), false)
		paragraph.Reset()
	}
	for _, lines := range pages {
		for i, l := range lines {
			if l.size > 1.15*body && len(l.words) < 120 {
				flush()
				o.heading(headingLevel(l.size/body), l.words)
				continue
			}
			if i > 0 {
				if gap := lines[i-1].y - l.y; gap > 1.8*l.size || gap < 0 {
					flush()
				}
			}
			switch s := paragraph.String(); {
			case s == "":
			case strings.HasSuffix(s, "-"): // a word that was divided
				paragraph.Reset()
				paragraph.WriteString(strings.TrimSuffix(s, "-"))
			default:
				paragraph.WriteByte(' ')
			}
			paragraph.WriteString(l.words)
		}
	}
	flush()
	return o.done(), nil
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

// linesOf puts the letters of a page together into lines, from the top.
func linesOf(page pdf.Page) []line {
	if page.V.IsNull() {
		return nil
	}
	letters := page.Content().Text
	slices.SortStableFunc(letters, func(a, b pdf.Text) int {
		switch {
		case a.Y-b.Y > 2:
			return -1
		case b.Y-a.Y > 2:
			return 1
		case a.X < b.X:
			return -1
		case a.X > b.X:
			return 1
		}
		return 0
	})
	var lines []line
	var current strings.Builder
	var last pdf.Text
	flush := func() {
		if words := strings.Join(strings.Fields(current.String()), " "); words != "" {
			lines = append(lines, line{words, last.FontSize, last.Y})
		}
		current.Reset()
	}
	for i, letter := range letters {
		if i > 0 {
			if last.Y-letter.Y > 2 || letter.Y-last.Y > 2 {
				flush()
			} else if letter.X-(last.X+last.W) > 0.2*letter.FontSize {
				current.WriteByte(' ')
			}
		}
		current.WriteString(letter.S)
		last = letter
	}
	flush()
	return lines
}
