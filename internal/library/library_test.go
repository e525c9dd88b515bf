package library

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/connect"
	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/encoder"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/reading"
	"urgentparrot.example/internal/store"
)

// A shelf is a library on a walked clock, with a website to read from.
type shelf struct {
	questions atomic.Pointer[func(knowledge.Passage) []string] // writes those that passages answer
	*Library
	t        *testing.T
	clock    *clock.Walked
	settings atomic.Pointer[workspace.Settings]
	site     *site
	close    func()
	path     string
}

// site is a web page that the test writes.
type site struct {
	*httptest.Server
	mu     sync.Mutex
	page   string
	status int
	asked  int
}

func newSite(t *testing.T) *site {
	s := &site{status: http.StatusOK}
	s.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		s.mu.Lock()
		defer s.mu.Unlock()
		if r.URL.Path == "/robots.txt" {
			http.NotFound(w, r)
			return
		}
		s.asked++
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.WriteHeader(s.status)
		fmt.Fprint(w, s.page)
	}))
	t.Cleanup(s.Close)
	return s
}

func (s *site) says(status int, page string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.status, s.page = status, page
}

func (s *site) times() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.asked
}

func openShelf(t *testing.T) *shelf {
	t.Helper()
	return openShelfIn(t, t.TempDir(), clock.NewWalked(time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC)), newSite(t))
}

func openShelfIn(t *testing.T, folder string, c *clock.Walked, web *site) *shelf {
	t.Helper()
	st, err := store.Open(t.Context(), filepath.Join(folder, "parrot.db"))
	if err != nil {
		t.Fatal(err)
	}
	s := &shelf{t: t, clock: c, site: web, path: folder}
	s.set(func(*workspace.Settings) {})
	s.Library, err = Open(t.Context(), Options{
		Store: st, Folder: folder, Clock: c, Log: slog.New(slog.DiscardHandler),
		Fetcher: &reading.Fetcher{Reader: reading.Here{}, Rules: outbound.Rules{Allowed: []string{strings.TrimPrefix(web.URL, "http://")}}, Pace: time.Millisecond},
		Changed: func() {}, Settings: func() workspace.Settings { return *s.settings.Load() },
		Endpoint: func(context.Context, string) (connect.Endpoint, error) {
			return connect.Endpoint{}, errors.New("no model")
		},
		Questions: func(_ context.Context, p knowledge.Passage) ([]string, error) {
			if write := s.questions.Load(); write != nil {
				return (*write)(p), nil
			}
			return nil, ErrNotNow
		},
	})
	if err != nil {
		t.Fatal(err)
	}
	s.close = sync.OnceFunc(func() {
		s.Library.Close()
		if err := st.Close(); err != nil {
			t.Error(err)
		}
	})
	t.Cleanup(s.close)
	return s
}

// set changes the settings, which begin as those of a new workspace.
func (s *shelf) set(change func(*workspace.Settings)) {
	settings := workspace.DefaultSettings("main")
	change(&settings)
	s.settings.Store(&settings)
}

// finds returns what a bot says to a question, "" for nothing.
func (s *shelf) finds(question string, sources ...string) (words string) {
	s.With(s.t.Context(), bot.Brief{Sources: sources}, func(f answer.Finder) {
		words = f.Reply(s.t.Context(), answer.Part{Text: question, Kind: answer.Question}, "", answer.Bars{Answer: bot.DefaultThreshold, Offer: 1}, 0).Words
	})
	return words
}

// encoded waits until every passage has its vectors, in the index too.
func (s *shelf) encoded() {
	s.t.Helper()
	s.until("everything is encoded", func() bool {
		s.Editing.Lock()
		defer s.Editing.Unlock()
		passages, err := s.Store.PassagesWithout(s.t.Context(), s.model().name, 1)
		s.must(err)
		house, err := s.Store.HousePassagesWithout(s.t.Context(), s.model().name, 1)
		s.must(err)
		return len(passages)+len(house) == 0
	})
}

func (s *shelf) until(what string, holds func() bool) {
	s.t.Helper()
	deadline := time.After(60 * time.Second)
	tick := time.NewTicker(3 * time.Millisecond)
	defer tick.Stop()
	for !holds() {
		select {
		case <-tick.C:
		case <-deadline:
			s.t.Fatalf("it never came to pass that %s", what)
		}
	}
}

func (s *shelf) source(id string) store.Source {
	s.t.Helper()
	source, err := s.Store.Source(s.t.Context(), id)
	if err != nil {
		s.t.Fatal(err)
	}
	return source
}

func (s *shelf) must(err error) {
	s.t.Helper()
	if err != nil {
		s.t.Fatal(err)
	}
}

const bicycles = `<html><head><title>Bicycles</title></head><body><main><h1>Bicycles</h1><p>A bicycle costs £2.50 on every crossing.</p></main></body></html>`

