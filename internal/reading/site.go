package reading

import (
	"context"
	"errors"
	"fmt"
	"mime"
	"net/http"
	"path"
	"strings"
	"time"

	"github.com/gocolly/colly/v2"

	"urgentparrot.example/internal/outbound"
)

// A Site says what is read from the web, and how.
type Site struct {
	Address string
	Follow  bool   // a website: links are followed within the prefix
	Prefix  string // "" means the address up to its last slash
	Depth   int    // how many links away from the address; 0 means defaultDepth
	Pages   int    // at most so many; 0 means defaultPages
	Pairs   bool   // headings that ask become questions with answers
	Known   map[string]Known
}

// Known is what is known of a page from its last reading.
type Known struct {
	Hash, ETag, Modified string
	Broke, Error         string // the hash of what could not be read without breaking, and what was said of it: while it is the same, it is left alone
}

// The limits of a website.
const (
	defaultDepth = 8
	defaultPages = 500
	MostPages    = 20_000
	pageLimit    = 4 << 20 // bytes of one page; other files may have Limit
	pageTime     = 30 * time.Second
	mostQueued   = 5 * MostPages // addresses that are remembered
)

// Progress says how far a reading is.
type Progress struct {
	Read    int // pages looked at
	Found   int // pages known of, at least
	Address string
}

// Reading is what reading a site came to.
type Reading struct {
	Title   string
	Pages   []Page
	Whole   bool   // pages that are not in Pages are gone
	Bytes   int    // of what was read
	Trouble string // what went wrong with some pages, "" if nothing did
}

// Read reads a page or a website. If its first page cannot be read, nothing of it
// is, and the error says why; of other pages, the error stands with the page.
func (f *Fetcher) Read(ctx context.Context, site Site, progress func(Progress)) (Reading, error) {
	first, err := f.Check(site.Address)
	if err != nil {
		return Reading{}, err
	}
	c := &crawl{fetcher: f, site: site, first: plainAddress(first), progress: progress, met: map[string]bool{}}
	if c.prefix = site.Prefix; c.prefix == "" {
		up := *first
		up.RawQuery = ""
		if !strings.HasSuffix(up.Path, "/") {
			up.Path = path.Dir(up.Path)
			if up.Path != "/" {
				up.Path += "/"
			}
		}
		c.prefix = plainAddress(&up)
	}
	if site.Depth <= 0 {
		c.site.Depth = defaultDepth
	}
	if site.Pages <= 0 {
		c.site.Pages = defaultPages
	}
	c.site.Pages = min(c.site.Pages, MostPages)
	return c.run(ctx)
}

// A crawl is one reading of a site.
type crawl struct {
	fetcher  *Fetcher
	site     Site
	first    string
	prefix   string
	progress func(Progress)

	reading   Reading
	met       map[string]bool // addresses that are settled: read, failed, or the same as another
	asked     int
	closed    int   // shut to programs by robots.txt
	cut       bool  // there were more pages than allowed
	failed    error // of the first page
	failures  int
	lastError string
}

