package reading

import (
	"regexp"
	"strings"

	"github.com/PuerkitoBio/goquery"
	"github.com/andybalholm/cascadia"
	"golang.org/x/net/html"
)

var (
	// folded are declarations that take a block out of the page; a control may bring
	// it back.
	folded = regexp.MustCompile(`(?i)(?:^|[;\s])(?:display\s*:\s*none|visibility\s*:\s*(?:hidden|collapse)|(?:max-)?height\s*:\s*0(?:px|em|rem|%)?\s*(?:;|!|$))`)
	// unseen are declarations that nobody reads the text of.
	unseen = regexp.MustCompile(`(?i)(?:^|[;\s])(?:opacity\s*:\s*0*\.?0+\s*(?:;|!|$)|font-size\s*:\s*[01](?:\.\d+)?(?:px|pt|em|rem|%)?\s*(?:;|!|$)|(?:left|right|top|bottom|text-indent|margin-(?:left|top))\s*:\s*-\s*\d{3,}|color\s*:\s*transparent|clip\s*:\s*rect\(\s*[01](?:px)?[\s,]|clip-path\s*:\s*(?:inset\(\s*(?:50|100)%|circle\(\s*0))`)
	colour = regexp.MustCompile(`(?i)(?:^|[;\s])color\s*:\s*([^;!]+)`)
	ground = regexp.MustCompile(`(?i)(?:^|[;\s])background(?:-color)?\s*:\s*([^;!]+)`)

	// unfolds are what names of classes say of blocks that open when one asks for them.
	unfolds = regexp.MustCompile(`(?i)accordion|collaps|tab|panel|faq|answer|toggle|expand|spoiler|details|reveal`)

	styleRule  = regexp.MustCompile(`([^{}]+)\{([^{}]*)\}`)
	styleNote  = regexp.MustCompile(`(?s)/\*.*?\*/`)
	withStyle  = cascadia.MustCompile("[style]")
	styleSheet = cascadia.MustCompile("style")
)

// mostRules is how many rules of a page's style sheets are looked at.
const mostRules = 2_000

// removeHidden takes out what the page's own styles keep from being seen: nobody who
// runs the page checks it, and customers would be told it as the page's words. What
// a control on the page opens, such as an answer below its question, stays. Style
// sheets elsewhere are not fetched.
func removeHidden(page *goquery.Document) {
	opened := controlled(page)
	hide := func(s *goquery.Selection, style string) {
		switch {
		case unseen.MatchString(style), sameColours(style):
			s.Remove()
		case folded.MatchString(style):
			id, has := s.Attr("id")
			if has && opened[id] || unfolds.MatchString(s.AttrOr("class", "")+" "+s.AttrOr("role", "")+" "+id) {
				return
			}
			s.Remove()
		}
	}
	rules := 0
	page.FindMatcher(styleSheet).Each(func(_ int, sheet *goquery.Selection) {
		css := styleNote.ReplaceAllString(sheet.Text(), "")
		for _, rule := range styleRule.FindAllStringSubmatch(outsideConditions(css), mostRules) {
			if rules++; rules > mostRules {
				return
			}
			if !unseen.MatchString(rule[2]) && !folded.MatchString(rule[2]) && !sameColours(rule[2]) {
				continue
			}
			for selector := range strings.SplitSeq(rule[1], ",") {
				if strings.Contains(selector, ":") { // it holds at times only
					continue
				}
				if matcher, err := cascadia.Compile(strings.TrimSpace(selector)); err == nil {
					page.FindMatcher(matcher).Each(func(_ int, s *goquery.Selection) {
						if n := s.Nodes[0]; n.Data != "body" && n.Data != "html" {
							hide(s, rule[2])
						}
					})
				}
			}
		}
	})
	page.FindMatcher(withStyle).Each(func(_ int, s *goquery.Selection) { hide(s, s.AttrOr("style", "")) })
}

// outsideConditions leaves out the rules of a style sheet that hold under a
// condition only: for print, or for narrow windows.
func outsideConditions(css string) string {
	var b strings.Builder
	depth, skip := 0, -1
	for i := 0; i < len(css); i++ {
		switch css[i] {
		case '@':
			if skip < 0 {
				skip = depth
			}
		case '{':
			depth++
		case ';':
			if skip == depth {
				skip = -1
				continue
			}
		case '}':
			depth--
			if skip >= 0 && depth <= skip {
				skip = -1
				continue
			}
		}
		if skip < 0 {
			b.WriteByte(css[i])
		}
	}
	return b.String()
}

// sameColours reports whether letters have the colour of what they stand on.
func sameColours(style string) bool {
	c, g := colour.FindStringSubmatch(style), ground.FindStringSubmatch(style)
	return c != nil && g != nil && strings.EqualFold(strings.TrimSpace(c[1]), strings.TrimSpace(g[1]))
}

// controlled returns the ids of what links and buttons of a page open.
func controlled(page *goquery.Document) map[string]bool {
	ids := map[string]bool{}
	var walk func(n *html.Node)
	walk = func(n *html.Node) {
		for _, a := range n.Attr {
			if a.Key == "aria-controls" || a.Key == "href" && strings.HasPrefix(a.Val, "#") || a.Key == "for" || strings.HasPrefix(a.Key, "data-") && strings.HasPrefix(a.Val, "#") {
				ids[strings.TrimPrefix(a.Val, "#")] = true
			}
		}
		for child := n.FirstChild; child != nil; child = child.NextSibling {
			walk(child)
		}
	}
	for _, n := range page.Nodes {
		walk(n)
	}
	return ids
}
