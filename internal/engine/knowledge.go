package engine

import (
	"context"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"strings"
	"time"

	"urgentparrot.example/internal/connect"
	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/reading"
	"urgentparrot.example/internal/store"
)

// ErrName is returned for a source whose name another kind of source has.
var ErrName = errors.New("another source has this name")

// AddFile reads a file into passages, in place of what a source of the same name
// had. If the file cannot be read nothing changes; the error says why.
func (w *Workspace) AddFile(ctx context.Context, source store.Source, content []byte) (store.Source, error) {
	pages, err := reading.ReadFile(source.Name, content)
	if err != nil {
		return source, err
	}
	if source.Kind == "" {
		source.Kind = store.FromFile
	}
	source.ID, source.Hash, source.Bytes = store.NewID(), hashOf(content), len(content)
	if len(pages) == 1 {
		source.Title = pages[0].Title
	}
	original := filepath.Join(w.folder, "files", source.Hash)
	if err := connect.ReplaceFile(original, func(f io.Writer) error { _, err := f.Write(content); return err }); err != nil {
		return source, fmt.Errorf("the original could not be kept: %w", err)
	}
	w.editing.Lock()
	defer w.editing.Unlock()
	now := w.options.Now()
	source.ReadAt = now
	if err := w.write(ctx, func(tx *store.Tx) (err error) {
		if source.ID, err = tx.AddSource(source, now); err != nil {
			return err
		}
		return tx.PutReading(source, keep(pages), true, now)
	}); err != nil {
		return source, err
	}
	if err := w.reindexSource(ctx, source.ID); err != nil {
		return source, err
	}
	return w.store.Source(ctx, source.ID)
}

// AddWeb keeps a page or a website as a source; it is read at once, behind the
// scenes.
func (w *Workspace) AddWeb(ctx context.Context, source store.Source) (store.Source, error) {
	source.ID = store.NewID()
	w.editing.Lock()
	err := w.write(ctx, func(tx *store.Tx) (err error) {
		source.ID, err = tx.AddSource(source, w.options.Now())
		return err
	})
	w.editing.Unlock()
	if err != nil {
		return source, err
	}
	if err := w.loadSources(ctx); err != nil {
		return source, err
	}
	w.readers.read(source.ID)
	return w.store.Source(ctx, source.ID)
}

// ChangeSource changes when a source is read again and when it holds.
func (w *Workspace) ChangeSource(ctx context.Context, source store.Source) error {
	source.NextAt = w.nextReading(source)
	w.editing.Lock()
	defer w.editing.Unlock()
	if err := w.write(ctx, func(tx *store.Tx) error { return tx.ChangeSource(source, w.options.Now()) }); err != nil {
		return err
	}
	w.readers.wake()
	return w.reindexSource(ctx, source.ID)
}

// nextReading is when a source is to be read again; zero: by hand.
func (w *Workspace) nextReading(s store.Source) time.Time {
	if s.Every <= 0 || s.Kind != store.FromPage && s.Kind != store.FromSite {
		return time.Time{}
	}
	return w.options.Now().Add(s.Every)
}

// ReadAgain reads a web source now, behind the scenes. Files are read when they
// are uploaded.
func (w *Workspace) ReadAgain(ctx context.Context, id string) error {
	s, err := w.store.Source(ctx, id)
	if err != nil {
		return err
	}
	if s.Kind == store.FromPage || s.Kind == store.FromSite {
		w.readers.read(s.ID)
	}
	return nil
}

// Progress says how far the reading of a source is; false if it is not being
// read.
func (w *Workspace) Progress(id string) (reading.Progress, bool) { return w.readers.progress(id) }

// RemoveSource removes a source and its passages.
func (w *Workspace) RemoveSource(ctx context.Context, id string) error {
	w.readers.forget(id)
	w.editing.Lock()
	defer w.editing.Unlock()
	if err := w.write(ctx, func(tx *store.Tx) error { return tx.RemoveSource(id, w.options.Now()) }); err != nil {
		return err
	}
	w.index.Store(w.index.Load().Change(func(p *knowledge.Passage) bool { return p.SourceID == id }, nil))
	return w.loadSources(ctx)
}

// keep turns what was read into what is kept.
func keep(pages []reading.Page) []store.ReadPage {
	kept := make([]store.ReadPage, len(pages))
	for i, p := range pages {
		kept[i] = store.ReadPage{
			Page:      store.Page{ID: store.NewID(), Address: p.Address, Title: p.Title, Hash: p.Hash, ETag: p.ETag, Modified: p.Modified, Error: p.Error},
			Unchanged: p.Unchanged, Passages: p.Passages,
		}
		for j := range kept[i].Passages {
			kept[i].Passages[j].ID = store.NewID()
		}
	}
	return kept
}

// reindexSource brings the index up to date with a source.
func (w *Workspace) reindexSource(ctx context.Context, id string) error {
	passages, err := w.store.Passages(ctx, id, w.meaning().model)
	if err != nil {
		return err
	}
	w.index.Store(w.index.Load().Change(func(p *knowledge.Passage) bool { return p.SourceID == id }, passages))
	w.encoding.wake()
	return w.loadSources(ctx)
}

// reindex builds the index anew.
func (w *Workspace) reindex(ctx context.Context) error {
	model := w.meaning().model
	b := knowledge.Builder{Analyzer: w.config.Load().analyzer}
	if err := w.store.AllPassages(ctx, model, b.Add); err != nil {
		return err
	}
	house, err := w.store.HousePassages(ctx, model)
	if err != nil {
		return err
	}
	b.Add(house)
	w.index.Store(b.Index())
	w.encoding.wake()
	return w.loadSources(ctx)
}

// loadSources notes the ids of sources by their names, for briefs.
func (w *Workspace) loadSources(ctx context.Context) error {
	sources, err := w.store.Sources(ctx)
	if err != nil {
		return err
	}
	ids := map[string]string{}
	for _, s := range sources {
		ids[s.Name] = s.ID
	}
	w.sourceIDs.Store(&ids)
	return nil
}

// Index returns the knowledge as it is now.
func (w *Workspace) Index() *knowledge.Index { return w.index.Load() }

// Finder returns what finds passages for a bot: in the sources that its brief
// names, in their order, or in all; always in the house answers.
func (w *Workspace) Finder(brief bot.Brief) answer.Finder {
	f := answer.Finder{Index: w.index.Load(), Scope: knowledge.Scope{Now: w.options.Now()}, Encode: w.encodeQuestion}
	if w.meaning().model == "" {
		f.Encode = nil
	}
	if len(brief.Sources) > 0 {
		ids := *w.sourceIDs.Load()
		f.Scope.Sources = map[string]int{store.HouseSource: 0}
		for place, name := range brief.Sources {
			if id, ok := ids[name]; ok {
				f.Scope.Sources[id] = place
			}
		}
	}
	return f
}

// BotFinder returns what finds passages for the bot of a name; for "" in all
// sources.
func (w *Workspace) BotFinder(name string) (answer.Finder, float64, error) {
	if name == "" {
		return w.Finder(bot.Brief{}), bot.DefaultThreshold, nil
	}
	brief, ok := w.config.Load().bots[name]
	if !ok {
		return answer.Finder{}, 0, store.ErrNotFound
	}
	return w.Finder(brief), brief.Threshold, nil
}

// CheckAddress reports whether the service may read from a web address, with the
// reason if not. Names are looked up only when it is read.
func (w *Workspace) CheckAddress(address string) error {
	_, err := w.fetcher.Check(strings.TrimSpace(address))
	return err
}
