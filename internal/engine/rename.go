package engine

import (
	"context"
	"errors"
	"fmt"
	"os"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/store"
)

// ErrRename is wrapped by errors of documents that cannot be given another name.
var ErrRename = errors.New("")

// Rename gives a document another name, and names it so wherever it is named: in the texts of
// other documents, their drafts and versions, and in records. All of it happens, or nothing.
func (d *Documents) Rename(ctx context.Context, kind, from, to string) error {
	d.editing.Lock()
	defer d.editing.Unlock()
	k, _ := document.Find(d.w.options.Documents, kind)
	switch {
	case k.Titled:
		return fmt.Errorf("%wa %s is called by its title: change that, and keep it", ErrRename, kind)
	case !document.IsName(to):
		return fmt.Errorf("%w%q is not a name: use small letters, digits and hyphens, at most 40", ErrRename, to)
	case from == to:
		return nil
	}
	taken, err := d.w.store.Taken(ctx, kind, to)
	if err != nil {
		return err
	}
	if taken {
		return fmt.Errorf("%wa %s is, or was, called %s: choose another name", ErrRename, kind, to)
	}
	rewritten, err := d.renamed(ctx, k, from, to)
	if err != nil {
		return err
	}
	sealed, origin, err := d.resealed(ctx, kind, from, to)
	if err != nil {
		return err
	}
	var consent *store.Consent
	if kind == "connection" {
		if consent, err = d.w.Consents.resealed(ctx, from, to); err != nil {
			return err
		}
	}
	now := d.w.Clock.Now()
	if err := d.w.store.Write(ctx, func(tx *store.Tx) error {
		if err := tx.RenameDocument(kind, from, to, now); err != nil {
			return err
		}
		for _, text := range rewritten {
			text.UpdatedAt = now
			if err := tx.Rewrite(text); err != nil {
				return err
			}
		}
		if consent != nil {
			if err := tx.PutConsent(*consent, now); err != nil {
				return err
			}
		}
		if sealed != nil {
			return tx.PutSecret(to, sealed, origin, now)
		}
		return nil
	}); err != nil {
		return err
	}
	d.w.Outbox.renamed.Store(true)
	defer d.w.hub.signal(Events)
	if err := d.w.reload(ctx); err != nil {
		return err
	}
	if kind == "sheet" { // its file has its name
		d.w.Sheets.changed(to)
		if err := os.Remove(d.w.Sheets.File(from)); err != nil && !errors.Is(err, os.ErrNotExist) {
			d.w.log.Warn("the file of a sheet could not be removed under its old name", "sheet", from, "error", err)
		}
	}
	return nil
}

// renamed are the texts, as they are to be, that name a document or are its own.
func (d *Documents) renamed(ctx context.Context, k document.Kind, from, to string) (list []store.Document, err error) {
	change := func(of document.Kind, t store.Document) {
		text, changed := t.Text, false
		if of.Name == k.Name && t.Name == from {
			text, changed, t.Name = document.Renamed(of, from, text, to), true, to
		}
		if other, is := document.Rename(of, t.Name, text, k.Name, from, to); is {
			text, changed = other, true
		}
		if t.Text = text; changed {
			list = append(list, t)
		}
	}
	for _, of := range d.w.options.Documents {
		kept, err := d.w.store.Documents(ctx, of.Name)
		if err != nil {
			return nil, err
		}
		for _, doc := range kept {
			versions, err := d.w.store.Versions(ctx, of.Name, doc.Name)
			if err != nil {
				return nil, err
			}
			for _, v := range versions {
				change(of, v)
			}
		}
		drafts, err := d.w.store.Drafts(ctx, of.Name)
		if err != nil {
			return nil, err
		}
		for _, draft := range drafts {
			change(of, draft)
		}
	}
	return list, nil
}

// resealed is the secret of a connection, sealed under its new name; nil if it has none.
func (d *Documents) resealed(ctx context.Context, kind, from, to string) (sealed []byte, origin string, err error) {
	if kind != "connection" {
		return nil, "", nil
	}
	sealed, origin, err = d.w.store.Secret(ctx, from)
	if errors.Is(err, store.ErrNotFound) {
		return nil, "", nil
	}
	if err != nil {
		return nil, "", err
	}
	secret, err := unseal(d.w.key, from, sealed)
	if err != nil {
		return nil, "", err
	}
	sealed, err = seal(d.w.key, to, secret)
	return sealed, origin, err
}
