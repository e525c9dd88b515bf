package reading

import (
	"io"
	"math"
	"strings"
	"unicode"

	"github.com/ledongthuc/pdf"
)

// A piece is text that a PDF sets in one go.
type piece struct {
	words string
	x, y  float64 // where it begins, in points from the lower left
	width float64
	size  float64 // of the letters, in points
}

// A font holds what is needed of a PDF's font; the library would look it up for
// each letter.
type font struct {
	decode  func(raw string) string
	first   int
	widths  []float64 // of codes from first on, in thousandths of the size
	wide    map[int]float64
	usual   float64
	twoByte bool
}

// mostWidths is how many letters of a font may have widths of their own.
const mostWidths = 1 << 16

func newFont(f pdf.Font) *font {
	made := &font{decode: func(raw string) string { return raw }, first: f.FirstChar(), widths: f.Widths(), usual: f.V.Key("FontDescriptor").Key("MissingWidth").Float64()}
	if fits(f.V.Key("ToUnicode")) {
		made.decode = f.Encoder().Decode
	}
	if f.V.Key("Subtype").Name() != "Type0" {
		return made
	}
	// A composite font (ISO 32000-1, 9.7): codes of two bytes, widths in runs.
	below := f.V.Key("DescendantFonts").Index(0)
	made.twoByte, made.wide, made.usual = true, map[int]float64{}, 1000
	if dw := below.Key("DW"); !dw.IsNull() {
		made.usual = dw.Float64()
	}
	left := mostWidths
	for w, i := below.Key("W"), 0; i+1 < w.Len() && left > 0; {
		from := int(w.Index(i).Float64())
		if list := w.Index(i + 1); list.Kind() == pdf.Array {
			for j := range min(list.Len(), left) {
				made.wide[from+j] = list.Index(j).Float64()
				left--
			}
			i += 2
			left-- // also where the list is empty
			continue
		}
		width := w.Index(i + 2).Float64()
		for code := from; code <= int(w.Index(i+1).Float64()) && left > 0; code++ {
			made.wide[code] = width
			left--
		}
		i += 3
		left-- // also where a run is empty
	}
	return made
}

// advance is how far a string moves on, in text space of size 1, and how many
// codes and spaces it has.
func (f *font) advance(raw string) (width float64, codes, spaces int) {
	if f.twoByte {
		for i := 0; i+1 < len(raw); i += 2 {
			w, ok := f.wide[int(raw[i])<<8|int(raw[i+1])]
			if !ok {
				w = f.usual
			}
			width += w
			codes++
		}
		return width / 1000, codes, 0
	}
	for i := range len(raw) {
		w := f.usual
		if at := int(raw[i]) - f.first; at >= 0 && at < len(f.widths) {
			w = f.widths[at]
		}
		width += w
		codes++
		if raw[i] == ' ' {
			spaces++
		}
	}
	return width / 1000, codes, spaces
}

// A matrix maps (x, y) to (a x + c y + e, b x + d y + f).
type matrix struct{ a, b, c, d, e, f float64 }

func (m matrix) times(n matrix) matrix {
	return matrix{m.a*n.a + m.b*n.c, m.a*n.b + m.b*n.d, m.c*n.a + m.d*n.c, m.c*n.b + m.d*n.d, m.e*n.a + m.f*n.c + n.e, m.e*n.b + m.f*n.d + n.f}
}

func shift(x, y float64) matrix { return matrix{1, 0, 0, 1, x, y} }

// A typesetter follows the operators of a page that set text (ISO 32000-1, 9.4).
type typesetter struct {
	page   pdf.Page
	fonts  map[string]*font // of the document
	here   map[string]*font // of the page, by the names it gives them
	pieces []piece

	font                            *font
	size, leading, letters, between float64
	stretch, rise                   float64
	text, line, place               matrix
	kept                            []matrix
}

// How many pieces of text a page may have, and how deep it may save its state.
const (
	mostPieces = 200_000
	mostKept   = 1_000
)

