package api

import (
	"bytes"
	"crypto/hmac"
	"crypto/sha256"
	"crypto/subtle"
	_ "embed"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"io"
	"mime"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/form"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/problem"
)

// outside adds what outsiders reach of flows: forms, and the addresses that other systems
// post to.
func (s *Server) outside() {
	s.limits = channel.NewLimits(s.clock(), outsidePerSecond, outsideBurst)
	s.engine.GET("/form/:workspace/:form", s.forms(s.showForm))
	s.engine.GET("/form/:workspace/:form/embed.js", s.forms(s.embedForm))
	s.engine.POST("/form/:workspace/:form", s.forms(s.submitForm))
	s.engine.OPTIONS("/form/:workspace/:form", s.forms(func(c *gin.Context, _ *engine.Workspace, f workspace.Form) error {
		allowOrigin(c, f)
		c.Status(http.StatusNoContent)
		return nil
	}))
	post := func(c *gin.Context) {
		w := s.Workspaces[c.Param("workspace")]
		err := s.mayCome(c, w != nil)
		if err == nil {
			err = s.hook(c.Writer, c.Request, w, c.Param("flow"), c.Param("token"))
		}
		if err != nil {
			s.fail(c, err)
			return
		}
		c.JSON(http.StatusAccepted, gin.H{"accepted": true})
	}
	s.engine.POST("/hook/:workspace/:flow", post)
	s.engine.POST("/hook/:workspace/:flow/:token", post)
}

// How often one outsider may send a form or post to a flow.
const (
	outsidePerSecond = 2
	outsideBurst     = 30
)

func (s *Server) mayCome(c *gin.Context, there bool) error {
	switch {
	case !there:
		return problem.New(problem.NotFound, "there is nothing at this address", "")
	case !s.limits.Allow(channel.RemoteHost(c.Request)):
		return problem.New(problem.TooMany, "too many requests; try again in a moment", "")
	}
	return nil
}

// forms answers requests for a form that is there.
func (s *Server) forms(do func(*gin.Context, *engine.Workspace, workspace.Form) error) gin.HandlerFunc {
	return func(c *gin.Context) {
		w := s.Workspaces[c.Param("workspace")]
		var f workspace.Form
		there := false
		if w != nil {
			f, there = w.Forms.Named(c.Param("form"))
		}
		err := s.mayCome(c, there)
		if err == nil {
			err = do(c, w, f)
		}
		if err != nil {
			s.fail(c, err)
		}
	}
}

//go:embed form.html
var formSource string

var formPage = template.Must(template.New("form").Parse(formSource))

type formView struct {
	workspace.Form
	Business string
	Typed    map[string]string
	Wrong    map[string]string
	Page     string // when the page was made, signed
	Done     bool
	Embedded bool
}

// show writes the page of a form. It may stand in a frame of the pages that the form allows.
func (s *Server) show(c *gin.Context, w *engine.Workspace, f workspace.Form, status int, v formView) error {
	v.Form, v.Business = f, w.Documents.Settings().Title
	v.Page, v.Embedded = s.pageMark(w), c.Query("embedded") != ""
	var page bytes.Buffer
	if err := formPage.Execute(&page, v); err != nil {
		return err
	}
	ancestors := "*"
	if len(f.Origins) > 0 {
		ancestors = "'self' " + strings.Join(f.Origins, " ")
	}
	c.Header("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; script-src 'unsafe-inline'; form-action 'self'; frame-ancestors "+ancestors)
	c.Header("X-Content-Type-Options", "nosniff")
	c.Header("Referrer-Policy", "no-referrer")
	c.Header("Cache-Control", "no-store")
	c.Data(status, "text/html; charset=utf-8", page.Bytes())
	return nil
}

func (s *Server) showForm(c *gin.Context, w *engine.Workspace, f workspace.Form) error {
	return s.show(c, w, f, http.StatusOK, formView{})
}

// pageMark says when a page was made, so that a form that is sent faster than people type is
// known; nobody else can make one.
func (s *Server) pageMark(w *engine.Workspace) string {
	at := strconv.FormatInt(w.Clock.Now().Unix(), 10)
	return at + "." + s.sign(w, at)
}

