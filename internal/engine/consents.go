package engine

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"time"

	"urgentparrot.example/internal/connect"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/store"
)

// Consents are that people have let the service in to systems that ask a person (OAuth 2). What
// they give is sealed like a secret, and renewed when it is needed. It is safe for concurrent
// use.
type Consents struct {
	w *Workspace

	mu       sync.Mutex
	renewing map[string]*sync.Mutex // by connection: each token to renew by is good for once
	failed   map[string]string      // why the last asking came to nothing
}

func newConsents(w *Workspace) *Consents {
	return &Consents{w: w, renewing: map[string]*sync.Mutex{}, failed: map[string]string{}}
}

const (
	askedFor    = 15 * time.Minute    // how long a person may take to say yes
	renewBefore = time.Minute         // before an access runs out
	renewTime   = 30 * time.Second    // how long a desk may take
	askAgain    = 14 * 24 * time.Hour // before a consent ends, people are asked to give it again
)

// ErrConsent is wrapped by errors of asking for consent that people can do something about.
var ErrConsent = errors.New("")

// A ConsentState is how it stands with the consent of a connection.
type ConsentState struct {
	store.Consent
	There  bool   // somebody has given one
	Fault  string // why it cannot be used, or soon cannot; "" if nothing is wrong
	Failed string // why the last asking came to nothing, "" if it did not
}

// consenting returns a connection that somebody consents to, or store.ErrNotFound.
func (c *Consents) consenting(name string) (workspace.Connection, error) {
	conn, ok := find[workspace.Connection](c.w.config.Load(), name)
	switch {
	case !ok:
		return conn, store.ErrNotFound
	case conn.Consent == nil:
		return conn, fmt.Errorf("%wthe connection %s asks nobody for consent; say under consent whom it asks", ErrConsent, name)
	}
	return conn, nil
}

// back is where a person comes back to who was asked.
func (c *Consents) back() string { return c.w.options.PublicURL + "/consent/" + c.w.Name }

// Ask begins to ask a person for consent. It returns the address where that is done, in a
// browser in which the person is signed in here.
func (c *Consents) Ask(ctx context.Context, name, person string) (address string, err error) {
	conn, err := c.consenting(name)
	if err != nil {
		return "", err
	}
	desk, err := connect.FindDesk(ctx, c.w.client, *conn.Consent)
	if err != nil {
		return "", fmt.Errorf("%w%w", ErrConsent, err)
	}
	asking := asking{Desk: desk, Verifier: connect.NewVerifier(), Reaches: conn.Reaches(), Origin: conn.Origin()}
	state := rand.Text() + rand.Text()
	sealed, err := c.seal(state, asking)
	if err != nil {
		return "", err
	}
	now := c.w.Clock.Now()
	err = c.w.store.Write(ctx, func(tx *store.Tx) error {
		return tx.PutConsentAsked(store.ConsentAsked{State: hash(state), Connection: name, Person: person, Sealed: sealed, ExpiresAt: now.Add(askedFor)}, now)
	})
	c.fails(name, "")
	return desk.Ask(*conn.Consent, c.back(), state, asking.Verifier), err
}

// asking is what is kept while a person is asked.
type asking struct {
	Desk            connect.ConsentDesk
	Verifier        string
	Reaches, Origin string // of the connection, which must not be another by then
}

// Answered takes in what a person came back with: a code, or why there is none. It returns the
// connection that it is about, "" if that is not known.
func (c *Consents) Answered(ctx context.Context, person, state, code, refused string) (connection string, err error) {
	var asked store.ConsentAsked
	if err := c.w.store.Write(ctx, func(tx *store.Tx) (err error) {
		asked, err = tx.TakeConsentAsked(hash(state))
		return err
	}); errors.Is(err, store.ErrNotFound) {
		return "", fmt.Errorf("%wnobody was asked for this, or it was answered already: begin again at the connection", ErrConsent)
	} else if err != nil {
		return "", err
	}
	defer func() {
		if err != nil {
			c.fails(asked.Connection, err.Error())
		}
	}()
	conn, err := c.consenting(asked.Connection)
	var with asking
	now := c.w.Clock.Now()
	switch {
	case err != nil:
		return asked.Connection, err
	case asked.Person != person:
		return asked.Connection, fmt.Errorf("%w%s was asked, and %s is signed in in this browser", ErrConsent, asked.Person, person)
	case now.After(asked.ExpiresAt):
		return asked.Connection, fmt.Errorf("%wit took more than a quarter of an hour: connect it again", ErrConsent)
	case refused != "":
		return asked.Connection, fmt.Errorf("%wthe other side said no: %s", ErrConsent, outbound.Excerpt([]byte(refused)))
	}
	if err := c.unseal(state, asked.Sealed, &with); err != nil {
		return asked.Connection, err
	}
	if with.Reaches != conn.Reaches() || with.Origin != conn.Origin() {
		return asked.Connection, fmt.Errorf("%wthe connection leads elsewhere now: connect it again", ErrConsent)
	}
	secret, err := c.w.Documents.secret(ctx, conn)
	if err != nil {
		return asked.Connection, fmt.Errorf("%w%w", ErrConsent, err)
	}
	// Whoever was asked may close the window: the code is good for once.
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), renewTime)
	defer cancel()
	grant, err := with.Desk.Fetch(ctx, c.w.client, *conn.Consent, secret, c.back(), code, with.Verifier, now)
	if err != nil {
		return asked.Connection, fmt.Errorf("%w%w", ErrConsent, err)
	}
	if err := c.alone(conn.Name, func() error {
		return c.keep(ctx, store.Consent{Connection: conn.Name, Reaches: conn.Reaches(), By: person, At: now}, grant)
	}); err != nil {
		return asked.Connection, err
	}
	return asked.Connection, c.begun(ctx)
}

