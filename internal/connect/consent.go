package connect

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/oauth2"

	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/outbound"
)

// A ConsentDesk is where a person is asked to let the service in to a system, and where the
// tokens come from that this gives (OAuth 2, RFC 6749, with RFC 7636).
type ConsentDesk struct {
	Authorize, Token string
	Revoke           string // "": it cannot be told that tokens are not wanted any more
	InForm           bool   // the service signs in there within the form, not by a header
}

// A Grant is what a person's consent gives.
type Grant struct {
	Access  string    `json:"access"`
	Refresh string    `json:"refresh"` // for the next one; "": there is none
	Expires time.Time `json:"expires"` // the access; zero: it is not said
	Ends    time.Time `json:"ends"`    // the consent; zero: it is not said
	Scopes  []string  `json:"scopes"`

	Desk ConsentDesk `json:"desk"` // that gave it
}

// ErrWithdrawn is wrapped by the error of a desk for which a consent is no more.
var ErrWithdrawn = errors.New("the consent was withdrawn, or has run out")

// FindDesk returns where a connection asks for consent: as it says, or as the issuer tells by
// itself (RFC 8414).
func FindDesk(ctx context.Context, client *http.Client, consent workspace.Consent) (d ConsentDesk, err error) {
	if consent.Token != "" {
		return ConsentDesk{Authorize: consent.Authorize, Token: consent.Token}, nil
	}
	issuer, err := url.Parse(strings.TrimSuffix(consent.Issuer, "/"))
	if err != nil {
		return d, err
	}
	root, path := issuer.Scheme+"://"+issuer.Host, issuer.EscapedPath()
	// The second is how many issuers that came before the standard tell it.
	for _, at := range []string{root + "/.well-known/oauth-authorization-server" + path, root + path + "/.well-known/openid-configuration"} {
		if d, err = readDesk(ctx, client, at, consent.Issuer); err == nil {
			return d, nil
		}
	}
	return d, fmt.Errorf("%s does not tell where it asks for consent (%w); write its addresses under authorize and token", consent.Issuer, err)
}

func readDesk(ctx context.Context, client *http.Client, at, issuer string) (d ConsentDesk, err error) {
	var told struct {
		Issuer    string   `json:"issuer"`
		Authorize string   `json:"authorization_endpoint"`
		Token     string   `json:"token_endpoint"`
		Revoke    string   `json:"revocation_endpoint"`
		SignIn    []string `json:"token_endpoint_auth_methods_supported"`
	}
	if err := (Endpoint{Title: "it", Address: at, Client: client}).call(ctx, http.MethodGet, "", "", nil, &told); err != nil {
		return d, err
	}
	if strings.TrimSuffix(told.Issuer, "/") != strings.TrimSuffix(issuer, "/") {
		return d, fmt.Errorf("it calls itself %s", told.Issuer)
	}
	if told.Authorize == "" || told.Token == "" {
		return d, errors.New("it names no addresses")
	}
	d = ConsentDesk{Authorize: told.Authorize, Token: told.Token, Revoke: told.Revoke}
	d.InForm = len(told.SignIn) > 0 && !slices.Contains(told.SignIn, "client_secret_basic")
	return d, nil
}

// config is the desk as the library wants it.
func (d ConsentDesk) config(consent workspace.Consent, secret, back string) *oauth2.Config {
	style := oauth2.AuthStyleInHeader
	if d.InForm || secret == "" {
		style = oauth2.AuthStyleInParams
	}
	return &oauth2.Config{
		ClientID: consent.Client, ClientSecret: secret, RedirectURL: back, Scopes: consent.Scopes,
		Endpoint: oauth2.Endpoint{AuthURL: d.Authorize, TokenURL: d.Token, AuthStyle: style},
	}
}

// Ask is the address where a person is asked, who comes back with state. What is known of
// verifier there tells that whoever fetches the tokens is who asked.
func (d ConsentDesk) Ask(consent workspace.Consent, back, state, verifier string) string {
	return d.config(consent, "", back).AuthCodeURL(state, oauth2.S256ChallengeOption(verifier))
}

// NewVerifier is a secret for one asking.
func NewVerifier() string { return oauth2.GenerateVerifier() }

// Fetch trades the code that a person came back with.
func (d ConsentDesk) Fetch(ctx context.Context, client *http.Client, consent workspace.Consent, secret, back, code, verifier string, now time.Time) (Grant, error) {
	token, err := d.config(consent, secret, back).Exchange(context.WithValue(ctx, oauth2.HTTPClient, client), code, oauth2.VerifierOption(verifier))
	if err != nil {
		return Grant{}, said(err)
	}
	return d.granted(token, Grant{Scopes: consent.Scopes}, now), nil
}

// Renewed gets the next access. An error that wraps ErrWithdrawn is final; after any other it
// may be tried again.
func (g Grant) Renewed(ctx context.Context, client *http.Client, consent workspace.Consent, secret string, now time.Time) (Grant, error) {
	ctx = context.WithValue(ctx, oauth2.HTTPClient, client)
	token, err := g.Desk.config(consent, secret, "").TokenSource(ctx, &oauth2.Token{RefreshToken: g.Refresh}).Token()
	if err != nil {
		return g, said(err)
	}
	return g.Desk.granted(token, g, now), nil
}

