package world

import (
	"bytes"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"fmt"
	"io/fs"
	"net/http"
	"strings"
	"sync"
)

//go:embed website
var websiteFiles embed.FS

// A Website is the ferry line's site with all that a reader of websites meets:
// pages that change, move and break, a loop of links, a page of 5 MB, a PDF, a
// copy that names its original, and a corner that is closed to programs.
type Website struct {
	Trouble Trouble

	mu    sync.Mutex
	pages map[string]string // by path; what the site has besides or instead of its files
	fails map[string]int    // paths that answer with a status
	moved map[string]string // paths that lead to an address
	asked map[string]int    // how often each path was sent whole
}

func newWebsite() *Website {
	return &Website{pages: map[string]string{}, moved: map[string]string{"old-news.html": "/website/news.html"}, fails: map[string]int{"notes.html": http.StatusInternalServerError}, asked: map[string]int{}}
}

// Put changes a page, given by its path below the site, or adds it.
func (s *Website) Put(path, html string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.pages[path] = html
	delete(s.fails, path)
}

// Fail makes a page answer with a status: 404 takes it away.
func (s *Website) Fail(path string, status int) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.fails[path] = status
}

// Move makes a page lead to an address.
func (s *Website) Move(path, to string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.moved[path] = to
}

// Sent is how often a page was sent whole, not answered as unchanged.
func (s *Website) Sent(path string) int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.asked[path]
}

func (s *Website) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if s.Trouble.strikes(w, r) {
		return
	}
	path := strings.TrimPrefix(r.URL.Path, "/website/")
	if path == "" || strings.HasSuffix(path, "/") {
		path += "index.html"
	}
	s.mu.Lock()
	status, failing := s.fails[path]
	page, put := s.pages[path]
	to, moved := s.moved[path]
	s.mu.Unlock()
	switch {
	case failing:
		http.Error(w, http.StatusText(status), status)
	case put:
		s.send(w, r, path, "text/html; charset=utf-8", []byte(page))
	case moved:
		http.Redirect(w, r, to, http.StatusMovedPermanently)
	case path == "archive":
		// Each page of the archive leads to the next, for ever.
		n := 0
		fmt.Sscanf(r.FormValue("page"), "%d", &n)
		s.send(w, r, path, "text/html", fmt.Appendf(nil, `<html><body><main><a href="/website/archive?page=%d">older</a> <a href="/website/archive?page=1">newest</a></main></body></html>`, n+1))
	case path == "everything.html":
		s.send(w, r, path, "text/html", []byte("<html><body><main><h1>All crossings</h1>"+strings.Repeat("<p>The boat left and came back again.</p>\n", 130_000)+"</main></body></html>"))
	case path == "leaflet.pdf":
		s.send(w, r, path, "application/pdf", PDF(leaflet))
	default:
		content, err := fs.ReadFile(websiteFiles, "website/"+path)
		if err != nil {
			http.NotFound(w, r)
			return
		}
		s.send(w, r, path, "text/html; charset=utf-8", content)
	}
}

var leaflet = []string{
	"Walking on the islands. A leaflet for walkers.",
	"The stones of Hallow Point: the ring of nine stones stands half an hour's walk west of the lighthouse.",
	"Drinking water: there is a tap at each landing. The springs are not safe to drink from.",
}

// send answers with a page, or that it has not changed.
func (s *Website) send(w http.ResponseWriter, r *http.Request, path, kind string, content []byte) {
	sum := sha256.Sum256(content)
	tag := `"` + hex.EncodeToString(sum[:8]) + `"`
	w.Header().Set("ETag", tag)
	if r.Header.Get("If-None-Match") == tag {
		w.WriteHeader(http.StatusNotModified)
		return
	}
	s.mu.Lock()
	s.asked[path]++
	s.mu.Unlock()
	w.Header().Set("Content-Type", kind)
	_, _ = w.Write(content) // a reader that is gone is no failure of ours
}

func robots(w http.ResponseWriter, _ *http.Request) {
	fmt.Fprint(w, "User-agent: *\nDisallow: /website/crew/\n")
}

// PDF makes a PDF of one page with a line of text each (ISO 32000).
func PDF(lines []string) []byte {
	var stream strings.Builder
	stream.WriteString("BT /F1 11 Tf 50 780 Td 16 TL\n")
	escape := strings.NewReplacer(`\`, `\\`, "(", `\(`, ")", `\)`)
	for _, line := range lines {
		fmt.Fprintf(&stream, "(%s) Tj T*\n", escape.Replace(line))
	}
	stream.WriteString("ET")
	var b bytes.Buffer
	b.WriteString("%PDF-1.4\n")
	var offsets []int
	for i, object := range []string{
		"<< /Type /Catalog /Pages 2 0 R >>", "<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
		"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Contents 4 0 R /Resources << /Font << /F1 5 0 R >> >> >>",
		fmt.Sprintf("<< /Length %d >>\nstream\n%s\nendstream", stream.Len(), stream.String()),
		"<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica /Encoding /WinAnsiEncoding >>",
	} {
		offsets = append(offsets, b.Len())
		fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\n", i+1, object)
	}
	start := b.Len()
	fmt.Fprintf(&b, "xref\n0 %d\n0000000000 65535 f \n", len(offsets)+1)
	for _, at := range offsets {
		fmt.Fprintf(&b, "%010d 00000 n \n", at)
	}
	fmt.Fprintf(&b, "trailer\n<< /Size %d /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF\n", len(offsets)+1, start)
	return b.Bytes()
}
