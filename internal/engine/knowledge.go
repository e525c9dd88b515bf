package engine

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"path/filepath"

	"urgentparrot.example/internal/connect"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/reading"
	"urgentparrot.example/internal/store"
)

// AddSource reads a file into passages, in place of what a source of the same
// name had. If the file cannot be read nothing changes; the error says why.
func (w *Workspace) AddSource(ctx context.Context, name string, content []byte) (store.Source, error) {
	document, err := reading.Read(name, content)
	if err != nil {
		return store.Source{}, err
	}
	sum := sha256.Sum256(content)
	source := store.Source{
		ID: store.NewID(), Name: name, Title: document.Title, Hash: hex.EncodeToString(sum[:]), Bytes: len(content), ReadAt: w.options.Now(),
	}
	original := filepath.Join(w.folder, "files", source.Hash)
	if err := connect.ReplaceFile(original, func(f io.Writer) error { _, err := f.Write(content); return err }); err != nil {
		return source, fmt.Errorf("the original could not be kept: %w", err)
	}
	passages := document.Passages()
	for i := range passages {
		passages[i].ID = store.NewID()
	}
	w.editing.Lock()
	defer w.editing.Unlock()
	if err := w.write(ctx, func(tx *store.Tx) (err error) {
		source.ID, err = tx.PutSource(source, passages)
		return err
	}); err != nil {
		return source, err
	}
	source.Passages = len(passages)
	return source, w.reindex(ctx)
}

// RemoveSource removes a source and its passages.
func (w *Workspace) RemoveSource(ctx context.Context, id string) error {
	w.editing.Lock()
	defer w.editing.Unlock()
	if err := w.write(ctx, func(tx *store.Tx) error { return tx.RemoveSource(id, w.options.Now()) }); err != nil {
		return err
	}
	return w.reindex(ctx)
}

func (w *Workspace) reindex(ctx context.Context) error {
	passages, err := w.store.Passages(ctx, "")
	if err != nil {
		return err
	}
	w.index.Store(knowledge.Build(w.config.Load().analyzer, passages))
	return nil
}

// Index returns the knowledge as it is now.
func (w *Workspace) Index() *knowledge.Index { return w.index.Load() }
