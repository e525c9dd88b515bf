package engine

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"strings"
	"sync"
	"time"

	"urgentparrot.example/internal/store"
)

// How long sessions and sign-in links last.
const (
	SessionLife = 30 * 24 * time.Hour
	linkLife    = 24 * time.Hour
)

// usedEvery is how often it is noted that an access is used.
const usedEvery = time.Minute

// Access is who may come in. It is safe for concurrent use.
type Access struct {
	w    *Workspace
	mu   sync.Mutex
	used map[string]time.Time                    // when it was noted last, by id
	in   map[string]map[*context.CancelFunc]bool // what ends with an access, by id
}

func newAccess(w *Workspace) *Access {
	return &Access{w: w, used: map[string]time.Time{}, in: map[string]map[*context.CancelFunc]bool{}}
}

// Passes look like pt_WORKSPACE_RANDOM, so that a pass leads to its workspace.
const passMark = "pt_"

// WorkspaceOf returns the name of the workspace that a pass leads to, "" if it is none.
func WorkspaceOf(pass string) string {
	rest, ok := strings.CutPrefix(pass, passMark)
	at := strings.LastIndexByte(rest, '_')
	if !ok || at < 0 {
		return ""
	}
	return rest[:at]
}

func hash(pass string) string {
	sum := sha256.Sum256([]byte(pass))
	return hex.EncodeToString(sum[:])
}

func (a *Access) fresh(kind store.AccessKind, name string) (pass string, access store.Access) {
	pass = passMark + a.w.Name + "_" + rand.Text() + rand.Text()
	now := a.w.Clock.Now()
	access = store.Access{Hash: hash(pass), Kind: kind, Label: name, CreatedAt: now}
	switch kind {
	case store.Session:
		access.ExpiresAt = now.Add(SessionLife)
	case store.Link:
		access.ExpiresAt = now.Add(linkLife)
	}
	return pass, access
}

// Grant gives out a new pass of a kind to somebody of a name.
func (a *Access) Grant(ctx context.Context, kind store.AccessKind, name string) (pass string, err error) {
	pass, access := a.fresh(kind, name)
	return pass, a.w.store.Write(ctx, func(tx *store.Tx) error { return tx.PutAccess(access) })
}

// Exchange trades a sign-in link, which works once, for a pass of another kind. A
// link that was used meanwhile is store.ErrNotFound.
func (a *Access) Exchange(ctx context.Context, link store.Access, kind store.AccessKind, name string) (pass string, err error) {
	pass, access := a.fresh(kind, name)
	return pass, a.w.store.Write(ctx, func(tx *store.Tx) error {
		if there, err := tx.RemoveAccess(link.ID()); err != nil || !there {
			return errors.Join(err, store.ErrNotFound)
		}
		return tx.PutAccess(access)
	})
}

// Of returns the access behind a pass, or store.ErrNotFound.
func (a *Access) Of(ctx context.Context, pass string) (store.Access, error) {
	return a.w.store.Access(ctx, hash(pass), a.w.Clock.Now())
}

// Used notes that an access is used, now and then.
func (a *Access) Used(ctx context.Context, access store.Access) {
	now := a.w.Clock.Now()
	a.mu.Lock()
	due := now.Sub(a.used[access.ID()]) >= usedEvery
	if due {
		a.used[access.ID()] = now
	}
	a.mu.Unlock()
	if !due {
		return
	}
	if err := a.w.store.Write(ctx, func(tx *store.Tx) error { return tx.UseAccess(access.ID(), now) }); err != nil && ctx.Err() == nil {
		a.w.log.Warn("the use of an access could not be noted", "error", err)
	}
}

// List returns who may come in, the newest first.
func (a *Access) List(ctx context.Context) ([]store.Access, error) {
	return a.w.store.Accesses(ctx, a.w.Clock.Now())
}

// Revoke takes an access back, by its id, and ends what goes on under it. One that is
// not there is store.ErrNotFound.
func (a *Access) Revoke(ctx context.Context, id string) error {
	there := false
	if err := a.w.store.Write(ctx, func(tx *store.Tx) (err error) {
		there, err = tx.RemoveAccess(id)
		return err
	}); err != nil {
		return err
	}
	a.mu.Lock()
	for end := range a.in[id] {
		(*end)()
	}
	delete(a.used, id)
	a.mu.Unlock()
	if !there {
		return store.ErrNotFound
	}
	return nil
}

// While returns a context that ends when an access does: by its time, or revoked.
func (a *Access) While(ctx context.Context, access store.Access) (context.Context, context.CancelFunc) {
	ctx, cancel := context.WithCancel(ctx)
	id := access.ID()
	a.mu.Lock()
	if a.in[id] == nil {
		a.in[id] = map[*context.CancelFunc]bool{}
	}
	a.in[id][&cancel] = true
	a.mu.Unlock()
	stop := func() {}
	if !access.ExpiresAt.IsZero() {
		passed, end := a.w.Clock.Timer(access.ExpiresAt.Sub(a.w.Clock.Now()))
		stop = end
		go func() {
			select {
			case <-passed:
				cancel()
			case <-ctx.Done():
			}
		}()
	}
	// One that was revoked just before it was watched has ended already.
	if now, err := a.w.store.Access(ctx, access.Hash, a.w.Clock.Now()); err != nil || now.ID() != id {
		cancel()
	}
	return ctx, func() {
		stop()
		cancel()
		a.mu.Lock()
		defer a.mu.Unlock()
		if delete(a.in[id], &cancel); len(a.in[id]) == 0 {
			delete(a.in, id)
		}
	}
}
