package engine

import (
	"context"
	"time"

	"urgentparrot.example/internal/connect"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/store"
)

type syncBody struct {
	Connection string            `json:"connection"`
	Facts      map[string]string `json:"facts"`
}

// syncKind writes a contact to a CRM.
var syncKind = EffectKind{
	Name: "sync", Time: within(60 * time.Second), To: toConnection, Trouble: "A contact could not be written to the CRM",
	Decide: func(_ context.Context, c *Committing, e dialogue.Effect) {
		sync := e.(dialogue.Sync)
		facts := map[string]string{}
		for field, fact := range sync.Memory {
			facts[field] = fact.Value
		}
		c.Later("sync", "sync/"+c.talk.ContactID, syncBody{sync.Connection, facts})
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
		return nil, connect.SyncContact(ctx, endpoint, w.Documents.Settings().Fields, b.Facts, e.ID)
	},
}
