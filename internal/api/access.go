package api

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"net/http"
	"strings"
	"time"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/problem"
	"urgentparrot.example/internal/store"
)

const (
	cookieName  = "urgent_parrot"
	sessionLife = 30 * 24 * time.Hour
	linkLife    = 24 * time.Hour
)

// Passes look like pt_WORKSPACE_RANDOM, so that a pass leads to its workspace.
func newPass(workspace string) string { return "pt_" + workspace + "_" + rand.Text() + rand.Text() }

func hash(pass string) string {
	sum := sha256.Sum256([]byte(pass))
	return hex.EncodeToString(sum[:])
}

// Grant gives out a new pass of a kind to somebody of a name.
func Grant(ctx context.Context, w *engine.Workspace, kind store.AccessKind, name string) (pass string, err error) {
	pass = newPass(w.Name)
	access := store.Access{Hash: hash(pass), Kind: kind, Label: name}
	switch kind {
	case store.Session:
		access.ExpiresAt = w.Clock.Now().Add(sessionLife)
	case store.Link:
		access.ExpiresAt = w.Clock.Now().Add(linkLife)
	}
	return pass, w.Store().Write(ctx, func(tx *store.Tx) error { return tx.PutAccess(access, w.Clock.Now()) })
}

// find returns the access behind a pass, and its workspace.
func (s *Server) find(ctx context.Context, pass string) (*engine.Workspace, store.Access, error) {
	parts := strings.Split(pass, "_")
	if len(parts) != 3 || s.Workspaces[parts[1]] == nil {
		return nil, store.Access{}, store.ErrNotFound
	}
	w := s.Workspaces[parts[1]]
	access, err := w.Store().Access(ctx, hash(pass), w.Clock.Now())
	return w, access, err
}

// admit finds out who asks. A cookie counts only for requests that come from the
// service's own pages.
func (s *Server) admit(q *request, open bool) error {
	pass, bearer := strings.CutPrefix(q.GetHeader("Authorization"), "Bearer ")
	if !bearer {
		pass, _ = q.Cookie(cookieName)
		if err := s.origin.Check(q.Request); err != nil {
			return problem.New(problem.NotAllowed, "the request comes from a page of another origin", "")
		}
	}
	w, access, err := s.find(q.Request.Context(), pass)
	switch {
	case err == nil && (access.Kind == store.Token) == bearer && access.Kind != store.Link:
		q.workspace, q.access = w, access
		return nil
	case err != nil && !errors.Is(err, store.ErrNotFound):
		return err
	case open:
		return nil
	}
	return problem.New(problem.NotSignedIn, "sign in first: open the sign-in link that the service printed when it started, or use a token", "")
}

// exchange trades the code of a sign-in link for a pass of another kind. Whoever
// is signed in needs no code.
func (q *request) exchange(kind store.AccessKind, in client.SignIn) (pass, name string, err error) {
	ctx := q.Request.Context()
	if in.Code != "" {
		w, access, err := q.server.find(ctx, in.Code)
		if err == nil && access.Kind == store.Link {
			used := false
			if err = w.Store().Write(ctx, func(tx *store.Tx) (err error) {
				used, err = tx.RemoveAccess(access.Hash)
				return err
			}); err != nil {
				return "", "", err
			}
			if !used {
				err = store.ErrNotFound
			}
		}
		switch {
		case err == nil && access.Kind == store.Token && kind == store.Session: // a token signs in to the console too
		case err != nil && !errors.Is(err, store.ErrNotFound):
			return "", "", err
		case err != nil || access.Kind != store.Link:
			return "", "", problem.New(problem.NotSignedIn, "this sign-in link or token is not known, was used already, or has expired; start the service anew for a fresh link", "code")
		}
		q.workspace, q.access = w, access
	}
	if q.workspace == nil {
		return "", "", problem.New(problem.NotSignedIn, "give the code of a sign-in link, or a token", "code")
	}
	if in.Name = strings.TrimSpace(in.Name); in.Name == "" {
		in.Name = q.access.Label
	}
	if err := text(in.Name, "name", 80); err != nil {
		return "", "", err
	}
	pass, err = Grant(ctx, q.workspace, kind, in.Name)
	return pass, in.Name, err
}

func (q *request) setCookie(pass string, life time.Duration) {
	http.SetCookie(q.Writer, &http.Cookie{
		Name: cookieName, Value: pass, Path: "/", MaxAge: int(life.Seconds()), HttpOnly: true,
		SameSite: http.SameSiteLaxMode, Secure: strings.HasPrefix(q.server.PublicURL, "https://"),
	})
}

func signIn(q *request, in client.SignIn) (client.Me, error) {
	pass, name, err := q.exchange(store.Session, in)
	if err != nil {
		return client.Me{}, err
	}
	q.setCookie(pass, sessionLife)
	q.access.Label = name
	return me(q)
}

func signOut(q *request) error {
	if q.access.Kind == store.Session {
		q.setCookie("", -time.Second)
		return q.workspace.Store().Write(q.Request.Context(), func(tx *store.Tx) error {
			_, err := tx.RemoveAccess(q.access.Hash)
			return err
		})
	}
	return nil
}

func newToken(q *request, in client.SignIn) (client.NewToken, error) {
	pass, name, err := q.exchange(store.Token, in)
	return client.NewToken{Token: pass, Name: name}, err
}

func me(q *request) (client.Me, error) {
	return client.Me{Name: q.access.Label, Role: "owner", Workspace: q.workspace.Name, Title: q.workspace.Documents.Settings().Title, PublicURL: q.server.PublicURL}, nil
}
