package reading

import (
	"bytes"
	"strings"

	"github.com/PuerkitoBio/goquery"
	"golang.org/x/net/html"

	"urgentparrot.example/internal/core/knowledge"
)

// boilerplate is what a page holds beside its content.
const boilerplate = "script, style, noscript, template, nav, header nav, footer, aside, form, iframe, svg, [hidden], [aria-hidden=true], [role=navigation], [role=banner], [role=contentinfo]"

func readHTML(_ string, b []byte) (knowledge.Document, error) {
	page, err := goquery.NewDocumentFromReader(bytes.NewReader(b))
	if err != nil {
		return knowledge.Document{}, err
	}
	page.Find(boilerplate).Remove()
	content := page.Find("main, [role=main], article").First()
	if content.Length() == 0 {
		content = page.Find("body")
	}
	var o outline
	for _, n := range content.Nodes {
		o.html(n)
	}
	d := o.done()
	if title := strings.TrimSpace(page.Find("title").First().Text()); title != "" && d.Title == "" {
		d.Title = title
	}
	return d, nil
}

// html walks the blocks of a page in order.
func (o *outline) html(n *html.Node) {
	if n.Type == html.TextNode {
		o.paragraph(strings.Join(strings.Fields(n.Data), " "), false)
		return
	}
	s := goquery.NewDocumentFromNode(n).Selection
	words := func() string { return strings.Join(strings.Fields(s.Text()), " ") }
	switch n.Data {
	case "h1", "h2", "h3", "h4", "h5", "h6":
		// A heading that was never closed has swallowed what follows it.
		swallowed := s.ChildrenFiltered("p, ul, ol, table, div, section")
		swallowed.Remove()
		o.heading(int(n.Data[1]-'0'), s.Text())
		for _, child := range swallowed.Nodes {
			o.html(child)
		}
	case "p", "blockquote", "figcaption", "dt", "summary":
		o.paragraph(words(), false)
	case "li":
		if item := words(); item != "" {
			o.paragraph(knowledge.ItemMark+item, true)
		}
	case "dd":
		o.paragraph(words(), true)
	case "pre":
		o.paragraph(s.Text(), false)
	case "table":
		var rows [][]string
		s.Find("tr").Each(func(_ int, tr *goquery.Selection) {
			var row []string
			tr.Find("th, td").Each(func(_ int, cell *goquery.Selection) {
				row = append(row, strings.Join(strings.Fields(cell.Text()), " "))
			})
			rows = append(rows, row)
		})
		o.table(rows)
	default:
		if !hasBlocks(n) {
			o.paragraph(words(), false)
			return
		}
		for child := n.FirstChild; child != nil; child = child.NextSibling {
			if child.Type == html.ElementNode || child.Type == html.TextNode {
				o.html(child)
			}
		}
	}
}

var blocks = map[string]bool{
	"h1": true, "h2": true, "h3": true, "h4": true, "h5": true, "h6": true, "p": true, "ul": true, "ol": true,
	"li": true, "table": true, "div": true, "section": true, "article": true, "main": true, "dl": true,
	"dt": true, "dd": true, "blockquote": true, "pre": true, "figure": true, "details": true, "body": true,
}

func hasBlocks(n *html.Node) bool {
	for child := n.FirstChild; child != nil; child = child.NextSibling {
		if child.Type == html.ElementNode && (blocks[child.Data] || hasBlocks(child)) {
			return true
		}
	}
	return false
}