func (c *crawl) run(ctx context.Context) (Reading, error) {
	collector := colly.NewCollector(colly.UserAgent(agent), colly.StdlibContext(ctx), colly.MaxBodySize(Limit+1))
	collector.IgnoreRobotsTxt = false
	collector.WithTransport(ending{c.fetcher.Transport(), ctx})
	collector.SetRequestTimeout(pageTime)
	collector.SetRedirectHandler(func(next *http.Request, via []*http.Request) error {
		if len(via) >= 8 {
			return errors.New("the page leads on and on")
		}
		_, err := c.fetcher.Check(next.URL.String())
		return err
	})
	pace := c.fetcher.Pace
	if pace == 0 {
		pace = 250 * time.Millisecond
	}
	if err := collector.Limit(&colly.LimitRule{DomainGlob: "*", Delay: pace}); err != nil {
		return Reading{}, err
	}
	type target struct {
		address string
		depth   int
	}
	queue := []target{{c.first, 0}}
	// What is known already is looked at again, also where no link leads to it
	// from a page that has not changed.
	if c.site.Follow {
		for address := range c.site.Known {
			queue = append(queue, target{address, 1})
		}
	}
	queued := map[string]bool{}
	for _, t := range queue {
		queued[t.address] = true
	}
	depth := 0
	collector.OnRequest(func(r *colly.Request) {
		if known, ok := c.site.Known[plainAddress(r.URL)]; ok {
			if known.ETag != "" {
				r.Headers.Set("If-None-Match", known.ETag)
			}
			if known.Modified != "" {
				r.Headers.Set("If-Modified-Since", known.Modified)
			}
		}
	})
	asking := ""
	collector.OnResponse(func(r *colly.Response) {
		for _, link := range c.take(ctx, asking, r) {
			if c.site.Follow && depth < c.site.Depth && !queued[link] && len(queued) < mostQueued && strings.HasPrefix(link, c.prefix) {
				queued[link] = true
				queue = append(queue, target{link, depth + 1})
			}
		}
	})
	collector.OnError(func(r *colly.Response, err error) { c.fail(asking, r, err) })
	for len(queue) > 0 && ctx.Err() == nil {
		next := queue[0]
		queue = queue[1:]
		if c.met[next.address] {
			continue
		}
		if c.asked >= c.site.Pages {
			c.cut = true
			break
		}
		c.asked++
		c.progress(Progress{Read: c.asked - 1, Found: c.asked + len(queue), Address: next.address})
		asking, depth = next.address, next.depth
		err := collector.Visit(next.address)
		switch {
		case errors.Is(err, colly.ErrRobotsTxtBlocked):
			c.met[asking] = true
			c.closed++
			if asking == c.first {
				c.failed = errors.New("the site's robots.txt does not allow programs to read this page")
			}
		case err != nil && !c.met[asking]:
			c.fail(asking, nil, err)
		}
		if c.failed != nil {
			return Reading{}, c.failed
		}
	}
	if err := ctx.Err(); err != nil {
		return Reading{}, errors.New("reading took too long and was broken off")
	}
	c.reading.Whole = !c.cut
	c.reading.Trouble = c.trouble()
	if len(c.reading.Pages) == 0 {
		return Reading{}, errors.New("no page of it holds text to answer from")
	}
	return c.reading, nil
}

func (c *crawl) trouble() string {
	var said []string
	if c.failures > 0 {
		said = append(said, fmt.Sprintf("%s could not be read, what was read of them before still counts (the last: %s)", pages(c.failures), c.lastError))
	}
	if c.closed > 0 {
		said = append(said, "robots.txt closes "+pages(c.closed)+" to programs")
	}
	if c.cut {
		said = append(said, fmt.Sprintf("there are more than the %d pages that are read", c.site.Pages))
	}
	return strings.Join(said, "; ")
}

func pages(n int) string {
	if n == 1 {
		return "1 page"
	}
	return fmt.Sprintf("%d pages", n)
}

// fail notes why an address could not be read.
func (c *crawl) fail(asked string, r *colly.Response, err error) {
	if c.met[asked] {
		return
	}
	c.met[asked] = true
	status := 0
	if r != nil {
		status = r.StatusCode
	}
	reason := ""
	var visited *colly.AlreadyVisitedError
	switch {
	case status == http.StatusNotModified:
		c.reading.Pages = append(c.reading.Pages, Page{Address: asked, Unchanged: true})
		return
	case status == http.StatusNotFound || status == http.StatusGone:
		if asked == c.first {
			c.failed = errors.New("there is no such page (404)")
		}
		return // it is gone, and so are its passages
	case status > 0:
		reason = fmt.Sprintf("the server answered %d %s", status, strings.ToLower(http.StatusText(status)))
	case errors.As(err, &visited):
		return // it leads to a page that has been read
	case errors.Is(err, outbound.ErrNotPublic):
		reason = outbound.ErrNotPublic.Error()
	case errors.Is(err, context.DeadlineExceeded):
		reason = "the server took too long to answer"
	default:
		reason = "the server cannot be reached: " + outbound.Why(err).Error()
	}
	c.failPage(asked, errors.New(reason))
}