func (s *Server) sign(w *engine.Workspace, at string) string {
	token, err := w.Flows.HookToken("form pages")
	if err != nil {
		return ""
	}
	mac := hmac.New(sha256.New, []byte(token))
	mac.Write([]byte(at))
	return hex.EncodeToString(mac.Sum(nil))[:32]
}

const embedScript = `(function () {
  var tag = document.currentScript;
  var frame = document.createElement("iframe");
  frame.src = %s;
  frame.title = %s;
  frame.style.cssText = "border:0;width:100%%;height:420px";
  tag.parentNode.insertBefore(frame, tag);
  window.addEventListener("message", function (e) {
    if (e.source === frame.contentWindow && e.data && typeof e.data.formHeight === "number") {
      frame.style.height = Math.min(e.data.formHeight, 4000) + "px";
    }
  });
})();
`

// embedForm is the script that shows a form in another page.
func (s *Server) embedForm(c *gin.Context, w *engine.Workspace, f workspace.Form) error {
	scheme := "http"
	if c.Request.TLS != nil || c.GetHeader("X-Forwarded-Proto") == "https" {
		scheme = "https"
	}
	src, _ := json.Marshal(fmt.Sprintf("%s://%s/form/%s/%s?embedded=1", scheme, c.Request.Host, w.Name, f.Name))
	title, _ := json.Marshal(f.Title)
	c.Header("X-Content-Type-Options", "nosniff")
	c.Data(http.StatusOK, "text/javascript; charset=utf-8", fmt.Appendf(nil, embedScript, src, title))
	return nil
}

// formLimit is the largest form, in bytes.
const formLimit = 256 << 10

// What guards a form against programs: a field that people do not see, and when the page
// was made.
const (
	trap     = "_url"
	pageMark = "_page"
)

// submitForm takes a form in: from our page, as a plain post of another, or as JSON.
func (s *Server) submitForm(c *gin.Context, w *engine.Workspace, f workspace.Form) error {
	allowOrigin(c, f)
	if origin := c.GetHeader("Origin"); origin != "" && len(f.Origins) > 0 && !slices.Contains(f.Origins, origin) && !strings.HasSuffix(origin, "://"+c.Request.Host) {
		return problem.New(problem.NotAllowed, "pages of "+origin+" may not send this form; the form's origins say which may", "")
	}
	raw, err := readAll(c.Writer, c.Request, formLimit)
	if err != nil {
		return err
	}
	kind, _, _ := mime.ParseMediaType(c.GetHeader("Content-Type"))
	typed, err := readForm(kind, raw, f)
	if err != nil {
		return err
	}
	page := kind == "application/x-www-form-urlencoded" && typed[pageMark] != ""
	if typed[trap] != "" || page && s.tooFast(w, f, typed[pageMark]) {
		// Whoever fills this in is a program: it is told what people are told, and nothing is kept.
		s.Log.Info("a form was filled in by a program", "form", f.Name)
		return s.thank(c, w, f, page)
	}
	delete(typed, trap)
	delete(typed, pageMark)
	_, err = w.Forms.Submit(c.Request.Context(), f.Name, typed)
	var missing form.Missing
	if errors.As(err, &missing) {
		if page {
			return s.show(c, w, f, http.StatusUnprocessableEntity, formView{Typed: typed, Wrong: missing})
		}
		for _, field := range f.Fields {
			if why := missing[field.Name]; why != "" {
				return problem.New(problem.BadInput, why, field.Name)
			}
		}
	}
	if err != nil {
		return err
	}
	return s.thank(c, w, f, page)
}

func (s *Server) thank(c *gin.Context, w *engine.Workspace, f workspace.Form, page bool) error {
	if page {
		return s.show(c, w, f, http.StatusOK, formView{Done: true})
	}
	c.JSON(http.StatusAccepted, gin.H{"thanks": f.Thanks})
	return nil
}

