// Package reading turns files and web pages into plain documents for the
// knowledge.
package reading

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"net/http"
	"path"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/net/html/charset"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
)

// Limit is the largest file that is read, in bytes.
const Limit = 32 << 20

// mostText is how much text a file may unpack to, in bytes.
const mostText = 64 << 20

// mostPassages is how many passages one file may make, and all files of a ZIP: some
// 10,000 pages of a book.
const mostPassages = 20_000

// A reader makes a document of one kind of file.
type reader struct {
	read   func(f *file) (knowledge.Document, error)
	binary bool // the content is no text
}

// A file is one that is read, alone or out of a ZIP.
type file struct {
	name    string
	content []byte
	left    *int64 // how much it may still unpack to, with the ZIP that it came in
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
	Broke    string // the hash of the content, if reading it broke

	ETag, Modified string // as a web server gave them
	Unchanged      bool   // since the last reading: there are no passages here
}

// A File is what is to be read: a file, a ZIP of files, or a page of the web.
type File struct {
	Name    string // its ending says what it is
	Content []byte `json:"-"`
	Web     string // the address that it came from, "" for a file
	Known   string // the hash of what was read before: if it is the same, it is not read again
	Pairs   bool   // headings that ask become questions with answers
}

// Contents are what a file holds.
type Contents struct {
	Pages     []Page
	Links     []string // of a web page
	Canonical string   // the address that a web page gives as its own, "" if none
}

// A Reader reads files. It is safe for concurrent use.
type Reader interface {
	// Read reads a file, or all files in a ZIP. What cannot be read in a ZIP is a page
	// with an error. The error says what is wrong with the file and what to do; it
	// wraps ErrBroke if the file must not be read again by itself.
	Read(ctx context.Context, f File) (Contents, error)
	// Warning says what those who run the service should know, "" if nothing.
	Warning() string
}

// ErrBroke is wrapped by errors of files that made the reading crash, or cost it too
// much memory or time.
var ErrBroke = errors.New("it is not read again by itself")

// Here reads files in this process. A file that was made to do harm can end the
// process, or fill the machine's memory: a service reads by way of the package
// apart.
type Here struct{}

// Warning has nothing to say.
func (Here) Warning() string { return "" }

// Read reads a file.
func (Here) Read(_ context.Context, f File) (c Contents, err error) {
	defer func() {
		if err != nil {
			err = errors.New(clip(err.Error()))
		}
	}()
	left := int64(mostText)
	switch {
	case f.Web != "":
		return readWeb(f, &left)
	case strings.EqualFold(path.Ext(f.Name), ".zip"):
		c.Pages, err = readZIP(f.Content, &left)
		return c, err
	}
	document, err := read(&file{f.Name, f.Content, &left})
	if err == nil {
		c.Pages = []Page{pageOf("", f.Content, document)}
	}
	return c, err
}

// clip bounds what is quoted of a file.
func clip(message string) string { return text.Short(message, 400) }

func pageOf(address string, content []byte, d knowledge.Document) Page {
	return Page{Address: address, Title: d.Title, Hash: hashOf(content), Passages: d.Passages()}
}

func hashOf(content []byte) string {
	sum := sha256.Sum256(content)
	return hex.EncodeToString(sum[:])
}

// Read reads one file by the ending of its name, in this process; see Here.
func Read(name string, content []byte) (knowledge.Document, error) {
	left := int64(mostText)
	return read(&file{name, content, &left})
}

func read(f *file) (document knowledge.Document, err error) {
	defer func() {
		// The libraries for PDF and Office files trust what they read.
		if cause := recover(); cause != nil {
			err = errors.New("the file is damaged, or made in a way that is not understood; save it anew, or as plain text")
		}
	}()
	ending := strings.ToLower(path.Ext(f.name))
	r, known := readers[ending]
	switch {
	case !known:
		return document, fmt.Errorf("files ending in %q cannot be read; use %s", ending, Kinds)
	case len(f.content) > Limit:
		return document, fmt.Errorf("the file has %d MB; at most %d MB are read", len(f.content)>>20, Limit>>20)
	case len(bytes.TrimSpace(f.content)) == 0:
		return document, errors.New("the file is empty")
	}
	if !r.binary {
		if f.content, err = asText(ending, f.content); err != nil {
			return document, err
		}
	}
	if document, err = r.read(f); err != nil {
		return document, err
	}
	if document.Title = clip(strings.Join(strings.Fields(document.Title), " ")); document.Title == "" {
		document.Title = titleOf(f.name)
	}
	switch n := len(document.Passages()); {
	case n == 0:
		err = errors.New("the file holds no text to answer from")
	case n > mostPassages:
		err = fmt.Errorf("the file makes %d passages; at most %d are kept: divide it into several files", n, mostPassages)
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
		content = bytes.ToValidUTF8(decoded, []byte("\ufffd")) // it may be cut off in a letter
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