// begun has what waited for a consent begin, or what went on under one end.
func (c *Consents) begun(ctx context.Context) error {
	c.w.Documents.editing.Lock()
	defer c.w.Documents.editing.Unlock()
	return c.w.reload(ctx)
}

// keep keeps what a consent gives.
func (c *Consents) keep(ctx context.Context, consent store.Consent, grant connect.Grant) (err error) {
	if consent.Sealed, err = c.seal(consent.Connection, grant); err != nil {
		return err
	}
	if consent.Scopes, consent.EndsAt = grant.Scopes, grant.Ends; consent.Scopes == nil {
		consent.Scopes = []string{}
	}
	if grant.Refresh == "" {
		consent.EndsAt = grant.Expires
	}
	return c.w.write(ctx, func(tx *store.Tx) error { return tx.PutConsent(consent, c.w.Clock.Now()) })
}

// tokenOf returns what requests to a connection are signed with; nil if it is signed with its
// secret.
func (c *Consents) tokenOf(conn workspace.Connection) outbound.Token {
	if conn.Consent == nil {
		return nil
	}
	return func(ctx context.Context, refused string) (token string, err error) {
		err = c.alone(conn.Name, func() error {
			token, err = c.token(ctx, conn, refused)
			return err
		})
		return token, err
	}
}

func (c *Consents) token(ctx context.Context, conn workspace.Connection, refused string) (string, error) {
	consent, err := c.w.store.Consent(ctx, conn.Name)
	if errors.Is(err, store.ErrNotFound) {
		err = fmt.Errorf("nobody has let us in to %s yet: connect it under Connections", conn.Title)
	} else if err == nil && consent.Ended != "" {
		err = fmt.Errorf("%s has to be connected again: %s", conn.Title, consent.Ended)
	} else if err == nil && consent.Reaches != conn.Reaches() {
		err = fmt.Errorf("%s was connected when it led to %s, and it leads to %s now: connect it again", conn.Title, consent.Reaches, conn.Reaches())
	}
	if err != nil {
		return "", err
	}
	var grant connect.Grant
	if err := c.unseal(conn.Name, consent.Sealed, &grant); err != nil {
		return "", err
	}
	now := c.w.Clock.Now()
	if grant.Access != refused && (grant.Expires.IsZero() || now.Before(grant.Expires.Add(-renewBefore)) || grant.Refresh == "" && now.Before(grant.Expires)) {
		return grant.Access, nil
	}
	if grant.Refresh == "" {
		return "", c.end(ctx, conn, errors.New("it was given for a time, which is over"))
	}
	secret, err := c.w.Documents.secret(ctx, conn)
	if err != nil {
		return "", err
	}
	// The desk may forget the old token at once: the new one is kept whoever waits for it.
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), renewTime)
	defer cancel()
	before := grant
	grant, err = grant.Renewed(ctx, c.w.client, *conn.Consent, secret, now)
	switch {
	case errors.Is(err, connect.ErrWithdrawn):
		return "", c.end(ctx, conn, err)
	case err != nil && refused == "" && now.Before(before.Expires):
		return before.Access, nil // it still holds for a while
	case err != nil:
		return "", fmt.Errorf("the access to %s could not be renewed: %w", conn.Title, err)
	}
	return grant.Access, c.keep(ctx, consent, grant)
}