func (t *typesetter) do(stack *pdf.Stack, op string) {
	n := stack.Len()
	args := make([]pdf.Value, n)
	for i := n - 1; i >= 0; i-- {
		args[i] = stack.Pop()
	}
	number := func(i int) float64 {
		if i < n {
			return args[i].Float64()
		}
		return 0
	}
	next := func(x, y float64) {
		t.line = shift(x, y).times(t.line)
		t.text = t.line
	}
	switch op {
	case "q":
		if len(t.kept) < mostKept {
			t.kept = append(t.kept, t.place)
		}
	case "Q":
		if last := len(t.kept) - 1; last >= 0 {
			t.place, t.kept = t.kept[last], t.kept[:last]
		}
	case "cm":
		t.place = matrix{number(0), number(1), number(2), number(3), number(4), number(5)}.times(t.place)
	case "BT":
		t.text, t.line = shift(0, 0), shift(0, 0)
	case "Tf":
		if n == 2 {
			t.font, t.size = t.named(args[0].Name()), number(1)
		}
	case "TL":
		t.leading = number(0)
	case "Tc":
		t.letters = number(0)
	case "Tw":
		t.between = number(0)
	case "Tz":
		t.stretch = number(0) / 100
	case "Ts":
		t.rise = number(0)
	case "Td":
		next(number(0), number(1))
	case "TD":
		t.leading = -number(1)
		next(number(0), number(1))
	case "Tm":
		t.line = matrix{number(0), number(1), number(2), number(3), number(4), number(5)}
		t.text = t.line
	case "T*":
		next(0, -t.leading)
	case "Tj", "'", `"`:
		if op != "Tj" {
			next(0, -t.leading)
		}
		if op == `"` {
			t.between, t.letters = number(0), number(1)
		}
		if n > 0 {
			t.set(args[n-1].RawString())
		}
	case "TJ":
		if n == 0 {
			return
		}
		for i := range args[0].Len() {
			if v := args[0].Index(i); v.Kind() == pdf.String {
				t.set(v.RawString())
			} else {
				t.text = shift(-v.Float64()/1000*t.size*t.stretch, 0).times(t.text)
			}
		}
	}
}

// named returns a font by the name that the page gives it.
func (t *typesetter) named(name string) *font {
	if known := t.here[name]; known != nil {
		return known
	}
	f := t.page.Font(name)
	key := f.BaseFont() + "/" + name
	made := t.fonts[key]
	if made == nil {
		made = newFont(f)
		t.fonts[key] = made
	}
	t.here[name] = made
	return made
}

// set places a string and moves on.
func (t *typesetter) set(raw string) {
	if t.font == nil || len(t.pieces) >= mostPieces {
		return
	}
	width, codes, spaces := t.font.advance(raw)
	on := (width*t.size + float64(codes)*t.letters + float64(spaces)*t.between) * t.stretch
	at := matrix{t.size * t.stretch, 0, 0, t.size, 0, t.rise}.times(t.text).times(t.place)
	if words := strings.Map(letter, t.font.decode(raw)); words != "" {
		end := shift(on, t.rise).times(t.text).times(t.place)
		t.pieces = append(t.pieces, piece{words, at.e, at.f, end.e - at.e, math.Hypot(at.c, at.d)})
	}
	t.text = shift(on, 0).times(t.text)
}

// letter leaves out what is no letter to read.
func letter(r rune) rune {
	if r == unicode.ReplacementChar || unicode.IsControl(r) && !unicode.IsSpace(r) {
		return -1
	}
	return r
}

// ligatures are letters that are set as one.
var ligatures = strings.NewReplacer("ﬀ", "ff", "ﬁ", "fi", "ﬂ", "fl", "ﬃ", "ffi", "ﬄ", "ffl", "ﬅ", "st", "ﬆ", "st")

// mostOperators is how long the operators of a page, and the table of a font's
// letters, may be once they are unpacked, in bytes. The library reads them to their
// end, and a small file may unpack to much.
const mostOperators = 16 << 20

// fits reports whether a stream, or a list of streams one after another, unpacks to
// no more than mostOperators.
func fits(v pdf.Value) bool {
	streams := []pdf.Value{v}
	if v.Kind() == pdf.Array {
		streams = nil
		for i := range v.Len() {
			streams = append(streams, v.Index(i))
		}
	}
	left := int64(mostOperators)
	for _, stream := range streams {
		if stream.Kind() != pdf.Stream {
			continue
		}
		r := stream.Reader()
		n, _ := io.CopyN(io.Discard, r, left+1) // what is damaged is met again when it is read
		_ = r.Close()
		if left -= n; left < 0 {
			return false
		}
	}
	return true
}

// piecesOf returns the text of a page; errBomb if it unpacks to too much.
func piecesOf(page pdf.Page, fonts map[string]*font) ([]piece, error) {
	contents := page.V.Key("Contents")
	if page.V.IsNull() || contents.IsNull() {
		return nil, nil
	}
	if !fits(contents) {
		return nil, errBomb
	}
	t := &typesetter{page: page, fonts: fonts, here: map[string]*font{}, stretch: 1, place: shift(0, 0), text: shift(0, 0), line: shift(0, 0)}
	pdf.Interpret(contents, t.do)
	return t.pieces, nil
}
