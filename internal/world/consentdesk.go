package world

import (
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"
)

// The service as the consent desk knows it.
const (
	ConsentClient = "urgent-parrot"
	ConsentSecret = "salt-and-lantern"
)

// A ConsentDesk asks the office who may read its mails and its client book (OAuth 2: RFC 6749
// with 7636, 7009 and 8414). Tokens to renew by are good for once. It is safe for concurrent
// use.
type ConsentDesk struct {
	Trouble Trouble

	// How long what it gives lasts, in time of the machine; set before the first is given.
	Access, Whole time.Duration

	mu      sync.Mutex
	back    []string // where people may be sent back to
	codes   map[string]*consented
	grants  []*consented
	renewed int
	ended   func() // is called when there may be fewer whom they let in
}

// consented is one consent of the office.
type consented struct {
	Scopes    []string  `json:"scopes"`
	At        time.Time `json:"at"`
	Ends      time.Time `json:"ends"`
	Withdrawn bool      `json:"withdrawn"`
	Renewed   int       `json:"renewed"`

	back, challenge string
	code            time.Time // until when it is good
	access          map[string]time.Time
	refresh, spent  string
}

func newConsentDesk(back string) *ConsentDesk {
	return &ConsentDesk{Access: 10 * time.Minute, Whole: 90 * 24 * time.Hour, back: []string{back}, codes: map[string]*consented{}}
}

func (d *ConsentDesk) serve(mux *http.ServeMux, decide http.HandlerFunc) {
	mux.HandleFunc("GET /.well-known/oauth-authorization-server/consent-desk", d.metadata)
	mux.HandleFunc("GET /consent-desk/authorize", decide)
	mux.HandleFunc("POST /consent-desk/authorize", d.decided)
	mux.HandleFunc("POST /consent-desk/token", d.token)
	mux.HandleFunc("POST /consent-desk/revoke", d.revoke)
	mux.HandleFunc("GET /consent-desk/consents", func(w http.ResponseWriter, _ *http.Request) { writeJSON(w, http.StatusOK, d.list()) })
	mux.HandleFunc("POST /consent-desk/withdraw", func(w http.ResponseWriter, _ *http.Request) {
		d.Withdraw()
		w.WriteHeader(http.StatusNoContent)
	})
}

// metadata tells where what is (RFC 8414).
func (d *ConsentDesk) metadata(w http.ResponseWriter, r *http.Request) {
	if d.Trouble.strikes(w, r) {
		return
	}
	base := "http://" + r.Host + "/consent-desk"
	writeJSON(w, http.StatusOK, map[string]any{
		"issuer": base, "authorization_endpoint": base + "/authorize", "token_endpoint": base + "/token", "revocation_endpoint": base + "/revoke",
		"response_types_supported": []string{"code"}, "grant_types_supported": []string{"authorization_code", "refresh_token"},
		"code_challenge_methods_supported": []string{"S256"}, "token_endpoint_auth_methods_supported": []string{"client_secret_basic"}, "scopes_supported": []string{"mail", "clients"},
	})
}

// Wrong says what is wrong with an asking, "" if nothing is: then nobody is sent back anywhere.
func (d *ConsentDesk) Wrong(asked url.Values) string {
	switch {
	case asked.Get("client_id") != ConsentClient:
		return "Nobody is known here as " + asked.Get("client_id") + "."
	case !slices.Contains(d.back, asked.Get("redirect_uri")):
		return "People of " + ConsentClient + " are not sent back to " + asked.Get("redirect_uri") + "."
	case asked.Get("response_type") != "code" || asked.Get("code_challenge_method") != "S256" || asked.Get("code_challenge") == "":
		return "The asking has no proof of who asks (PKCE)."
	}
	return ""
}

// decided takes what the office says, and sends the person back.
func (d *ConsentDesk) decided(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 64<<10)
	if err := r.ParseForm(); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	if wrong := d.Wrong(r.Form); wrong != "" {
		http.Error(w, wrong, http.StatusBadRequest)
		return
	}
	back := url.Values{"state": {r.FormValue("state")}}
	if r.FormValue("decision") == "yes" {
		code := rand.Text()
		now := time.Now()
		d.mu.Lock()
		d.codes[code] = &consented{Scopes: strings.Fields(r.FormValue("scope")), At: now, Ends: now.Add(d.Whole), back: r.FormValue("redirect_uri"), challenge: r.FormValue("code_challenge"), code: now.Add(time.Minute), access: map[string]time.Time{}}
		d.mu.Unlock()
		back.Set("code", code)
	} else {
		back.Set("error", "access_denied")
		back.Set("error_description", "The office did not want it.")
	}
	http.Redirect(w, r, r.FormValue("redirect_uri")+"?"+back.Encode(), http.StatusSeeOther)
}