// end notes that a consent is no more.
func (c *Consents) end(ctx context.Context, conn workspace.Connection, why error) error {
	c.w.log.Warn("a consent is no more", "connection", conn.Name, "error", why)
	if err := c.w.write(ctx, func(tx *store.Tx) error { return tx.EndConsent(conn.Name, why.Error(), c.w.Clock.Now()) }); err != nil {
		return err
	}
	return fmt.Errorf("%s has to be connected again: %w", conn.Title, why)
}

// Withdraw forgets the consent of a connection, here and, where it can be told, on the other
// side.
func (c *Consents) Withdraw(ctx context.Context, name string) error {
	conn, err := c.consenting(name)
	if err != nil {
		return err
	}
	if err := c.alone(name, func() error {
		consent, err := c.w.store.Consent(ctx, name)
		if err != nil {
			return err
		}
		var grant connect.Grant
		if consent.Ended == "" && c.unseal(name, consent.Sealed, &grant) == nil {
			secret, err := c.w.Documents.secret(ctx, conn)
			if err == nil {
				err = grant.Withdraw(ctx, c.w.client, *conn.Consent, secret)
			}
			if err != nil {
				c.w.log.Warn("a consent is forgotten here, and the other side could not be told", "connection", name, "error", err)
			}
		}
		return c.w.write(ctx, func(tx *store.Tx) error { return tx.RemoveConsent(name, c.w.Clock.Now()) })
	}); err != nil {
		return err
	}
	return c.begun(ctx)
}

// State is how it stands with the consent of a connection, or store.ErrNotFound.
// One that asks nobody has none.
func (c *Consents) State(ctx context.Context, name string) (s ConsentState, err error) {
	conn, err := c.consenting(name)
	if errors.Is(err, ErrConsent) {
		return s, nil
	}
	if err != nil {
		return s, err
	}
	c.mu.Lock()
	s.Failed = c.failed[name]
	c.mu.Unlock()
	s.Consent, err = c.w.store.Consent(ctx, name)
	now := c.w.Clock.Now()
	switch s.There = err == nil; {
	case errors.Is(err, store.ErrNotFound):
		s.Fault, err = "It is not connected yet.", nil
	case err != nil:
	case s.Ended != "":
		s.Fault = "It has to be connected again: " + s.Ended + "."
	case s.Reaches != conn.Reaches():
		s.Fault = "It leads elsewhere now than when it was connected: connect it again."
	case !s.EndsAt.IsZero() && s.EndsAt.Before(now.Add(askAgain)):
		s.Fault = s.EndsAt.In(c.w.Documents.Settings().Zone()).Format("The consent ends on 2 January at 15:04: connect it again before.")
	}
	return s, err
}

// Faults tells what is wrong with the consents of all connections.
func (c *Consents) Faults(ctx context.Context) (faults []string) {
	for _, conn := range all[workspace.Connection](c.w.config.Load()) {
		if conn.Consent == nil {
			continue
		}
		if s, err := c.State(ctx, conn.Name); err == nil && s.Fault != "" {
			faults = append(faults, conn.Title+": "+s.Fault)
		}
	}
	return faults
}

// alone does something with the consent of a connection while nothing else does.
func (c *Consents) alone(connection string, work func() error) error {
	c.mu.Lock()
	lock := c.renewing[connection]
	if lock == nil {
		lock = &sync.Mutex{}
		c.renewing[connection] = lock
	}
	c.mu.Unlock()
	lock.Lock()
	defer lock.Unlock()
	return work()
}

func (c *Consents) fails(connection, why string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.failed[connection] = why
}

func (c *Consents) seal(name string, v any) ([]byte, error) {
	raw, err := json.Marshal(v)
	if err != nil {
		return nil, err
	}
	return seal(c.w.key, "consent "+name, string(raw))
}

func (c *Consents) unseal(name string, sealed []byte, into any) error {
	raw, err := unseal(c.w.key, "consent "+name, sealed)
	if err != nil {
		return err
	}
	return json.Unmarshal([]byte(raw), into)
}

// resealed is the consent of a connection under another name, nil if it has none.
func (c *Consents) resealed(ctx context.Context, from, to string) (*store.Consent, error) {
	consent, err := c.w.store.Consent(ctx, from)
	if errors.Is(err, store.ErrNotFound) || err == nil && consent.Ended != "" {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var grant connect.Grant
	if err := c.unseal(from, consent.Sealed, &grant); err != nil {
		return nil, err
	}
	consent.Connection = to
	consent.Sealed, err = c.seal(to, grant)
	return &consent, err
}
