package reading

import (
	"bytes"
	"regexp"
	"strings"

	"github.com/PuerkitoBio/goquery"
	"golang.org/x/net/html"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
)

// boilerplate is what a page holds beside its content.
const boilerplate = "script, style, noscript, template, nav, header nav, footer, aside, form, iframe, svg, [hidden], [aria-hidden=true], [role=navigation], [role=banner], [role=contentinfo]"

func readHTML(_ string, b []byte) (knowledge.Document, error) {
	page, err := goquery.NewDocumentFromReader(bytes.NewReader(b))
	if err != nil {
		return knowledge.Document{}, err
	}
	return documentOf(page), nil
}

// documentOf takes the content out of a page.
func documentOf(page *goquery.Document) knowledge.Document {
	title := strings.TrimSpace(page.Find("title").First().Text())
	page.Find(boilerplate).Remove()
	removeSigns(page)
	content := page.Find("main, [role=main], article").First()
	if content.Length() == 0 {
		content = page.Find("body")
	}
	var o outline
	for _, n := range content.Nodes {
		o.html(n, 0)
	}
	d := o.done()
	if d.Title == "" {
		d.Title = title
	}
	return d
}

// signs are what names of classes say of blocks that lead elsewhere.
var signs = regexp.MustCompile(`(?i)(?:^|[\s_-])(?:nav(?:bar|header|footer|igation|list)?|toc|table-of-contents|breadcrumbs?|pager|pagination|prev-?next|skip-?link|headerlink|related)(?:$|[\s_-])`)

// onward are the links by which one leafs through a manual.
var onward = regexp.MustCompile(`(?i)^\W*(?:prev(?:ious)?|next|home|up|back)\W*$`)

// shortSign is how many words a block for leafing has at most.
const shortSign = 40

// removeSigns removes what only leads elsewhere: lists and runs of links, such as
// a table of contents, links for leafing and back to the top.
func removeSigns(page *goquery.Document) {
	page.Find("div[class], div[id], ul[class], ol[class], dl[class], table[class], p[class], span[class], a[class], section[class], td[class]").Each(func(_ int, s *goquery.Selection) {
		named := s.AttrOr("class", "") + " " + s.AttrOr("id", "")
		if signs.MatchString(named) && s.Find("h1, h2, h3, h4").Length() == 0 {
			if words := strings.TrimSpace(s.Text()); len(strings.Fields(words)) < shortSign || isLink(s, words) || strings.Contains(strings.ToLower(named), "toc") {
				s.Remove()
			}
		}
	})
	page.Find("a[href]").Each(func(_ int, a *goquery.Selection) {
		says := strings.TrimSpace(a.Text() + a.Find("img").AttrOr("alt", ""))
		if !onward.MatchString(says) {
			return
		}
		block := a.Closest("table, p, ul, div")
		if block.Is("table, p, ul") && len(strings.Fields(block.Text())) < shortSign {
			block.Remove()
		} else {
			a.Remove()
		}
	})
	page.Find("a").Each(func(_ int, a *goquery.Selection) {
		href, _ := a.Attr("href")
		if strings.HasPrefix(href, "#") && len(strings.TrimSpace(a.Text())) <= len("Back to the top of this page") && toTop.MatchString(a.Text()) {
			a.Remove()
		}
	})
	page.Find("p, div, td, main, section, body").Each(func(_ int, s *goquery.Selection) {
		words := strings.TrimSpace(s.Text())
		if s.Find("a[href]").Length() > 0 && len(strings.Fields(words)) < signWords && s.Find("h1, h2, h3, h4, h5, h6").Length() == 0 && isLink(s, words) {
			s.Empty()
		}
	})
	page.Find("ul, ol, dl, div, p, td, main, article, body, section").Each(func(_ int, s *goquery.Selection) {
		run, plain := 0, 0
		var links []*goquery.Selection
		flush := func() {
			if run >= signRun && plain <= run {
				for _, link := range links {
					link.Remove()
				}
			}
			run, plain, links = 0, 0, nil
		}
		s.Contents().Each(func(_ int, child *goquery.Selection) {
			words := strings.TrimSpace(child.Text())
			switch {
			case words == "":
			case isLink(child, words):
				run++
				links = append(links, child)
			case len(words) < 4:
				plain++ // bars and dots between links
			default:
				flush()
			}
		})
		flush()
	})
}

// How many links after one another are a list of links; how many words a block
// that holds nothing but links has at least, if it is worth keeping.
const (
	signRun   = 4
	signWords = 8
)

var toTop = regexp.MustCompile(`(?i)\b(?:top|up|contents|index)\b|^[↑⇧^]+$`)

// isLink reports whether a node says nothing but links.
func isLink(s *goquery.Selection, words string) bool {
	linked := 0
	words = text.Unnumbered(words)
	if goquery.NodeName(s) == "a" {
		linked = len(words)
	} else {
		s.Find("a[href]").Each(func(_ int, a *goquery.Selection) { linked += len(strings.TrimSpace(a.Text())) })
	}
	return linked*10 >= len(words)*9
}

// deepest is how deep elements may be nested before what is below is taken as
// plain words.
const deepest = 200