// tooFast reports whether a form was sent faster than people type, or with a page that was
// not ours, or is older than a day.
func (s *Server) tooFast(w *engine.Workspace, f workspace.Form, mark string) bool {
	at, signature, _ := strings.Cut(mark, ".")
	seconds, err := strconv.ParseInt(at, 10, 64)
	if err != nil || subtle.ConstantTimeCompare([]byte(s.sign(w, at)), []byte(signature)) != 1 {
		return true
	}
	took := w.Clock.Now().Sub(time.Unix(seconds, 0))
	return took < time.Duration(f.HoldBack)-time.Second || took > 24*time.Hour
}

// readForm reads what was sent, by field. What the form does not have, or what is there
// twice, is a problem that names it.
func readForm(kind string, raw []byte, f workspace.Form) (map[string]string, error) {
	typed := map[string]string{}
	known := func(name string) bool {
		return name == trap || name == pageMark || slices.ContainsFunc(f.Fields, func(field workspace.FormField) bool { return field.Name == name })
	}
	switch kind {
	case "application/x-www-form-urlencoded":
		values, err := url.ParseQuery(string(raw))
		if err != nil {
			return nil, problem.New(problem.BadInput, "the form cannot be read: "+err.Error(), "")
		}
		for name, list := range values {
			if !known(name) {
				return nil, problem.New(problem.BadInput, "the form has no field "+strconv.Quote(name), name)
			}
			if len(list) > 1 {
				return nil, problem.New(problem.BadInput, "the field "+name+" is there "+strconv.Itoa(len(list))+" times", name)
			}
			typed[name] = list[0]
		}
	case "application/json":
		var values map[string]any
		if err := json.Unmarshal(raw, &values); err != nil {
			return nil, problem.New(problem.BadInput, "the body is not a JSON object of fields", "")
		}
		for name, value := range values {
			if !known(name) {
				return nil, problem.New(problem.BadInput, "the form has no field "+strconv.Quote(name), name)
			}
			switch v := value.(type) {
			case string:
				typed[name] = v
			case float64:
				typed[name] = strconv.FormatFloat(v, 'f', -1, 64)
			case bool:
				typed[name] = map[bool]string{true: "yes", false: "no"}[v]
			case nil:
			default:
				return nil, problem.New(problem.BadInput, "the field "+name+" must be a text or a number", name)
			}
		}
	default:
		return nil, problem.New(problem.BadInput, "a form is sent as application/x-www-form-urlencoded or application/json", "")
	}
	return typed, nil
}

// allowOrigin lets pages of other origins post a form from a script, as far as it allows.
func allowOrigin(c *gin.Context, f workspace.Form) {
	origin := c.GetHeader("Origin")
	if origin == "" || len(f.Origins) > 0 && !slices.Contains(f.Origins, origin) {
		return
	}
	c.Header("Access-Control-Allow-Origin", origin)
	c.Header("Access-Control-Allow-Headers", "Content-Type")
	c.Header("Access-Control-Allow-Methods", "POST")
	c.Header("Vary", "Origin")
}

// readAll reads a body of at most so many bytes.
func readAll(w http.ResponseWriter, r *http.Request, limit int64) ([]byte, error) {
	raw, err := io.ReadAll(http.MaxBytesReader(w, r.Body, limit))
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) {
		return nil, problem.New(problem.TooLarge, fmt.Sprintf("the request is larger than %d KiB", limit>>10), "")
	}
	if err != nil {
		return nil, problem.New(problem.BadInput, "the request broke off before its end", "")
	}
	return raw, nil
}

// verifySigned checks a body that is signed as Standard Webhooks have it.
func verifySigned(secret string, body []byte, header http.Header) error {
	hook, err := webhooks.NewWebhook(secret)
	if err == nil {
		err = hook.Verify(body, header)
	}
	if err != nil {
		return problem.New(problem.BadSignature, "the signature is wrong or older than five minutes; sign with the secret of the flow's connection and check the clock", "")
	}
	return nil
}

func sameToken(want, got string) bool {
	return subtle.ConstantTimeCompare([]byte(want), []byte(got)) == 1
}
