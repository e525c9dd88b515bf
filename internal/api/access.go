package api

import (
	"context"
	"errors"
	"net/http"
	"strings"
	"time"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/problem"
	"urgentparrot.example/internal/store"
)

const cookieName = "urgent_parrot"

// find returns the access behind a pass, and its workspace.
func (s *Server) find(ctx context.Context, pass string) (*engine.Workspace, store.Access, error) {
	w := s.Workspaces[engine.WorkspaceOf(pass)]
	if w == nil {
		return nil, store.Access{}, store.ErrNotFound
	}
	access, err := w.Access.Of(ctx, pass)
	return w, access, err
}

// admit finds out who asks. A cookie counts only for requests that come from the
// service's own pages: browsers say where a request that changes something comes from.
func (s *Server) admit(q *request, open bool) error {
	ctx := q.Request.Context()
	pass, bearer := strings.CutPrefix(q.GetHeader("Authorization"), "Bearer ")
	if !bearer {
		pass, _ = q.Cookie(cookieName)
		changes := q.Request.Method != http.MethodGet && q.Request.Method != http.MethodHead
		if err := s.origin.Check(q.Request); err != nil || changes && pass != "" && q.GetHeader("Origin") == "" && q.GetHeader("Sec-Fetch-Site") == "" {
			return problem.New(problem.NotAllowed, "the request does not come from a page of this service; programs sign in with a token", "")
		}
	}
	w, access, err := s.find(ctx, pass)
	switch {
	case err == nil && (access.Kind == store.Token) == bearer && access.Kind != store.Link:
		q.workspace, q.access = w, access
		w.Access.Used(ctx, access)
		return nil
	case err != nil && !errors.Is(err, store.ErrNotFound):
		return err
	case open:
		return nil
	}
	return problem.New(problem.NotSignedIn, "sign in first: open the sign-in link that the service printed when it started, or use a token", "")
}

// exchange trades the code of a sign-in link for a pass of another kind. Whoever
// is signed in needs no code. Nothing is used up while something is wrong.
func (q *request) exchange(kind store.AccessKind, in client.SignIn) (pass, name string, err error) {
	ctx := q.Request.Context()
	unknown := problem.New(problem.NotSignedIn, "this sign-in link or token is not known, was used already, or has expired; start the service anew for a fresh link", "code")
	link := false
	if in.Code != "" {
		w, access, err := q.server.find(ctx, in.Code)
		link = access.Kind == store.Link
		switch {
		case errors.Is(err, store.ErrNotFound):
			return "", "", unknown
		case err != nil:
			return "", "", err
		case !link && (access.Kind != store.Token || kind != store.Session): // a token signs in to the console too
			return "", "", unknown
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
	if link {
		pass, err = q.workspace.Access.Exchange(ctx, q.access, kind, in.Name)
	} else {
		pass, err = q.workspace.Access.Grant(ctx, kind, in.Name)
	}
	if errors.Is(err, store.ErrNotFound) {
		err = unknown
	}
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
	q.setCookie(pass, engine.SessionLife)
	q.access.Label = name
	return me(q)
}

// signOut ends the session or the token that asks.
func signOut(q *request) error {
	if q.access.Kind == store.Session {
		q.setCookie("", -time.Second)
	}
	return q.workspace.Access.Revoke(q.Request.Context(), q.access.ID())
}

func newToken(q *request, in client.SignIn) (client.NewToken, error) {
	pass, name, err := q.exchange(store.Token, in)
	return client.NewToken{Token: pass, Name: name}, err
}

func listTokens(q *request) (list client.TokenList, err error) {
	accesses, err := q.workspace.Access.List(q.Request.Context())
	list.Items = []client.Token{}
	for _, a := range accesses {
		list.Items = append(list.Items, client.Token{
			ID: a.ID(), Kind: string(a.Kind), Name: a.Label, CreatedAt: a.CreatedAt, UsedAt: maybe(a.UsedAt), ExpiresAt: maybe(a.ExpiresAt), Yours: a.Hash == q.access.Hash,
		})
	}
	return list, err
}

func revokeToken(q *request) error {
	return q.workspace.Access.Revoke(q.Request.Context(), q.Param("id"))
}

func me(q *request) (client.Me, error) {
	return client.Me{Name: q.access.Label, Role: "owner", Workspace: q.workspace.Name, Title: q.workspace.Documents.Settings().Title, PublicURL: q.server.PublicURL}, nil
}
