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
	cells []cell  // what stands apart from one another in it
	size  float64 // of the letters, in points
	y     float64 // from the bottom
}

// A cell is words of a line that stand apart from others.
type cell struct {
	words    string
	from, to float64 // in points from the left
	size     float64 // of the letters
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
	for n, lines := range pages {
		pages[n] = inColumns(slices.DeleteFunc(lines, func(l line) bool { return printed.MatchString(l.words) }))
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
		tableTo := 0
		for i, l := range lines {
			if i < tableTo {
				continue
			}
			if rows, n := tableOf(lines[i:]); n > 0 {
				endHeading()
				flush()
				o.table(rows)
				tableTo = i + n
				continue
			}
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
				if gap := lines[i-1].y - l.y; gap > paragraphGap*l.size || gap < 0 {
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

// paragraphGap is how far apart lines are, in sizes of the letters, between which a paragraph ends.
const paragraphGap = 1.8

// gap is how far apart two pieces of a line are, in sizes of the letters, that are
// two words.
const gap = 0.13

// apart is how far apart two pieces of a line are, in sizes of the letters, that stand in two
// cells of a table; more than a line is stretched to be as long as its neighbours.
const apart = 0.7

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
	var cells []cell
	size, from := 0.0, 0.0
	endCell := func() {
		if words := strings.Join(strings.Fields(ligatures.Replace(current.String())), " "); words != "" {
			cells = append(cells, cell{words, from, last.x + last.width, size})
		}
		current.Reset()
		size = 0
	}
	flush := func() {
		if endCell(); len(cells) > 0 {
			lines = append(lines, lineOf(cells, last.y))
		}
		cells = nil
	}
	for i, p := range pieces {
		if i > 0 {
			if math.Abs(last.y-p.y) > 2 {
				flush()
			} else if space := p.x - (last.x + last.width); space > apart*p.size && strings.TrimSpace(p.words) != "" {
				endCell()
			} else if space > gap*p.size {
				current.WriteByte(' ')
			}
		}
		if strings.TrimSpace(p.words) == "" && current.Len() == 0 {
			continue // what is only space has no place
		}
		if current.Len() == 0 {
			from = p.x
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

// The lines of a table have as many cells as its first, which are short, and follow closely.
const (
	shortCell = 6    // words, on the average
	longTable = 400  // lines; a longer one is parted
	rowGap    = 3.5  // sizes of the letters from row to row
	wrapGap   = 1.35 // within a row whose cells go on in the next line
)

// tableOf returns the rows of the table that lines begin with, and how many lines it is; none if
// they do not begin with one. What a cell does not hold in one line goes on in the next.
func tableOf(lines []line) (rows [][]string, n int) {
	columns := lines[0].cells
	if len(columns) < 2 {
		return nil, 0
	}
	words, whole := 0, 0
	for n < min(len(lines), longTable) {
		l := lines[n]
		if n > 0 && (lines[n-1].y-l.y > rowGap*l.size || l.y >= lines[n-1].y) {
			break
		}
		row := make([]string, len(columns))
		for _, c := range l.cells {
			at := columnOf(columns, c)
			if at < 0 || row[at] != "" {
				row = nil
				break
			}
			row[at] = c.words
			words += len(strings.Fields(c.words))
		}
		switch wraps := n > 0 && lines[n-1].y-l.y < wrapGap*l.size && len(l.cells) < len(columns); {
		case row == nil:
			return tableIf(rows, n, whole, words)
		case wraps && len(rows) > 1 || wraps && row[0] == "":
			for i, more := range row {
				rows[len(rows)-1][i] = strings.TrimSpace(rows[len(rows)-1][i] + " " + more)
			}
		case len(l.cells) == 1 && n > 0:
			return tableIf(rows, n, whole, words)
		default:
			rows = append(rows, row)
			if len(l.cells) == len(columns) {
				whole++
			}
		}
		n++
	}
	return tableIf(rows, n, whole, words)
}

// tableIf returns what is a table: three whole rows, or two of three columns, of short cells.
func tableIf(rows [][]string, n, whole, words int) ([][]string, int) {
	if len(rows) == 0 || whole < 2 || whole == 2 && len(rows[0]) < 3 || words > shortCell*len(rows)*len(rows[0]) {
		return nil, 0
	}
	return rows, n
}

// columnOf is the column that a cell stands in: the one that it lies over, or the nearest that is
// no further than its neighbour; -1 if there is none.
func columnOf(columns []cell, c cell) int {
	best, most := -1, 0.0
	for i, column := range columns {
		left, right := math.Inf(-1), math.Inf(1)
		if i > 0 {
			left = (columns[i-1].to + column.from) / 2
		}
		if i+1 < len(columns) {
			right = (column.to + columns[i+1].from) / 2
		}
		if over := min(right, c.to) - max(left, c.from); over > most {
			best, most = i, over
		}
	}
	if most < (c.to-c.from)/2 {
		return -1
	}
	return best
}

// Columns of running text have so many lines at least, and these so many words on the average.
const (
	columnLines = 3
	columnWords = 4
)

// inColumns puts the lines of a page that is set in two columns into the order in which they are
// read. What goes across both ends what stands beside one another.
func inColumns(lines []line) (read []line) {
	edge, ok := rightColumn(lines)
	if !ok {
		return lines
	}
	down := 0.0 // by how much what was set beside something has moved down
	for len(lines) > 0 {
		n := 0
		var left, right []line
		for n < len(lines) && !slices.ContainsFunc(lines[n].cells, func(c cell) bool { return c.from < edge && c.to > edge }) {
			l := lines[n]
			at := slices.IndexFunc(l.cells, func(c cell) bool { return c.from >= edge })
			if at < 0 {
				at = len(l.cells)
			}
			if at > 0 {
				left = append(left, lineOf(l.cells[:at], l.y-down))
			}
			if at < len(l.cells) {
				right = append(right, lineOf(l.cells[at:], l.y-down))
			}
			n++
		}
		if !areColumns(left, right) {
			for _, l := range lines[:max(n, 1)] {
				l.y -= down
				read = append(read, l)
			}
			lines = lines[max(n, 1):]
			continue
		}
		// What stands on the left by itself below the right column, after a gap, comes after both.
		below := len(left)
		for i := len(left) - 1; i > 0 && left[i].y < right[len(right)-1].y; i-- {
			if isHeading := left[i-1].size > left[i].size+0.5; !isHeading && left[i-1].y-left[i].y > paragraphGap*left[i].size {
				below = i
				break
			}
		}
		after := left[below:]
		left = left[:below]
		read = append(read, left...)
		lower := right[0].y - left[len(left)-1].y + 1.2*right[0].size
		for _, l := range right {
			l.y -= lower
			read = append(read, l)
		}
		down += max(lower, 0)
		for _, l := range after {
			l.y -= max(lower, 0)
			read = append(read, l)
		}
		lines = lines[n:]
	}
	return read
}

// areColumns reports whether lines stand beside others as running text.
func areColumns(left, right []line) bool {
	return isRunning(left) && isRunning(right) && right[0].y > left[len(left)-1].y
}

func isRunning(lines []line) bool {
	words := 0
	for _, l := range lines {
		words += len(strings.Fields(l.words))
	}
	return len(lines) >= columnLines && words >= columnWords*len(lines)
}

// rightColumn is where the right one of two columns of running text begins: most lines of the
// right part of the page begin there.
func rightColumn(lines []line) (edge float64, ok bool) {
	from, to := math.Inf(1), math.Inf(-1)
	var cells []cell
	for _, l := range lines {
		for _, c := range l.cells {
			from, to = min(from, c.from), max(to, c.to)
			if len(strings.Fields(c.words)) >= columnWords {
				cells = append(cells, c)
			}
		}
	}
	slices.SortFunc(cells, func(a, b cell) int { return cmp.Compare(a.from, b.from) })
	most, first := 0, 0
	for i, c := range cells {
		for c.from-cells[first].from > 3 {
			first++
		}
		if n := i + 1 - first; n > most && cells[first].from >= from+(to-from)/3 {
			edge, most = cells[first].from-1, n
		}
	}
	return edge, most >= columnLines
}

// lineOf is a line of some cells.
func lineOf(cells []cell, y float64) line {
	l := line{cells: cells, y: y}
	words := make([]string, len(cells))
	for i, c := range cells {
		words[i] = c.words
		l.size = max(l.size, c.size)
	}
	l.words = strings.Join(words, " ")
	return l
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

// printed is what browsers print at the edges of a page: when, and from where.
var printed = regexp.MustCompile(`^(?:\d{1,2}[./]\d{1,2}[./]\d{2,4}, \d{1,2}:\d{2}(?: [AP]M)?(?: .*)?|(?:https?|file)://\S+ \d+/\d+)$`)

var digits = regexp.MustCompile(`\d+`)
