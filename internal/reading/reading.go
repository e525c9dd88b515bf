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
