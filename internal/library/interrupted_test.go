package library

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"urgentparrot.example/internal/reading"
	"urgentparrot.example/internal/store"
)

// breaking is a reader that breaks over what holds a word, and counts what it is
// given.
type breaking struct {
	reading.Here
	word  string
	mu    sync.Mutex
	given int

	panics bool
}

func (b *breaking) Read(ctx context.Context, f reading.File) (reading.Contents, error) {
	if !strings.Contains(string(f.Content), b.word) {
		return b.Here.Read(ctx, f)
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	b.given++
	if b.panics {
		panic("out of order")
	}
	return reading.Contents{}, fmt.Errorf("reading it crashed; %w", reading.ErrBroke)
}

func (b *breaking) times() int {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.given
}

// A first reading that a stop cuts off is taken up at the next start, also one that is
// done by hand only.
func TestAFirstReadingIsTakenUp(t *testing.T) {
	s := openShelf(t)
	s.site.mu.Lock() // it hangs
	added, err := s.AddWeb(t.Context(), store.Source{Name: "boats", Kind: store.FromPage, Address: s.site.URL + "/boats"})
	s.must(err)
	s.close()
	s.site.mu.Unlock()
	s.site.says(http.StatusOK, bicycles)
	s = openShelfIn(t, s.path, s.clock, s.site)
	s.until("it is found", func() bool { return strings.Contains(s.finds("what does a bicycle cost?"), "£2.50") })
	s.until("it is not to be read again", func() bool { return s.source(added.ID).NextAt.IsZero() })
}

// What broke is not read again by itself, and says so; by hand it is.
func TestWhatBrokeIsLeftAlone(t *testing.T) {
	s := openShelf(t)
	reader := &breaking{word: "trap"}
	s.Fetcher.Reader = reader
	s.site.says(http.StatusOK, "<p>A trap.</p>")
	added, err := s.AddWeb(t.Context(), store.Source{Name: "boats", Kind: store.FromPage, Address: s.site.URL + "/boats", Every: time.Hour})
	s.must(err)
	s.until("it broke", func() bool { return strings.Contains(s.source(added.ID).Error, "not read again by itself") })
	s.until("the reading has ended", func() bool { _, under := s.Underway()[added.ID]; return !under })
	s.clock.Walk(100 * time.Hour)
	s.until("the clock has looked", func() bool { _, ok := s.clock.Next(); return ok })
	if n := reader.times(); n != 1 {
		t.Errorf("it was read %d times", n)
	}
	s.site.says(http.StatusOK, bicycles)
	s.must(s.ReadAgain(t.Context(), added.ID))
	s.until("it is found", func() bool { return strings.Contains(s.finds("what does a bicycle cost?"), "£2.50") })
	s.until("it is read by itself again", func() bool { return !s.source(added.ID).NextAt.IsZero() })

	// Of a website it is the one page, as long as it is the same.
	s.site.says(http.StatusOK, `<h1>Boats</h1><p>A bicycle costs £9 on the night boat.</p><a href="b">b</a>`)
	whole, err := s.AddWeb(t.Context(), store.Source{Name: "site", Kind: store.FromSite, Address: s.site.URL + "/site/"})
	s.must(err)
	s.until("the site is read", func() bool { return !s.source(whole.ID).ReadAt.IsZero() })
	broken := func() (n int) {
		pages, err := s.Store.Pages(t.Context(), whole.ID)
		s.must(err)
		for _, p := range pages {
			if p.Broke != "" && p.Error != "" {
				n++
			}
		}
		return n
	}
	s.must(s.Store.Write(t.Context(), func(tx *store.Tx) error {
		pages := []store.ReadPage{{Page: store.Page{ID: store.NewID(), Address: s.site.URL + "/site/b", Broke: hashOf([]byte("<p>A trap.</p>")), Error: "it crashed"}}}
		return tx.PutReading(s.source(whole.ID), pages, false, s.clock.Now())
	}))
	before := reader.times()
	s.site.says(http.StatusOK, "<p>A trap.</p>")
	read, err := s.Fetcher.Read(t.Context(), reading.Site{Address: s.site.URL + "/else", Follow: true, Prefix: s.site.URL, Known: map[string]reading.Known{s.site.URL + "/else": {Broke: hashOf([]byte("<p>A trap.</p>")), Error: "it crashed"}}}, func(reading.Progress) {})
	s.must(err)
	if len(read.Pages) != 1 || read.Pages[0].Error != "it crashed" || read.Pages[0].Broke == "" || reader.times() != before || broken() != 1 {
		t.Errorf("%+v after %d readings, %d pages broken", read.Pages, reader.times()-before, broken())
	}
}

// A reading that panics costs itself only.
func TestAReadingThatPanicsIsNoted(t *testing.T) {
	s := openShelf(t)
	s.Fetcher.Reader = &breaking{word: "trap", panics: true}
	s.site.says(http.StatusOK, "<p>A trap.</p>")
	added, err := s.AddWeb(t.Context(), store.Source{Name: "boats", Kind: store.FromPage, Address: s.site.URL + "/boats", Every: time.Hour})
	s.must(err)
	s.until("it is noted", func() bool { return strings.Contains(s.source(added.ID).Error, "out of order") })
	if !s.source(added.ID).NextAt.IsZero() {
		t.Error("it is read again by itself")
	}
	_, err = s.AddFile(t.Context(), store.Source{Name: "bicycles.html"}, []byte(bicycles))
	s.must(err)
	if words := s.finds("what does a bicycle cost?"); !strings.Contains(words, "£2.50") {
		t.Errorf("afterwards it says %q", words)
	}
}
