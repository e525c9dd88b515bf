package letter

import (
	"bytes"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
)

// Bounds of HTML that is made into text.
const (
	mostHTML  = 2 << 20
	mostNodes = 200_000
)

// plainOf makes HTML into text: blocks become lines, lists dashes, rows of tables lines with
// bars, and what is quoted gets the sign of a quote. What is not shown is left out.
func plainOf(source []byte) string {
	source = source[:min(len(source), mostHTML)]
	root, err := html.Parse(bytes.NewReader(source))
	if err != nil {
		return ""
	}
	var w htmlWriter
	w.node(root, 0)
	return clean(w.b.String(), mostText)
}

type htmlWriter struct {
	b      strings.Builder
	quotes int
	nodes  int
	fresh  bool // nothing stands in the line yet
	space  bool // a space goes before the next word
}

const mostHTMLDepth = 400

func (w *htmlWriter) node(n *html.Node, depth int) {
	if w.nodes++; w.nodes > mostNodes || depth > mostHTMLDepth {
		return
	}
	switch n.Type {
	case html.TextNode:
		w.words(n.Data)
		return
	case html.ElementNode:
		if isHidden(n) {
			return
		}
	case html.DocumentNode:
	default:
		return
	}
	block := isBlock[n.DataAtom]
	switch n.DataAtom {
	case atom.Br:
		w.newLine()
		return
	case atom.Hr:
		w.line()
		w.words("-----")
		w.line()
		return
	case atom.Img:
		w.words(attribute(n, "alt"))
	case atom.Li:
		w.line()
		w.words("-")
		w.space = true
	case atom.Td, atom.Th:
		if n.PrevSibling != nil && !w.fresh && w.b.Len() > 0 {
			w.words("|")
		}
		w.space = true
	case atom.Blockquote:
		w.line()
		w.quotes++
	}
	if block {
		w.line()
	}
	if n.DataAtom == atom.P {
		w.paragraph()
	}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		w.node(c, depth+1)
	}
	switch n.DataAtom {
	case atom.Blockquote:
		w.line()
		w.quotes--
	case atom.P:
		w.line()
		w.paragraph()
	case atom.Td, atom.Th:
		w.space = true
	}
	if block {
		w.line()
	}
}

// words writes the words of a text, with one space where there are some.
func (w *htmlWriter) words(s string) {
	for i, word := range strings.Fields(s) {
		leading := i > 0 || s[0] == ' ' || s[0] == '\n' || s[0] == '\t' || s[0] == '\r'
		if (w.fresh || w.b.Len() == 0) && w.quotes > 0 {
			w.b.WriteString(strings.Repeat(">", w.quotes) + " ")
		} else if !w.fresh && w.b.Len() > 0 && (leading || w.space) {
			w.b.WriteByte(' ')
		}
		w.b.WriteString(word)
		w.fresh, w.space = false, false
	}
	if s != "" && strings.TrimSpace(s) == "" || s != "" && strings.TrimRight(s, " \n\t\r") != s {
		w.space = true
	}
}

// line ends the line, if something stands in it.
func (w *htmlWriter) line() {
	if !w.fresh && w.b.Len() > 0 {
		w.newLine()
	}
	w.space = false
}

func (w *htmlWriter) newLine() {
	if w.fresh && w.quotes > 0 {
		w.b.WriteString(strings.Repeat(">", w.quotes))
	}
	w.b.WriteByte('\n')
	w.fresh, w.space = true, false
}

// paragraph leaves a line empty, unless one is.
func (w *htmlWriter) paragraph() {
	if s := w.b.String(); w.fresh && w.quotes == 0 && !strings.HasSuffix(s, "\n\n") {
		w.b.WriteByte('\n')
	}
}

var isBlock = map[atom.Atom]bool{
	atom.Div: true, atom.P: true, atom.Tr: true, atom.Table: true, atom.Ul: true, atom.Ol: true, atom.H1: true, atom.H2: true, atom.H3: true, atom.H4: true,
	atom.H5: true, atom.H6: true, atom.Section: true, atom.Article: true, atom.Header: true, atom.Footer: true, atom.Pre: true, atom.Dl: true, atom.Dt: true, atom.Dd: true, atom.Body: true, atom.Address: true, atom.Center: true,
}

func isHidden(n *html.Node) bool {
	switch n.DataAtom {
	case atom.Script, atom.Style, atom.Head, atom.Title, atom.Noscript, atom.Template, atom.Object, atom.Iframe, atom.Svg:
		return true
	}
	style := strings.ToLower(strings.ReplaceAll(attribute(n, "style"), " ", ""))
	for _, hides := range []string{"display:none", "visibility:hidden", "font-size:0", "max-height:0", "opacity:0;"} {
		if at := strings.Index(style+";", hides); at >= 0 {
			rest := (style + ";")[at+len(hides):]
			if strings.HasSuffix(hides, "0") && rest != "" && (rest[0] == '.' || rest[0] >= '0' && rest[0] <= '9') {
				continue // 0.9em
			}
			return true
		}
	}
	for _, a := range n.Attr {
		if a.Key == "hidden" {
			return true
		}
	}
	return false
}

func attribute(n *html.Node, key string) string {
	for _, a := range n.Attr {
		if a.Key == key {
			return a.Val
		}
	}
	return ""
}
