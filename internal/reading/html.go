package reading

import (
	"bytes"
	"errors"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/PuerkitoBio/goquery"
	"github.com/andybalholm/cascadia"
	"golang.org/x/net/html"

	"urgentparrot.example/internal/core/knowledge"
)

// boilerplate is what a page holds beside its content.
var boilerplate = cascadia.MustCompile("script, style, noscript, template, nav, header nav, footer, aside, form, iframe, svg, [hidden], [aria-hidden=true], [role=navigation], [role=banner], [role=contentinfo]")

// What is looked for in pages.
var (
	links    = cascadia.MustCompile("a[href]")
	headings = cascadia.MustCompile("h1, h2, h3, h4, h5, h6")
	named    = cascadia.MustCompile("div[class], div[id], ul[class], ol[class], dl[class], table[class], p[class], span[class], a[class], section[class], td[class]")
	holders  = cascadia.MustCompile("p, div, header, td, main, section, body")
	runs     = cascadia.MustCompile("ul, ol, dl, div, header, p, td, main, article, body, section")
)

func readHTML(f *file) (knowledge.Document, error) {
	page, err := goquery.NewDocumentFromReader(bytes.NewReader(f.content))
	if err != nil { // the parser reads all that is not nested without end
		return knowledge.Document{}, errors.New("its elements are nested too deep to be read; save it as plain text")
	}
	return documentOf(page), nil
}

