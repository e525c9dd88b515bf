// Package reading turns files into plain documents for the knowledge: Markdown,
// HTML, plain text, and CSV files of questions and answers.
package reading

import (
	"bytes"
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"urgentparrot.example/internal/core/knowledge"
)

// Limit is the largest file that is read, in bytes.
const Limit = 8 << 20

var readers = map[string]func(name string, b []byte) (knowledge.Document, error){
	".md": readMarkdown, ".markdown": readMarkdown,
	".html": readHTML, ".htm": readHTML,
	".txt": readText, ".text": readText,
	".csv": readCSV,
}

// Read reads one file by the ending of its name. The error says what is wrong
// with the file and what to do.
func Read(name string, content []byte) (knowledge.Document, error) {
	ending := strings.ToLower(path.Ext(name))
	read := readers[ending]
	switch {
	case read == nil:
		return knowledge.Document{}, fmt.Errorf("files ending in %q cannot be read; use Markdown (.md), HTML, plain text (.txt) or CSV", ending)
	case len(content) > Limit:
		return knowledge.Document{}, fmt.Errorf("the file has %d MB; at most %d MB are read", len(content)>>20, Limit>>20)
	case len(bytes.TrimSpace(content)) == 0:
		return knowledge.Document{}, errors.New("the file is empty")
	case bytes.IndexByte(content, 0) >= 0:
		return knowledge.Document{}, errors.New("the file is not text: it holds bytes of zero")
	case !utf8.Valid(content):
		return knowledge.Document{}, errors.New("the file is not in UTF-8; save it in that encoding")
	}
	content = bytes.TrimPrefix(content, []byte("\ufeff"))
	content = bytes.ReplaceAll(content, []byte("\r\n"), []byte("\n"))
	document, err := read(name, content)
	if err == nil && len(document.Passages()) == 0 {
		err = errors.New("the file holds no text to answer from")
	}
	if document.Title == "" {
		document.Title = titleOf(name)
	}
	return document, err
}

// titleOf makes a title of a file's name: "Opening hours" of opening-hours.csv.
func titleOf(name string) string {
	words := []rune(strings.NewReplacer("-", " ", "_", " ").Replace(strings.TrimSuffix(path.Base(name), path.Ext(name))))
	if len(words) > 0 {
		words[0] = unicode.ToUpper(words[0])
	}
	return string(words)
}

// outline gathers text under the headings it stands below.
type outline struct {
	document knowledge.Document
	trail    []string
	levels   []int
	body     strings.Builder
}

func (o *outline) heading(level int, title string) {
	o.flush()
	for len(o.levels) > 0 && o.levels[len(o.levels)-1] >= level {
		o.levels, o.trail = o.levels[:len(o.levels)-1], o.trail[:len(o.trail)-1]
	}
	if title = strings.Join(strings.Fields(title), " "); title != "" {
		o.levels, o.trail = append(o.levels, level), append(o.trail, title)
		if o.document.Title == "" {
			o.document.Title = title
		}
	}
}

// paragraph adds a block of text; close blocks, such as the items of a list,
// stand on the next line of the one before.
func (o *outline) paragraph(s string, closely bool) {
	if s = strings.TrimSpace(s); s == "" {
		return
	}
	if o.body.Len() > 0 {
		if closely {
			o.body.WriteString("\n")
		} else {
			o.body.WriteString("\n\n")
		}
	}
	o.body.WriteString(s)
}

// table adds rows that keep their column headings: "Adult, single: Little Sorrel
// £6.20; Hallow Point £9.80."
func (o *outline) table(rows [][]string) {
	if len(rows) < 2 {
		for _, row := range rows {
			o.paragraph(strings.Join(row, "; "), false)
		}
		return
	}
	head := rows[0]
	for i, row := range rows[1:] {
		var cells []string
		for j, cell := range row {
			if j > 0 && j < len(head) && cell != "" {
				cells = append(cells, strings.TrimSpace(head[j]+" "+cell))
			}
		}
		if len(row) > 0 {
			o.paragraph(row[0]+": "+strings.Join(cells, "; ")+".", i > 0)
		}
	}
}

func (o *outline) flush() {
	if o.body.Len() > 0 {
		o.document.Sections = append(o.document.Sections, knowledge.Section{Trail: slices.Clone(o.trail), Text: o.body.String()})
		o.body.Reset()
	}
}

func (o *outline) done() knowledge.Document {
	o.flush()
	return o.document
}

// readText takes a short first line without a full stop as the heading.
func readText(_ string, b []byte) (knowledge.Document, error) {
	var o outline
	first, rest, _ := strings.Cut(strings.TrimSpace(string(b)), "\n")
	if strings.HasPrefix(rest, "\n") && len(first) < 80 && !strings.HasSuffix(first, ".") {
		o.heading(1, first)
	} else {
		rest = first + "\n" + rest
	}
	for _, paragraph := range strings.Split(rest, "\n\n") {
		o.paragraph(strings.Join(strings.Fields(paragraph), " "), false)
	}
	return o.done(), nil
}
