package reading

import (
	"bytes"
	"net/url"
	"path"
	"strings"

	"github.com/PuerkitoBio/goquery"

	"urgentparrot.example/internal/core/knowledge"
)

// readWeb reads a page of the web, and where it leads. What is wrong with it stands
// with the page, for where it leads counts all the same.
func readWeb(f File, left *int64) (c Contents, err error) {
	body := f.Content
	ending := path.Ext(f.Name)
	var page Page
	if ending == ".html" {
		base, err := url.Parse(f.Web)
		if err != nil {
			return c, err
		}
		if body, err = asText(ending, body); err != nil {
			return Contents{Pages: []Page{{Error: clip(err.Error())}}}, nil
		}
		if parsed, err := goquery.NewDocumentFromReader(bytes.NewReader(body)); err == nil {
			c.Links = linksOf(parsed, base)
			if href, ok := parsed.Find("link[rel=canonical]").First().Attr("href"); ok {
				if u, err := base.Parse(href); err == nil {
					c.Canonical = plainAddress(u)
				}
			}
		}
	}
	if page.Hash = hashOf(body); page.Hash == f.Known {
		page.Unchanged = true
	} else if d, err := read(&file{f.Name, body, left}); err != nil {
		page.Error = clip(err.Error())
	} else {
		if f.Pairs {
			d = askedAndAnswered(d)
		}
		page.Title, page.Passages = d.Title, d.Passages()
	}
	c.Pages = []Page{page}
	return c, nil
}

// How many links of a page are followed, and how long an address may be.
const (
	mostLinks   = 5_000
	longestLink = 2_000
)

// linksOf returns the addresses that a page links to.
func linksOf(page *goquery.Document, base *url.URL) (links []string) {
	if href, ok := page.Find("base[href]").First().Attr("href"); ok {
		if u, err := base.Parse(href); err == nil {
			base = u
		}
	}
	page.Find("a[href]").Each(func(_ int, a *goquery.Selection) {
		if rel, _ := a.Attr("rel"); strings.Contains(rel, "nofollow") {
			return
		}
		href, _ := a.Attr("href")
		if u, err := base.Parse(strings.TrimSpace(href)); err == nil && (u.Scheme == "http" || u.Scheme == "https") {
			if link := plainAddress(u); len(links) < mostLinks && len(link) <= longestLink {
				links = append(links, link)
			}
		}
	})
	return links
}

// plainAddress writes an address in one way: without a fragment, with a path.
func plainAddress(u *url.URL) string {
	plain := *u
	plain.Fragment, plain.RawFragment = "", ""
	plain.Host = strings.ToLower(plain.Host)
	if plain.Scheme == "http" {
		plain.Host = strings.TrimSuffix(plain.Host, ":80")
	} else if plain.Scheme == "https" {
		plain.Host = strings.TrimSuffix(plain.Host, ":443")
	}
	if plain.Path == "" {
		plain.Path = "/"
	}
	return plain.String()
}

// askedAndAnswered makes pairs of a document's sections whose heading asks
// something; if none does, the document stays as it is.
func askedAndAnswered(d knowledge.Document) knowledge.Document {
	var pairs []knowledge.Pair
	var rest []knowledge.Section
	for _, s := range d.Sections {
		if n := len(s.Trail); n > 0 && strings.HasSuffix(strings.TrimSpace(s.Trail[n-1]), "?") {
			pairs = append(pairs, knowledge.Pair{Question: s.Trail[n-1], Answer: s.Text})
		} else {
			rest = append(rest, s)
		}
	}
	if len(pairs) > 0 {
		d.Pairs, d.Sections = append(d.Pairs, pairs...), rest
	}
	return d
}