// signedIn reports whether a program is who it says.
func signedIn(r *http.Request) bool {
	id, secret, ok := r.BasicAuth()
	return ok && id == ConsentClient && subtle.ConstantTimeCompare([]byte(secret), []byte(ConsentSecret)) == 1
}

func refuse(w http.ResponseWriter, status int, code string) {
	writeJSON(w, status, map[string]string{"error": code})
}

// token trades a code, or a token to renew by, for tokens.
func (d *ConsentDesk) token(w http.ResponseWriter, r *http.Request) {
	if d.Trouble.strikes(w, r) {
		return
	}
	r.Body = http.MaxBytesReader(w, r.Body, 64<<10)
	if !signedIn(r) {
		refuse(w, http.StatusUnauthorized, "invalid_client")
		return
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	now := time.Now()
	var grant *consented
	switch r.FormValue("grant_type") {
	case "authorization_code":
		code := r.FormValue("code")
		grant = d.codes[code]
		delete(d.codes, code)
		sum := sha256.Sum256([]byte(r.FormValue("code_verifier")))
		if grant == nil || now.After(grant.code) || grant.back != r.FormValue("redirect_uri") || base64.RawURLEncoding.EncodeToString(sum[:]) != grant.challenge {
			refuse(w, http.StatusBadRequest, "invalid_grant")
			return
		}
		d.grants = append(d.grants, grant)
	case "refresh_token":
		given := r.FormValue("refresh_token")
		for _, g := range d.grants {
			switch {
			case given == "" || g.Withdrawn || now.After(g.Ends):
			case g.refresh == given:
				grant = g
			case strings.Contains(g.spent, given): // somebody has copied it
				g.Withdrawn = true
			}
		}
		if grant == nil {
			refuse(w, http.StatusBadRequest, "invalid_grant")
			return
		}
		grant.Renewed++
		d.renewed++
	default:
		refuse(w, http.StatusBadRequest, "unsupported_grant_type")
		return
	}
	access := rand.Text()
	grant.spent += grant.refresh + " "
	grant.refresh, grant.access[access] = rand.Text(), now.Add(d.Access)
	writeJSON(w, http.StatusOK, map[string]any{
		"access_token": access, "token_type": "Bearer", "expires_in": int(d.Access.Seconds()), "refresh_token": grant.refresh,
		"refresh_token_expires_in": int(grant.Ends.Sub(now).Seconds()), "scope": strings.Join(grant.Scopes, " "),
	})
}

// revoke ends a consent that a program does not want any more (RFC 7009).
func (d *ConsentDesk) revoke(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 64<<10)
	if !signedIn(r) {
		refuse(w, http.StatusUnauthorized, "invalid_client")
		return
	}
	token := r.FormValue("token")
	d.end(func(g *consented) bool {
		_, is := g.access[token]
		return is || token != "" && g.refresh == token
	})
	w.WriteHeader(http.StatusOK)
}

// Lets reports whether a token lets a program do something.
func (d *ConsentDesk) Lets(token, scope string) bool {
	d.mu.Lock()
	defer d.mu.Unlock()
	now := time.Now()
	return slices.ContainsFunc(d.grants, func(g *consented) bool {
		until, is := g.access[token]
		return is && !g.Withdrawn && now.Before(until) && now.Before(g.Ends) && slices.Contains(g.Scopes, scope)
	})
}

// Withdraw takes all consents back.
func (d *ConsentDesk) Withdraw() { d.end(func(*consented) bool { return true }) }

func (d *ConsentDesk) end(is func(*consented) bool) {
	d.mu.Lock()
	for _, g := range d.grants {
		g.Withdrawn = g.Withdrawn || is(g)
	}
	d.mu.Unlock()
	d.ended()
}

// Expire has all accesses run out, so that they have to be renewed.
func (d *ConsentDesk) Expire() {
	d.mu.Lock()
	for _, g := range d.grants {
		clear(g.access)
	}
	d.mu.Unlock()
	d.ended()
}

// Given is how many consents hold.
func (d *ConsentDesk) Given() (n int) {
	for _, g := range d.list() {
		if !g.Withdrawn {
			n++
		}
	}
	return n
}

// Renewed is how often an access was renewed.
func (d *ConsentDesk) Renewed() int {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.renewed
}

// list returns the consents, the newest first.
func (d *ConsentDesk) list() []consented {
	d.mu.Lock()
	defer d.mu.Unlock()
	list := []consented{}
	for _, g := range slices.Backward(d.grants) {
		list = append(list, *g)
	}
	return list
}