func (c *crawl) failPage(address string, reason error) {
	if address == c.first {
		c.failed = reason
		return
	}
	c.failures++
	c.lastError = address + ": " + reason.Error()
	c.reading.Pages = append(c.reading.Pages, Page{Address: address, Error: reason.Error()})
}

// take takes a page in and returns the links on it.
func (c *crawl) take(ctx context.Context, asked string, r *colly.Response) (links []string) {
	c.met[asked] = true
	address := plainAddress(r.Request.URL)
	if address != asked {
		// A redirect: within the site it is that page's address that counts.
		if c.met[address] || c.site.Follow && !strings.HasPrefix(address, c.prefix) && asked != c.first {
			return nil
		}
		c.met[address] = true
	}
	ending := endingOf(r)
	if ending == "" {
		if asked == c.first {
			c.failed = fmt.Errorf("the address leads to %s, which cannot be read", clip(r.Headers.Get("Content-Type")))
		}
		return nil
	}
	if ending == ".html" && len(r.Body) > pageLimit || len(r.Body) > Limit {
		c.failPage(asked, fmt.Errorf("the page is larger than %d MB", pageLimit>>20))
		return nil
	}
	c.reading.Bytes += len(r.Body)
	hash := hashOf(r.Body)
	known := c.site.Known[address]
	if known.Broke == hash {
		c.reading.Pages = append(c.reading.Pages, Page{Address: address, Error: known.Error, Broke: hash})
		return nil
	}
	contents, err := c.fetcher.Reader.Read(ctx, File{Name: "page" + ending, Content: r.Body, Web: r.Request.URL.String(), Known: known.Hash, Pairs: c.site.Pairs})
	if ctx.Err() != nil {
		return nil
	}
	if err != nil {
		c.failPage(asked, err)
		if n := len(c.reading.Pages); c.failed == nil && errors.Is(err, ErrBroke) {
			c.reading.Pages[n-1].Broke = hash
		}
		return nil
	}
	page := contents.Pages[0]
	if contents.Canonical != "" && contents.Canonical != address && strings.HasPrefix(contents.Canonical, c.prefix) {
		// The page says that it is another one's copy: that one is read.
		if !c.met[contents.Canonical] && c.site.Follow {
			return append([]string{contents.Canonical}, contents.Links...)
		}
		if c.met[contents.Canonical] {
			return contents.Links
		}
	}
	if page.Error != "" {
		if asked == c.first && !c.site.Follow {
			c.failed = errors.New(page.Error)
			return nil
		}
		if ending != ".html" { // a page of links alone is no trouble
			c.failPage(address, errors.New(page.Error))
		}
		return contents.Links
	}
	page.Address, page.ETag, page.Modified = address, r.Headers.Get("ETag"), r.Headers.Get("Last-Modified")
	if !page.Unchanged && (address == c.first || asked == c.first) {
		c.reading.Title = page.Title
	}
	c.reading.Pages = append(c.reading.Pages, page)
	return contents.Links
}

// endingOf returns the ending of a file of the response's type, "" for what
// cannot be read.
func endingOf(r *colly.Response) string {
	kind, _, _ := mime.ParseMediaType(r.Headers.Get("Content-Type"))
	switch kind {
	case "text/html", "application/xhtml+xml", "":
		return ".html"
	case "application/pdf":
		return ".pdf"
	case "text/plain":
		if ending := strings.ToLower(path.Ext(r.Request.URL.Path)); ending == ".md" || ending == ".markdown" {
			return ending
		}
		return ".txt"
	case "text/markdown":
		return ".md"
	case "application/vnd.openxmlformats-officedocument.wordprocessingml.document":
		return ".docx"
	}
	return ""
}
