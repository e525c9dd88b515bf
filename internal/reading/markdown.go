package reading

import (
	"bytes"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/extension"

	"urgentparrot.example/internal/core/knowledge"
)

var markdown = goldmark.New(goldmark.WithExtensions(extension.Table, extension.Strikethrough))

// readMarkdown goes by way of HTML, so that headings, lists and tables are
// understood in one place. Raw HTML in the Markdown is left out.
func readMarkdown(f *file) (knowledge.Document, error) {
	var page bytes.Buffer
	page.WriteString("<main>")
	if err := markdown.Convert(f.content, &page); err != nil {
		return knowledge.Document{}, err
	}
	page.WriteString("</main>")
	return readHTML(&file{f.name, page.Bytes(), f.left})
}