// A page is read again when it is due by the clock; one that fails keeps what was
// read before, and says so.
func TestAPageIsReadAgainWhenItIsDue(t *testing.T) {
	s := openShelf(t)
	s.site.says(http.StatusOK, bicycles)
	added, err := s.AddWeb(t.Context(), store.Source{Name: "bicycles", Kind: store.FromPage, Address: s.site.URL + "/bicycles.html", Every: 24 * time.Hour})
	s.must(err)
	s.until("it is found", func() bool { return strings.Contains(s.finds("what does a bicycle cost?"), "£2.50") })
	s.until("its next reading is known", func() bool { return s.source(added.ID).NextAt.Equal(s.clock.Now().Add(24 * time.Hour)) })
	before := s.site.times()
	s.clock.Walk(23 * time.Hour)
	s.site.says(http.StatusOK, strings.Replace(bicycles, "£2.50", "£3.00", 1))
	if s.site.times() != before {
		t.Error("it was read before it was due")
	}
	s.until("the reader waits for the rest", func() bool { next, ok := s.clock.Next(); return ok && next <= time.Hour })
	read := s.source(added.ID).ReadAt
	walk := func() bool {
		if next, ok := s.clock.Next(); ok && next <= time.Hour {
			s.clock.Walk(next)
		}
		return s.source(added.ID).ReadAt.After(read)
	}
	s.until("it is read again", walk)
	s.until("what changed is found", func() bool { return strings.Contains(s.finds("what does a bicycle cost?"), "£3.00") })
	s.site.says(http.StatusInternalServerError, "broken")
	s.until("the reading before has ended", func() bool { _, under := s.Underway()[added.ID]; return !under })
	s.must(s.ReadAgain(t.Context(), added.ID))
	s.until("the failure is told", func() bool { return s.source(added.ID).Error != "" })
	if words := s.finds("what does a bicycle cost?"); !strings.Contains(words, "£3.00") {
		t.Errorf("after a failed reading it says %q", words)
	}
	// By hand from now on: whatever time passes, it is left alone.
	changed := s.source(added.ID)
	changed.Every = 0
	s.must(s.ChangeSource(t.Context(), changed))
	before = s.site.times()
	s.clock.Walk(100 * 24 * time.Hour)
	s.until("the clock has looked", func() bool { _, ok := s.clock.Next(); return ok })
	if s.site.times() != before {
		t.Error("a source that is read by hand was read by itself")
	}
	s.must(s.RemoveSource(t.Context(), added.ID))
	if words := s.finds("what does a bicycle cost?"); words != "" {
		t.Errorf("removed, it says %q", words)
	}
}

func TestFilesTakeTheirPlaceOrSayWhyNot(t *testing.T) {
	s := openShelf(t)
	add := func(name, content string) error {
		_, err := s.AddFile(t.Context(), store.Source{Name: name}, []byte(content))
		return err
	}
	s.must(add("boats.md", "# Boats\n\n## Bicycles\n\nA bicycle costs £2.50 on every crossing.\n"))
	s.must(add("boats.md", "# Boats\n\n## Bicycles\n\nA bicycle costs £4.00 on every crossing.\n"))
	list, err := s.Store.Sources(t.Context())
	if err != nil || len(list) != 1 {
		t.Errorf("sources are %+v, %v", list, err)
	}
	for name, content := range map[string]string{"odd.pdf": "no PDF", "empty.md": " \n", "odd.docx": "no ZIP", "odd.exe": "MZ"} {
		var unreadable *Unreadable
		if err := add(name, content); !errors.As(err, &unreadable) || unreadable.Name != name || !strings.HasPrefix(err.Error(), name+": ") {
			t.Errorf("%s: %v", name, err)
		}
	}
	var unreadable *Unreadable
	if err := add("boats.md", ""); !errors.As(err, &unreadable) {
		t.Errorf("nothing at all: %v", err)
	}
	if words := s.finds("what does a bicycle cost?"); !strings.Contains(words, "£4.00") {
		t.Errorf("after a file that could not be read it says %q", words)
	}
}