// html walks the blocks of a page in order.
func (o *outline) html(n *html.Node, depth int) {
	switch {
	case n.Type == html.TextNode:
		o.paragraph(strings.Join(strings.Fields(n.Data), " "), false)
		return
	case n.Type != html.ElementNode:
		return
	}
	switch n.Data {
	case "h1", "h2", "h3", "h4", "h5", "h6":
		// A heading that was never closed has swallowed what follows it.
		var swallowed []*html.Node
		for child := n.FirstChild; child != nil; {
			next := child.NextSibling
			if child.Type == html.ElementNode && blocks[child.Data] {
				n.RemoveChild(child)
				swallowed = append(swallowed, child)
			}
			child = next
		}
		o.heading(int(n.Data[1]-'0'), words(n))
		for _, child := range swallowed {
			o.html(child, depth+1)
		}
		return
	case "li":
		if !hasBlocks(n) {
			if item := words(n); item != "" {
				o.paragraph(knowledge.ItemMark+item, true)
			}
			return
		}
	case "dt":
		if !hasBlocks(n) {
			if term := words(n); strings.HasSuffix(term, "?") {
				o.heading(inline, term)
			} else if len(strings.Fields(term)) <= longestTerm {
				o.term(strings.TrimSuffix(term, ":"))
			} else {
				o.paragraph(term, false)
			}
			return
		}
	case "dd":
		if !hasBlocks(n) {
			o.paragraph(words(n), true)
			return
		}
	case "dl":
		defer o.leave(inline)
	case "p":
		if title := boldOnly(n); title != "" {
			o.heading(inline, title)
			return
		}
	case "pre":
		o.paragraph(goquery.NewDocumentFromNode(n).Text(), false)
		return
	case "table":
		if rows, ok := tableRows(n); ok {
			o.table(rows)
			return
		}
	}
	if depth >= deepest || !hasBlocks(n) {
		o.paragraph(words(n), false)
		return
	}
	// Words between blocks make a paragraph of their own.
	var loose strings.Builder
	flush := func() {
		o.paragraph(strings.Join(strings.Fields(loose.String()), " "), false)
		loose.Reset()
	}
	for child := n.FirstChild; child != nil; child = child.NextSibling {
		if child.Type == html.ElementNode && (blocks[child.Data] || hasBlocks(child)) {
			flush()
			o.html(child, depth+1)
		} else {
			writeWords(&loose, child)
		}
	}
	flush()
}

// inline is the level of headings that are no elements of their own: a paragraph
// in bold letters, a question in a list of terms.
const inline = 7

// How many words a term of a list of terms, and a heading in bold letters, has at
// most.
const (
	longestTerm = 12
	longestBold = 25
)

// boldOnly returns the words of a paragraph that is set in bold letters as a
// whole and reads as a heading, "" for others.
func boldOnly(n *html.Node) string {
	var bold *html.Node
	for child := n.FirstChild; child != nil; child = child.NextSibling {
		switch {
		case child.Type == html.ElementNode && (child.Data == "b" || child.Data == "strong") && bold == nil:
			bold = child
		case strings.TrimSpace(words(child)) != "":
			return ""
		}
	}
	if bold == nil {
		return ""
	}
	title := words(bold)
	if title == "" || len(strings.Fields(title)) > longestBold || strings.ContainsAny(title[len(title)-1:], ".,;:!") {
		return ""
	}
	for next := n.NextSibling; next != nil; next = next.NextSibling {
		if next.Type == html.ElementNode {
			return title
		}
	}
	return ""
}

// tableRows returns the cells of a table; false for one that is there for the
// layout: with one column, or with headings or tables in it.
func tableRows(n *html.Node) (rows [][]string, ok bool) {
	table := goquery.NewDocumentFromNode(n)
	if table.Find("table table, h1, h2, h3, h4").Length() > 0 {
		return nil, false
	}
	widest := 0
	table.Find("tr").Each(func(_ int, tr *goquery.Selection) {
		var row []string
		tr.ChildrenFiltered("th, td").Each(func(_ int, cell *goquery.Selection) {
			row = append(row, words(cell.Nodes[0]))
		})
		widest = max(widest, len(row))
		rows = append(rows, row)
	})
	return rows, widest > 1
}

// words returns the text of a node with single spaces.
func words(n *html.Node) string {
	var b strings.Builder
	writeWords(&b, n)
	return strings.Join(strings.Fields(b.String()), " ")
}

func writeWords(b *strings.Builder, n *html.Node) {
	switch {
	case n.Type == html.TextNode:
		b.WriteString(n.Data)
	case n.Type == html.ElementNode && (n.Data == "br" || blocks[n.Data]):
		b.WriteByte(' ')
	}
	for child := n.FirstChild; child != nil; child = child.NextSibling {
		writeWords(b, child)
	}
	if n.Type == html.ElementNode && blocks[n.Data] {
		b.WriteByte(' ')
	}
}

var blocks = map[string]bool{
	"h1": true, "h2": true, "h3": true, "h4": true, "h5": true, "h6": true, "p": true, "ul": true, "ol": true,
	"li": true, "table": true, "tbody": true, "thead": true, "tr": true, "td": true, "th": true, "div": true, "section": true,
	"article": true, "main": true, "dl": true, "dt": true, "dd": true, "blockquote": true, "pre": true, "figure": true,
	"figcaption": true, "details": true, "summary": true, "body": true, "center": true, "address": true,
}

// hasBlocks reports whether a node holds blocks, directly or in inline elements.
func hasBlocks(n *html.Node) bool {
	for child := n.FirstChild; child != nil; child = child.NextSibling {
		if child.Type == html.ElementNode && (blocks[child.Data] || inlineHolds(child, 0)) {
			return true
		}
	}
	return false
}

// inlineHolds looks for blocks in an inline element, some levels deep: broken
// pages have them there.
func inlineHolds(n *html.Node, depth int) bool {
	if depth > 4 {
		return false
	}
	for child := n.FirstChild; child != nil; child = child.NextSibling {
		if child.Type == html.ElementNode && (blocks[child.Data] || inlineHolds(child, depth+1)) {
			return true
		}
	}
	return false
}
