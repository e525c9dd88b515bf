package reading

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"regexp"
	"strings"

	"urgentparrot.example/internal/core/knowledge"
)

var headingStyle = regexp.MustCompile(`(?i)^(?:heading|titre|rubrik|überschrift|overskrift)\s?([1-6])$`)

// readDOCX reads the text of an Office Open XML document (ECMA-376): headings by
// their style or as paragraphs in bold letters, lists, tables.
func readDOCX(in *file) (knowledge.Document, error) {
	archive, err := zip.NewReader(bytes.NewReader(in.content), int64(len(in.content)))
	if err != nil {
		return knowledge.Document{}, errors.New("the file is not a Word document (.docx), or is damaged or encrypted; save it anew, or as PDF")
	}
	for _, f := range archive.File {
		if f.Name != "word/document.xml" {
			continue
		}
		body, err := unpack(f, in.left)
		if err != nil {
			return knowledge.Document{}, err
		}
		return docxBody(body)
	}
	return knowledge.Document{}, errors.New("the file is not a Word document (.docx): it holds no text")
}

// A docxReader goes through the elements of a document in order.
type docxReader struct {
	outline
	text   strings.Builder // of the paragraph
	level  int             // of the heading that it is; 0: none
	item   bool
	bold   bool   // of the run
	plain  bool   // the paragraph has words that are not bold
	title  string // a paragraph in bold letters, which heads what comes next if that is not bold too
	cell   strings.Builder
	row    []string
	rows   [][]string
	tables int // how deep in tables
}

func docxBody(body []byte) (knowledge.Document, error) {
	r := &docxReader{}
	decoder := xml.NewDecoder(bytes.NewReader(body))
	for {
		token, err := decoder.Token()
		if errors.Is(err, io.EOF) {
			r.settle(false)
			return r.done(), nil
		}
		if err != nil {
			return knowledge.Document{}, errors.New("the Word document is damaged; save it anew")
		}
		switch t := token.(type) {
		case xml.StartElement:
			if err := r.start(decoder, t); err != nil {
				return knowledge.Document{}, errors.New("the Word document is damaged; save it anew")
			}
		case xml.EndElement:
			r.end(t.Name.Local)
		}
	}
}

func (r *docxReader) start(decoder *xml.Decoder, t xml.StartElement) error {
	value := func() string {
		for _, a := range t.Attr {
			if a.Name.Local == "val" {
				return a.Value
			}
		}
		return ""
	}
	switch t.Name.Local {
	case "p":
		r.text.Reset()
		r.level, r.item, r.plain = 0, false, false
	case "r":
		r.bold = false
	case "b":
		r.bold = value() != "0" && value() != "false"
	case "pStyle":
		if m := headingStyle.FindStringSubmatch(value()); m != nil {
			r.level = int(m[1][0] - '0')
		} else if strings.EqualFold(value(), "Title") {
			r.level = 1
		}
	case "numPr":
		r.item = true
	case "t":
		var words string
		if err := decoder.DecodeElement(&words, &t); err != nil {
			return err
		}
		r.text.WriteString(words)
		r.plain = r.plain || !r.bold && strings.TrimSpace(words) != ""
	case "tab", "br":
		r.text.WriteByte(' ')
	case "delText", "instrText":
		return decoder.Skip()
	case "tbl":
		r.tables++
	case "tr":
		r.row = nil
	case "tc":
		r.cell.Reset()
	}
	return nil
}

func (r *docxReader) end(name string) {
	words := func() string { return strings.Join(strings.Fields(r.text.String()), " ") }
	if said := words(); name == "p" && r.tables == 0 && said != "" || name == "tbl" && r.tables == 1 {
		bold := name == "p" && r.level == 0 && !r.item && !r.plain && isTitle(said)
		r.settle(!bold && r.level == 0)
		if bold {
			r.title = said
			return
		}
	}
	switch {
	case name == "p" && r.tables > 0:
		r.cell.WriteString(words() + " ")
	case name == "p" && r.level > 0:
		r.heading(r.level, words())
	case name == "p" && r.item:
		if words() != "" {
			r.paragraph(knowledge.ItemMark+words(), true)
		}
	case name == "p":
		r.paragraph(words(), false)
	case name == "tc":
		r.row = append(r.row, strings.TrimSpace(r.cell.String()))
	case name == "tr":
		r.rows = append(r.rows, r.row)
	case name == "tbl":
		if r.tables--; r.tables == 0 {
			r.table(r.rows)
			r.rows = nil
		}
	}
}

// settle makes a heading of a paragraph in bold letters, or a paragraph if it heads nothing.
func (r *docxReader) settle(heads bool) {
	if r.title != "" && heads {
		r.heading(inline, strings.TrimSuffix(r.title, ":"))
	} else {
		r.paragraph(r.title, false)
	}
	r.title = ""
}