// granted is what a desk gives, where it says nothing as it was before.
func (d ConsentDesk) granted(token *oauth2.Token, before Grant, now time.Time) Grant {
	g := Grant{Access: token.AccessToken, Refresh: token.RefreshToken, Scopes: before.Scopes, Ends: before.Ends, Desk: d}
	if g.Refresh == "" {
		g.Refresh = before.Refresh
	}
	if lasts := seconds(token.Extra("expires_in")); lasts > 0 {
		g.Expires = now.Add(lasts)
	}
	// Not in the standard, and told under one of these names by those who tell it.
	for _, name := range []string{"refresh_token_expires_in", "refresh_expires_in"} {
		if lasts := seconds(token.Extra(name)); lasts > 0 {
			g.Ends = now.Add(lasts)
		}
	}
	if scope, ok := token.Extra("scope").(string); ok && scope != "" {
		g.Scopes = strings.Fields(scope)
	}
	return g
}

// seconds reads a number of seconds as desks write them.
func seconds(v any) time.Duration {
	var n float64
	switch v := v.(type) {
	case float64:
		n = v
	case string:
		if json.Unmarshal([]byte(v), &n) != nil {
			return 0
		}
	}
	return time.Duration(min(max(n, 0), 1e9)) * time.Second
}

// Withdraw tells the desk that a grant is not wanted any more (RFC 7009).
func (g Grant) Withdraw(ctx context.Context, client *http.Client, consent workspace.Consent, secret string) error {
	if g.Desk.Revoke == "" {
		return nil
	}
	form := url.Values{"token": {g.Access}}
	if g.Refresh != "" {
		form = url.Values{"token": {g.Refresh}, "token_type_hint": {"refresh_token"}}
	}
	if g.Desk.InForm || secret == "" {
		form.Set("client_id", consent.Client)
		if secret != "" {
			form.Set("client_secret", secret)
		}
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, g.Desk.Revoke, strings.NewReader(form.Encode()))
	if err != nil {
		return err
	}
	request.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	if secret != "" && !g.Desk.InForm {
		request.SetBasicAuth(url.QueryEscape(consent.Client), url.QueryEscape(secret))
	}
	response, err := client.Do(request)
	if err != nil {
		return err
	}
	defer response.Body.Close()
	if response.StatusCode >= 300 {
		return fmt.Errorf("it answered %d", response.StatusCode)
	}
	return nil
}

// said tells what a desk answered, without what it was sent.
func said(err error) error {
	var answer *oauth2.RetrieveError
	if !errors.As(err, &answer) {
		var failed *url.Error
		if errors.As(err, &failed) {
			return fmt.Errorf("the consent desk cannot be reached: %w", failed.Err)
		}
		return errors.New("the consent desk sent something that is no token")
	}
	words := answer.ErrorCode
	if answer.ErrorDescription != "" {
		words += ": " + answer.ErrorDescription
	}
	if words == "" && answer.Response != nil {
		words = answer.Response.Status
	}
	words = outbound.Excerpt([]byte(words))
	switch answer.ErrorCode {
	case "invalid_grant":
		return fmt.Errorf("%w (%s)", ErrWithdrawn, words)
	case "invalid_client", "unauthorized_client":
		return fmt.Errorf("the consent desk does not know us (%s): check the client and its secret", words)
	}
	return fmt.Errorf("the consent desk answered %s", words)
}

// renewing signs requests, and signs one again that is not let in, with another token.
type renewing struct {
	base  http.RoundTripper
	token outbound.Token
	mu    sync.Mutex
	last  string
}

// Signed makes an endpoint sign its requests with the tokens that somebody's consent gives.
func (e Endpoint) Signed(ctx context.Context, token outbound.Token) (Endpoint, error) {
	first, err := token(ctx, "")
	if err != nil {
		return e, err
	}
	transport := e.Client.Transport
	if transport == nil {
		transport = http.DefaultTransport
	}
	client := *e.Client
	renews := &renewing{base: transport, token: token, last: first}
	client.Transport = renews
	e.Secret, e.Header, e.Client, e.renews = first, "", &client, renews
	return e, nil
}

func (r *renewing) secret() string {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.last
}

func (r *renewing) RoundTrip(request *http.Request) (*http.Response, error) {
	response, err := r.base.RoundTrip(request)
	before, signed := strings.CutPrefix(request.Header.Get("Authorization"), "Bearer ")
	if err != nil || response.StatusCode != http.StatusUnauthorized || !signed || request.Body != nil && request.GetBody == nil {
		return response, err
	}
	token, err := r.token(request.Context(), before)
	if err != nil || token == before {
		return response, nil // it says what is wrong
	}
	r.mu.Lock()
	r.last = token
	r.mu.Unlock()
	again := request.Clone(request.Context())
	if request.GetBody != nil {
		if again.Body, err = request.GetBody(); err != nil {
			return response, nil
		}
	}
	// Read, so that the connection can be used again.
	_, _ = io.Copy(io.Discard, io.LimitReader(response.Body, systemLimit))
	response.Body.Close()
	again.Header.Set("Authorization", "Bearer "+token)
	return r.base.RoundTrip(again)
}
