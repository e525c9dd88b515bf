package reading

import (
	"regexp"
	"strings"

	"github.com/PuerkitoBio/goquery"
	"golang.org/x/net/html"

	"urgentparrot.example/internal/core/text"
)

// signs are what names of classes say of blocks that lead elsewhere.
var signs = regexp.MustCompile(`(?i)(?:^|[\s_-])(?:nav(?:bar|header|footer|igation|list)?|menu(?:bar)?|toc|table-of-contents|breadcrumbs?|pager|pagination|prev-?next|skip-?link|headerlink|related)(?:$|[\s_-])`)

// consent is what names of classes say of blocks that ask whether a page may keep cookies.
var consent = regexp.MustCompile(`(?i)(?:^|[\s_-])(?:cookies?|consent|gdpr)(?:$|[\s_-])`)

// onward are the links by which one leafs through a manual.
var onward = regexp.MustCompile(`(?i)^\W*(?:prev(?:ious)?|next|home|up|back)\W*$`)

// shortSign is how many words a block for leafing has at most, and shortConsent one that asks for
// consent: a page about cookies has more.
const (
	shortSign    = 40
	shortConsent = 120
)

// removeSigns removes what only leads elsewhere: lists and runs of links, such as
// a table of contents, links for leafing and back to the top.
func removeSigns(page *goquery.Document) {
	linked := linkedIn(page)
	page.FindMatcher(named).Each(func(_ int, s *goquery.Selection) {
		name := s.AttrOr("class", "") + " " + s.AttrOr("id", "")
		if consent.MatchString(name) && len(plainWords(s.Nodes[0], shortConsent)) < shortConsent {
			s.Remove()
			return
		}
		if signs.MatchString(name) && s.FindMatcher(headings).Length() == 0 {
			n := s.Nodes[0]
			if len(plainWords(n, shortSign)) < shortSign && linked[n] > 0 || linked.only(n) || linked[n]*2 >= lengthOf(n, 2*linked[n]) {
				s.Remove()
			}
		}
	})
	page.FindMatcher(links).Each(func(_ int, a *goquery.Selection) {
		says := strings.TrimSpace(a.Text())
		switch href := a.AttrOr("href", ""); {
		case strings.HasPrefix(href, "#") && len(says) <= len("Back to the top of this page") && toTop.MatchString(says):
			a.Remove()
		case onward.MatchString(says) || says == "" && onward.MatchString(a.Find("img").AttrOr("alt", "")):
			// What leafs through a manual names the pages before and after beside it.
			if table := a.Closest("table"); table.Length() > 0 && len(plainWords(table.Nodes[0], shortSign)) < shortSign {
				table.Remove()
			} else if block := a.Closest("p, ul, div"); block.Length() > 0 && linked.only(block.Nodes[0]) {
				block.Remove()
			}
		}
	})
	linked = linkedIn(page)
	page.FindMatcher(holders).Each(func(_ int, s *goquery.Selection) {
		if n := s.Nodes[0]; linked[n] > 0 && len(plainWords(n, signWords)) < signWords && linked.only(n) && s.FindMatcher(headings).Length() == 0 {
			s.Empty()
		}
	})
	page.FindMatcher(runs).Each(func(_ int, s *goquery.Selection) {
		if linked[s.Nodes[0]] == 0 {
			return
		}
		run, plain := 0, 0
		var leading []*html.Node
		flush := func() {
			if run >= signRun && plain <= run {
				for _, n := range leading {
					n.Parent.RemoveChild(n)
				}
			}
			run, plain, leading = 0, 0, nil
		}
		for child := s.Nodes[0].FirstChild; child != nil; {
			next := child.NextSibling // flush may take child out
			words := plainWords(child, 2)
			switch {
			case len(words) == 0:
			case linked.only(child):
				run++
				leading = append(leading, child)
			case len(words) == 1 && len(words[0]) < 4:
				plain++ // bars and dots between links
			default:
				flush()
			}
			child = next
		}
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

// linked is how many bytes of a node's text are links.
type linked map[*html.Node]int

func linkedIn(page *goquery.Document) linked {
	l := linked{}
	page.FindMatcher(links).Each(func(_ int, a *goquery.Selection) {
		n := len(strings.TrimSpace(a.Text()))
		for node := a.Nodes[0]; node != nil && n > 0; node = node.Parent {
			l[node] += n
		}
	})
	return l
}

// only reports whether a node says nothing but links, with a number before them
// or a mark between them at most.
func (l linked) only(n *html.Node) bool {
	const number = 16 // letters that it may have
	if most := l[n]*10/9 + number; l[n] == 0 || lengthOf(n, most) > most {
		return false
	}
	return l[n]*10 >= len(text.Unnumbered(words(n)))*9
}

// lengthOf is how many bytes the words of a node have, counted until there are
// more than most.
func lengthOf(n *html.Node, most int) (length int) {
	if n.Type == html.TextNode {
		return len(strings.TrimSpace(n.Data))
	}
	for child := n.FirstChild; child != nil && length <= most; child = child.NextSibling {
		length += lengthOf(child, most-length)
	}
	return length
}

// plainWords returns the words of a node, not many more than most of them.
func plainWords(n *html.Node, most int) (list []string) {
	if n.Type == html.TextNode {
		for word := range strings.FieldsSeq(n.Data) {
			if list = append(list, word); len(list) > most {
				break
			}
		}
		return list
	}
	for child := n.FirstChild; child != nil && len(list) <= most; child = child.NextSibling {
		list = append(list, plainWords(child, most-len(list))...)
	}
	return list
}