// A bot answers from the sources that its brief names, and from house answers.
func TestABotKeepsToItsSources(t *testing.T) {
	s := openShelf(t)
	for name, text := range map[string]string{"boats.md": "A bicycle costs £2.50 on every crossing.", "hotel.md": "A bicycle is hired out for £11 a day."} {
		_, err := s.AddFile(t.Context(), store.Source{Name: name}, []byte("# Bicycles\n\n"+text+"\n"))
		s.must(err)
	}
	for source, says := range map[string]string{"boats.md": "£2.50", "hotel.md": "£11", "gone.md": ""} {
		if words := s.finds("how much is a bicycle?", source); (words == "") != (says == "") || !strings.Contains(words, says) {
			t.Errorf("from %s it says %q", source, words)
		}
	}
	h, err := s.PutHouseAnswer(t.Context(), store.HouseAnswer{Question: "Do you sail at night?", Answer: "No, never at night.", Author: "Robin"}, 0)
	s.must(err)
	if words := s.finds("do you sail at night?", "gone.md"); words != "No, never at night." {
		t.Errorf("a house answer is %q", words)
	}
	h.Answer = "Only in June."
	if _, err := s.PutHouseAnswer(t.Context(), h, 7); !errors.Is(err, store.ErrConflict) {
		t.Errorf("an edit of another version: %v", err)
	}
	_, err = s.PutHouseAnswer(t.Context(), h, h.Version)
	s.must(err)
	if words := s.finds("do you sail at night?"); words != "Only in June." {
		t.Errorf("after the edit it is %q", words)
	}
	h.Until = s.clock.Now().Add(time.Hour)
	_, err = s.PutHouseAnswer(t.Context(), h, 0)
	s.must(err)
	s.encoded()
	s.clock.Walk(2 * time.Hour)
	if words := s.finds("do you sail at night?"); words != "" {
		t.Errorf("after its end it is %q", words)
	}
	s.must(s.RemoveHouseAnswer(t.Context(), h.ID))
	if err := s.RemoveHouseAnswer(t.Context(), h.ID); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("it was removed twice: %v", err)
	}
}

// What is encoded joins behind the scenes, also what was left over at a stop.
func TestPassagesAreEncodedBehindTheScenes(t *testing.T) {
	s := openShelf(t)
	_, err := s.AddFile(t.Context(), store.Source{Name: "boats.md"}, []byte("# Boats\n\n## Bicycles\n\nA bicycle costs £2.50 on every crossing.\n\n## Dogs\n\nDogs travel free of charge.\n"))
	s.must(err)
	s.close()
	s = openShelfIn(t, s.path, s.clock, s.site)
	s.encoded()
	s.With(t.Context(), bot.Brief{}, func(f answer.Finder) {
		if found := f.Find(t.Context(), answer.Whole("taking a bike along"), ""); len(found.Candidates) == 0 || found.Candidates[0].Meaning == 0 {
			t.Errorf("it has not joined the index: %+v", found)
		}
	})
	// In a language that the encoder does not know, words must do.
	s.set(func(settings *workspace.Settings) { settings.Language = "es" })
	s.must(s.Reindex(t.Context()))
	if name := s.model().name; name != "" {
		t.Errorf("in Spanish the model is %q", name)
	}
	if words := s.finds("Dogs travel free?"); !strings.Contains(words, "Dogs") {
		t.Errorf("by words alone it says %q", words)
	}
}

// What is edited while its old words are being encoded keeps the edit, and is
// encoded anew.
func TestAnEditWhileEncodingStands(t *testing.T) {
	s := openShelf(t)
	begun, goOn, encoded := make(chan struct{}, 9), make(chan struct{}), make(chan string, 9)
	s.used.Store(&model{name: s.model().name, local: true, vectors: answer.NewVectors(nil), encode: func(ctx context.Context, texts []string) ([]encoder.Reading, error) {
		begun <- struct{}{}
		<-goOn
		encoded <- strings.Join(texts, "|")
		return builtIn(ctx, texts)
	}})
	h, err := s.PutHouseAnswer(t.Context(), store.HouseAnswer{Question: "Do you sail at night?", Answer: "No, never at night.", Author: "Robin"}, 0)
	s.must(err)
	s.until("it is encoded by the one above, no more by the first", func() bool {
		if len(begun) == 0 {
			h, err = s.PutHouseAnswer(t.Context(), h, h.Version)
			s.must(err)
		}
		return len(begun) > 0
	})
	<-begun
	h.Until = s.clock.Now().Add(time.Hour)
	h, err = s.PutHouseAnswer(t.Context(), h, h.Version)
	s.must(err)
	goOn <- struct{}{}
	s.encoded() // it says the same, so its vectors hold
	s.With(t.Context(), bot.Brief{}, func(f answer.Finder) {
		if found := f.Find(t.Context(), answer.Whole("do you sail at night?"), ""); len(found.Candidates) == 0 || !found.Candidates[0].Until.Equal(h.Until) {
			t.Errorf("with its end changed it is %+v", found.Candidates)
		}
	})
	h.Question = "Do you sail after dark?"
	h, err = s.PutHouseAnswer(t.Context(), h, h.Version)
	s.must(err)
	<-begun
	h.Question, h.Answer = "Do you sail at night?", "Only in June."
	_, err = s.PutHouseAnswer(t.Context(), h, h.Version)
	s.must(err)
	close(goOn)
	s.encoded()
	for _, says := range []string{"sail at night?", "after dark?", "Only in June."} {
		if texts := <-encoded; !strings.Contains(texts, says) {
			t.Errorf("%q is encoded in place of %q", texts, says)
		}
	}
	if words := s.finds("do you sail at night?"); words != "Only in June." {
		t.Errorf("after both edits it is %q", words)
	}
	s.clock.Walk(2 * time.Hour)
	if words := s.finds("do you sail at night?"); words != "" {
		t.Errorf("after its end it is %q", words)
	}
}
