package library

import (
	"context"
	"fmt"
	"path/filepath"
	"strings"
	"time"

	"github.com/google/renameio/v2"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/reading"
	"urgentparrot.example/internal/store"
)

// An Unreadable file is one that is not a document of its kind, or holds nothing.
type Unreadable struct {
	Name string
	Why  error
}

func (u *Unreadable) Error() string { return u.Name + ": " + u.Why.Error() }

// Unwrap returns why.
func (u *Unreadable) Unwrap() error { return u.Why }

// AddFile reads a file into passages, in place of what a source of the same name
// had. If the file cannot be read nothing changes; the error is an Unreadable.
func (l *Library) AddFile(ctx context.Context, source store.Source, content []byte) (store.Source, error) {
	contents, err := l.Fetcher.Reader.Read(ctx, reading.File{Name: source.Name, Content: content})
	if err != nil {
		return source, &Unreadable{source.Name, err}
	}
	pages := contents.Pages
	if source.Kind == "" {
		source.Kind = store.FromFile
	}
	source.ID, source.Hash, source.Bytes = store.NewID(), hashOf(content), len(content)
	if len(pages) == 1 {
		source.Title = pages[0].Title
		if source.Kind == store.FromText { // whoever typed it has named it
			source.Title = strings.TrimSuffix(source.Name, ".md")
		}
	}
	if err := renameio.WriteFile(filepath.Join(l.Folder, source.Hash), content, 0o600); err != nil {
		return source, fmt.Errorf("the original could not be kept: %w", err)
	}
	l.Editing.Lock()
	defer l.Editing.Unlock()
	now := l.Clock.Now()
	source.ReadAt = now
	if err := l.write(ctx, func(tx *store.Tx) (err error) {
		if source.ID, err = tx.AddSource(source, now); err != nil {
			return err
		}
		return tx.PutReading(source, keep(pages), true, now)
	}); err != nil {
		return source, err
	}
	if err := l.reindexSource(ctx, source.ID); err != nil {
		return source, err
	}
	return l.Store.Source(ctx, source.ID)
}

// AddWeb keeps a page or a website as a source; it is read at once, behind the
// scenes.
func (l *Library) AddWeb(ctx context.Context, source store.Source) (store.Source, error) {
	source.ID, source.NextAt = store.NewID(), l.Clock.Now() // a stop meanwhile does not lose the first reading
	l.Editing.Lock()
	err := l.write(ctx, func(tx *store.Tx) (err error) {
		source.ID, err = tx.AddSource(source, l.Clock.Now())
		return err
	})
	l.Editing.Unlock()
	if err != nil {
		return source, err
	}
	if err := l.loadSources(ctx); err != nil {
		return source, err
	}
	l.readers.read(source.ID, false)
	return l.Store.Source(ctx, source.ID)
}

// ChangeSource changes when a source is read again and when it holds.
func (l *Library) ChangeSource(ctx context.Context, source store.Source) error {
	source.NextAt = l.nextReading(source)
	if source.TriedAt.IsZero() && (source.Kind == store.FromPage || source.Kind == store.FromSite) {
		source.NextAt = l.Clock.Now() // its first reading is not over
	}
	l.Editing.Lock()
	defer l.Editing.Unlock()
	if err := l.write(ctx, func(tx *store.Tx) error { return tx.ChangeSource(source, l.Clock.Now()) }); err != nil {
		return err
	}
	l.readers.wake()
	return l.reindexSource(ctx, source.ID)
}

// nextReading is when a source is to be read again; zero: by hand.
func (l *Library) nextReading(s store.Source) time.Time {
	if s.Every <= 0 || s.Kind != store.FromPage && s.Kind != store.FromSite {
		return time.Time{}
	}
	return l.Clock.Now().Add(s.Every)
}

// ReadAgain reads a web source now, behind the scenes. Files are read when they
// are uploaded.
func (l *Library) ReadAgain(ctx context.Context, id string) error {
	s, err := l.Store.Source(ctx, id)
	if err != nil {
		return err
	}
	if s.Kind != store.FromPage && s.Kind != store.FromSite {
		return nil
	}
	s.NextAt = l.Clock.Now() // a stop meanwhile does not lose it
	if err := l.write(ctx, func(tx *store.Tx) error { return tx.ChangeSource(s, s.NextAt) }); err != nil {
		return err
	}
	l.readers.read(s.ID, false)
	return nil
}

// Underway says of each source that is being read, by its id, how far that is.
func (l *Library) Underway() map[string]reading.Progress { return l.readers.underway() }

// RemoveSource removes a source and its passages.
func (l *Library) RemoveSource(ctx context.Context, id string) error {
	l.readers.forget(id)
	l.Editing.Lock()
	defer l.Editing.Unlock()
	if err := l.write(ctx, func(tx *store.Tx) error { return tx.RemoveSource(id, l.Clock.Now()) }); err != nil {
		return err
	}
	l.index.Store(l.index.Load().Change(func(p *knowledge.Passage) bool { return p.SourceID == id }, nil))
	return l.loadSources(ctx)
}

// keep turns what was read into what is kept.
func keep(pages []reading.Page) []store.ReadPage {
	kept := make([]store.ReadPage, len(pages))
	for i, p := range pages {
		kept[i] = store.ReadPage{
			Page:      store.Page{ID: store.NewID(), Address: p.Address, Title: p.Title, Hash: p.Hash, ETag: p.ETag, Modified: p.Modified, Error: p.Error, Broke: p.Broke},
			Unchanged: p.Unchanged, Passages: p.Passages,
		}
		for j := range kept[i].Passages {
			kept[i].Passages[j].ID = store.NewID()
		}
	}
	return kept
}

// CheckAddress reports whether the service may read from a web address, with the
// reason if not. Names are looked up only when it is read.
func (l *Library) CheckAddress(address string) error {
	_, err := l.Fetcher.Check(strings.TrimSpace(address))
	return err
}
