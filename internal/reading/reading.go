// Package reading turns files and web pages into plain documents for the
// knowledge.
package reading

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"net/http"
	"path"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/net/html/charset"

	"urgentparrot.example/internal/core/knowledge"
)

// Limit is the largest file that is read, in bytes.
const Limit = 32 << 20

// mostText is how much text a file may unpack to, in bytes.
const mostText = 64 << 20

// A reader makes a document of one kind of file.
type reader struct {
	read   func(name string, content []byte) (knowledge.Document, error)
	binary bool // the content is no text
}

var readers = map[string]reader{
	".md": {readMarkdown, false}, ".markdown": {readMarkdown, false},
	".html": {readHTML, false}, ".htm": {readHTML, false}, ".xhtml": {readHTML, false},
	".txt": {readText, false}, ".text": {readText, false},
	".csv": {readCSV, false}, ".jsonl": {readJSONLines, false},
	".srt": {readSubtitles, false}, ".vtt": {readSubtitles, false},
	".pdf": {readPDF, true}, ".docx": {readDOCX, true}, ".xlsx": {readXLSX, true},
}

// Kinds names the files that can be read, for messages.
const Kinds = "Markdown (.md), HTML, plain text (.txt), PDF, Word (.docx), Excel (.xlsx), CSV, JSON Lines (.jsonl), subtitles (.srt, .vtt) or a ZIP of these"

// A Page is one document of a source: a file, or one of the files in a ZIP, or a
// page of a website.
type Page struct {
	Address  string // within the source: a path in a ZIP, an address of a website; "" for a single file
	Title    string
	Hash     string // of the content
	Passages []knowledge.Passage
	Error    string // why it could not be read, "" if it was

	ETag, Modified string // as a web server gave them
	Unchanged      bool   // since the last reading: there are no passages here
}

// ReadFile reads a file, or all files in a ZIP. What cannot be read in a ZIP is a
// page with an error.
func ReadFile(name string, content []byte) ([]Page, error) {
	if strings.EqualFold(path.Ext(name), ".zip") {
		return readZIP(content)
	}
	document, err := Read(name, content)
	if err != nil {
		return nil, err
	}
	return []Page{pageOf("", content, document)}, nil
}

func pageOf(address string, content []byte, d knowledge.Document) Page {
	return Page{Address: address, Title: d.Title, Hash: hashOf(content), Passages: d.Passages()}
}

func hashOf(content []byte) string {
	sum := sha256.Sum256(content)
	return hex.EncodeToString(sum[:])
}

// Read reads one file by the ending of its name. The error says what is wrong
// with the file and what to do. It never panics, whatever the content.
func Read(name string, content []byte) (document knowledge.Document, err error) {
	defer func() {
		// The libraries for PDF and Office files trust what they read.
		if cause := recover(); cause != nil {
			err = errors.New("the file is damaged, or made in a way that is not understood; save it anew, or as plain text")
		}
	}()
	ending := strings.ToLower(path.Ext(name))
	r, known := readers[ending]
	switch {
	case !known:
		return document, fmt.Errorf("files ending in %q cannot be read; use %s", ending, Kinds)
	case len(content) > Limit:
		return document, fmt.Errorf("the file has %d MB; at most %d MB are read", len(content)>>20, Limit>>20)
	case len(bytes.TrimSpace(content)) == 0:
		return document, errors.New("the file is empty")
	}
	if !r.binary {
		if content, err = asText(ending, content); err != nil {
			return document, err
		}
	}
	if document, err = r.read(name, content); err != nil {
		return document, err
	}
	if document.Title = strings.Join(strings.Fields(document.Title), " "); document.Title == "" {
		document.Title = titleOf(name)
	}
	if len(document.Passages()) == 0 {
		err = errors.New("the file holds no text to answer from")
	}
	return document, err
}

// asText returns content as UTF-8 text with plain line ends. What is in another
// encoding is decoded by its byte order mark, or by what an HTML page says of
// itself, or as Windows-1252.
func asText(ending string, content []byte) ([]byte, error) {
	if kind := http.DetectContentType(content); strings.HasPrefix(kind, "image/") || strings.HasPrefix(kind, "audio/") || strings.HasPrefix(kind, "video/") || kind == "application/pdf" || kind == "application/zip" {
		return nil, fmt.Errorf("the file's name ends in %q, but its content is %s; give it its right name", ending, kind)
	}
	if !utf8.Valid(content) || bytes.HasPrefix(content, []byte("\xfe\xff")) || bytes.HasPrefix(content, []byte("\xff\xfe")) {
		encoding, _, _ := charset.DetermineEncoding(content[:min(len(content), 1024)], "text/html")
		decoded, err := encoding.NewDecoder().Bytes(content)
		if err != nil {
			return nil, errors.New("the file's encoding is not known; save it as UTF-8")
		}
		content = decoded
	}
	if bytes.IndexByte(content, 0) >= 0 {
		return nil, errors.New("the file is not text: it holds bytes of zero")
	}
	content = bytes.TrimPrefix(content, []byte("\ufeff"))
	return bytes.ReplaceAll(content, []byte("\r\n"), []byte("\n")), nil
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
			switch {
			case j == 0 || cell == "":
			case j >= len(head) || len(head) == 2 && len(strings.Fields(head[j])) > 2:
				cells = append(cells, cell) // what the one column holds need not be said each time
			default:
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
