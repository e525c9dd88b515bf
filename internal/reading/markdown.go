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
func readMarkdown(name string, b []byte) (knowledge.Document, error) {
	var page bytes.Buffer
	page.WriteString("<main>")
	if err := markdown.Convert(b, &page); err != nil {
		return knowledge.Document{}, err
	}
	page.WriteString("</main>")
	return readHTML(name, page.Bytes())
}
