package reading

import (
	"bytes"
	"regexp"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/extension"
	"github.com/yuin/goldmark/text"

	"urgentparrot.example/internal/core/knowledge"
)

var markdown = goldmark.New(goldmark.WithExtensions(extension.Table, extension.Strikethrough))

// readMarkdown goes by way of HTML, so that headings, lists and tables are
// understood in one place. Raw HTML in the Markdown is left out. What has no
// marks of Markdown is a plain text: somebody pasted it.
func readMarkdown(f *file) (knowledge.Document, error) {
	f.content = boldAbove.ReplaceAll(f.content, []byte("$1\n\n$2"))
	parsed := markdown.Parser().Parse(text.NewReader(f.content))
	if isUnmarked(parsed) {
		return readText(f)
	}
	var page bytes.Buffer
	page.WriteString("<main>")
	if err := markdown.Renderer().Render(&page, f.content, parsed); err != nil {
		return knowledge.Document{}, err
	}
	page.WriteString("</main>")
	return readHTML(&file{f.name, page.Bytes(), f.left})
}

// boldAbove is a line in bold letters right above another one: it is set as a heading.
var boldAbove = regexp.MustCompile(`(?m)^((?:\*\*[^*\n]+\*\*|__[^_\n]+__):?)[ \t]*\r?\n([^\s|>#*-])`)

// isUnmarked reports whether a document is nothing but paragraphs and lists of plain words.
func isUnmarked(doc ast.Node) bool {
	unmarked := true
	// The walk only ends where it is told to: it returns no error.
	_ = ast.Walk(doc, func(n ast.Node, entering bool) (ast.WalkStatus, error) {
		switch n.Kind() {
		case ast.KindDocument, ast.KindParagraph, ast.KindTextBlock, ast.KindText, ast.KindString, ast.KindList, ast.KindListItem:
			return ast.WalkContinue, nil
		}
		unmarked = false
		return ast.WalkStop, nil
	})
	return unmarked
}