// documentOf takes the content out of a page.
func documentOf(page *goquery.Document) knowledge.Document {
	title := strings.TrimSpace(page.Find("title").First().Text())
	removeHidden(page) // while the styles are there
	page.FindMatcher(boilerplate).Remove()
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
		if !hasBlocks(n) || isOneParagraph(n) {
			if item := words(n); item != "" {
				o.paragraph(knowledge.ItemMark+numberOf(n)+item, true)
			}
			return
		}
	case "dt":
		if !hasBlocks(n) {
			if term := strings.TrimSuffix(words(n), ":"); o.terms || strings.HasSuffix(term, "?") {
				if o.heading(inline, term); !strings.HasSuffix(term, "?") {
					o.term(term)
				}
			} else if len(strings.Fields(term)) <= longestTerm {
				o.term(term)
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
		outer := o.terms
		o.terms = areHeadings(n)
		defer func() {
			o.terms = outer
			o.leave(inline)
		}()
	case "summary":
		o.heading(inline, words(n))
		return
	case "p", "div":
		if n.Data == "div" && hasBlocks(n) {
			break
		}
		if title := boldOnly(n); title != "" {
			o.heading(inline, title)
			return
		}
		if title := o.boldFirst(n); title != nil {
			o.heading(inline, strings.TrimSuffix(words(title), ":"))
			label := hasColon(title)
			if label {
				o.labelled = n
			}
			if label || boldBegins(nextElement(n)) != nil {
				defer o.leave(inline) // what comes next says what it is about itself
			}
			takeOut(title)
		}
		if lines := brokenLines(n); areEntries(lines) || areLabelled(lines) {
			o.lines(lines)
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

// areHeadings reports whether the terms of a list head what is said of them: one asks something, or
// most of it is sentences rather than a few words.
func areHeadings(list *html.Node) bool {
	long, short, nodes := 0, 0, 0
	for n := list.FirstChild; n != nil && nodes < mostCounted; n = n.NextSibling {
		nodes++
		switch {
		case n.Type != html.ElementNode:
		case n.Data == "dt" && strings.HasSuffix(words(n), "?"):
			return true
		case n.Data == "dd" && len(plainWords(n, fewWords+1)) > fewWords:
			long++
		case n.Data == "dd":
			short++
		}
	}
	return long > short
}

// fewWords is how many words say what a term is at most, where it is no heading.
const fewWords = 8

// brokenLines are the lines of a paragraph that the page breaks itself, nil if it breaks none.
func brokenLines(n *html.Node) (lines []string) {
	var line strings.Builder
	for child := n.FirstChild; child != nil; child = child.NextSibling {
		if child.Type == html.ElementNode && child.Data == "br" {
			lines = append(lines, line.String())
			line.Reset()
			continue
		}
		writeWords(&line, child)
	}
	if len(lines) == 0 {
		return nil
	}
	lines = append(lines, line.String())
	for i, said := range lines {
		lines[i] = strings.Join(strings.Fields(said), " ")
	}
	return slices.DeleteFunc(lines, func(said string) bool { return said == "" })
}

// isOneParagraph reports whether an item of a list holds one paragraph and nothing else.
func isOneParagraph(item *html.Node) bool {
	paragraphs := 0
	for child := item.FirstChild; child != nil; child = child.NextSibling {
		switch {
		case child.Type == html.ElementNode && child.Data == "p" && !hasBlocks(child):
			paragraphs++
		case strings.TrimSpace(words(child)) != "":
			return false
		}
	}
	return paragraphs == 1
}

// mostCounted is how many nodes of a list are counted: steps are few, and a page may hold a list
// without end.
const mostCounted = 200

// numberOf is the number of an item in a list that is counted, with its point, "" in others, and
// far down in a long one.
func numberOf(item *html.Node) string {
	if item.Parent == nil || item.Parent.Data != "ol" {
		return ""
	}
	number := 1
	for _, a := range item.Parent.Attr {
		if first, err := strconv.Atoi(a.Val); err == nil && a.Key == "start" {
			number = first
		}
	}
	nodes := 0
	for before := item.PrevSibling; before != nil; before = before.PrevSibling {
		if nodes++; nodes > mostCounted {
			return ""
		}
		if before.Type == html.ElementNode && before.Data == "li" {
			number++
		}
	}
	return strconv.Itoa(number) + ". "
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
	if !isTitle(title) || strings.HasSuffix(title, ":") {
		return ""
	}
	if nextElement(n) == nil {
		return ""
	}
	return title
}

// boldFirst returns the bold words that head the paragraph which begins with them: they stand on a
// line of their own, ask something ("Is it cold? Rather."), or have a colon behind them, as those of a
// paragraph beside it have ("Dogs: on a lead."). It returns nil if there are none.
func (o *outline) boldFirst(n *html.Node) *html.Node {
	first := boldBegins(n)
	if first == nil {
		return nil
	}
	title := words(first)
	next := first.NextSibling
	for next != nil && next.Type == html.TextNode && strings.TrimSpace(next.Data) == "" {
		next = next.NextSibling
	}
	switch {
	case next == nil || len(strings.Fields(title)) > longestBold:
		return nil
	case next.Type == html.ElementNode && next.Data == "br" && isTitle(title), strings.HasSuffix(title, "?"):
		return first
	case hasColon(first) && (hasColon(boldBegins(nextElement(n))) || o.labelled != nil && o.labelled == elementBefore(n)):
		return first
	}
	return nil
}

// boldBegins returns the bold words with which a paragraph begins, nil if it does not.
func boldBegins(n *html.Node) *html.Node {
	if n == nil || n.Data != "p" && n.Data != "div" {
		return nil
	}
	first := n.FirstChild
	for first != nil && first.Type == html.TextNode && strings.TrimSpace(first.Data) == "" {
		first = first.NextSibling
	}
	if first == nil || first.Type != html.ElementNode || first.Data != "b" && first.Data != "strong" {
		return nil
	}
	return first
}

// hasColon reports whether a few words end with a colon, or have one behind them.
func hasColon(label *html.Node) bool {
	if label == nil {
		return false
	}
	said := words(label)
	behind := label.NextSibling
	return len(strings.Fields(said)) <= longestTerm && (strings.HasSuffix(said, ":") ||
		behind != nil && behind.Type == html.TextNode && strings.HasPrefix(strings.TrimSpace(behind.Data), ":"))
}

// takeOut takes bold words that head a paragraph out of it, with the colon behind them, unless the
// sentence that they begin goes on behind it: "Dogs: on a lead".
func takeOut(title *html.Node) {
	if behind := title.NextSibling; behind != nil && behind.Type == html.TextNode {
		rest := strings.TrimSpace(strings.TrimPrefix(strings.TrimSpace(behind.Data), ":"))
		if r, _ := utf8.DecodeRuneInString(rest); unicode.IsLower(r) {
			return
		}
		if rest != "" {
			behind.Data = " " + rest + " "
		}
	}
	title.Parent.RemoveChild(title)
}

func nextElement(n *html.Node) *html.Node {
	for n = n.NextSibling; n != nil && n.Type != html.ElementNode; n = n.NextSibling {
		continue
	}
	return n
}

func elementBefore(n *html.Node) *html.Node {
	for n = n.PrevSibling; n != nil && n.Type != html.ElementNode; n = n.PrevSibling {
		continue
	}
	return n
}

// isTitle reports whether bold words read as a heading.
func isTitle(s string) bool {
	return s != "" && len(strings.Fields(s)) <= longestBold && !strings.ContainsAny(s[len(s)-1:], ".,;!")
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
