package api

import (
	"cmp"
	"errors"
	"net/http"
	"net/url"

	"github.com/gin-gonic/gin"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/problem"
)

func showConsent(q *request) (out client.Consent, err error) {
	s, err := q.workspace.Consents.State(q.Request.Context(), q.Param("name"))
	if err != nil {
		return out, err
	}
	out = client.Consent{Connected: s.There && s.Ended == "", By: s.By, Scopes: s.Scopes, EndsAt: maybe(s.EndsAt), At: maybe(s.At), Fault: s.Fault, Failed: s.Failed}
	if out.Scopes == nil {
		out.Scopes = []string{}
	}
	return out, nil
}

func askForConsent(q *request) (out client.ConsentAddress, err error) {
	out.Address, err = q.workspace.Consents.Ask(q.Request.Context(), q.Param("name"), q.access.Label)
	return out, err
}

func withdrawConsent(q *request) error {
	return q.workspace.Consents.Withdraw(q.Request.Context(), q.Param("name"))
}

// consented takes a person in who comes back from where consent is asked (RFC 6749, 4.1.2): the
// same that was sent there, signed in to the console in the same browser.
func (s *Server) consented(c *gin.Context) {
	q := &request{Context: c, server: s}
	if err := s.admit(q, false); err != nil || q.workspace.Name != c.Param("workspace") {
		problem.Write(c.Writer, problem.New(problem.NotSignedIn, "you are not signed in to the console in this browser: sign in, and connect it again there", ""))
		return
	}
	const most = 4096
	for _, name := range []string{"state", "code", "error", "error_description"} {
		if len(c.Query(name)) > most {
			problem.Write(c.Writer, problem.New(problem.TooLarge, "the address is longer than any that leads here", name))
			return
		}
	}
	refused := c.Query("error")
	if refused != "" || c.Query("code") == "" {
		refused = cmp.Or(c.Query("error_description"), refused, "it gave no code")
	}
	connection, err := q.workspace.Consents.Answered(c.Request.Context(), q.access.Label, c.Query("state"), c.Query("code"), refused)
	if err != nil && (connection == "" || !errors.Is(err, engine.ErrConsent)) {
		s.fail(c, err)
		return
	}
	c.Header("Cache-Control", "no-store")
	c.Header("Referrer-Policy", "no-referrer") // the code stands in the address
	c.Redirect(http.StatusSeeOther, "/connections/"+url.PathEscape(connection))
}
