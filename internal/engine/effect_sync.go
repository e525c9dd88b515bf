package engine

import (
	"context"
	"time"

	"urgentparrot.example/internal/connect"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/store"
)

type syncBody struct {
	Connection string         `json:"connection"`
	Contact    string         `json:"contact"` // its id
	Known      contact.Memory `json:"known"`
}

// syncKind writes a contact to a CRM.
var syncKind = EffectKind{
	Name: "sync", Time: within(60 * time.Second), To: toConnection, Trouble: "A contact could not be written to the CRM",
	Decide: func(_ context.Context, c *Committing, e dialogue.Effect) {
		sync := e.(dialogue.Sync)
		c.Later("sync", "sync/"+c.contact(), syncBody{sync.Connection, c.contact(), sync.Memory})
	},
	Carry: func(ctx context.Context, w *Workspace, e store.Effect) (any, error) {
		b, err := body[syncBody](e)
		if err != nil {
			return nil, err
		}
		endpoint, err := w.Documents.endpoint(ctx, b.Connection)
		if err != nil {
			return nil, err
		}
		own, err := w.store.ContactRecord(ctx, b.Contact, b.Connection)
		if err != nil {
			return nil, err
		}
		return connect.SyncContact(ctx, endpoint, w.Documents.Settings().Fields, b.Known, own, e.ID)
	},
	Settle: func(tx *store.Tx, e store.Effect, result any) error {
		b, err := body[syncBody](e)
		if id, ok := result.(string); err == nil && ok && id != "" {
			err = tx.PutContactRecord(b.Contact, b.Connection, id)
		}
		return err
	},
}
