// Package api serves a process's workspaces over HTTP: the API for people and
// programs who are signed in, the public addresses of channels, and the console.
package api

import (
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"mime"
	"net/http"
	"net/netip"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/library"
	"urgentparrot.example/internal/problem"
	"urgentparrot.example/internal/store"
)

// Version is the program's.
const Version = "0.1.0"

// Options are what a server is made with.
type Options struct {
	Workspaces map[string]*engine.Workspace
	PublicURL  string // under which people and other systems reach it
	Log        *slog.Logger
	Ready      func() bool    // whether it may be sent traffic; always, if nil
	Proxies    []netip.Prefix // in front of the service, which say who asks
}

// A Server is an http.Handler.
type Server struct {
	Options
	engine *gin.Engine
	origin *http.CrossOriginProtection
	paths  map[string]bool // of channels, below the root
	limits *channel.Limits // of those who send forms and post to flows

	bodyTime time.Duration
}

// New returns a server for the workspaces given.
func New(o Options) *Server {
	if o.Log == nil {
		o.Log = slog.New(slog.DiscardHandler)
	}
	gin.SetMode(gin.ReleaseMode)
	s := &Server{Options: o, engine: gin.New(), origin: http.NewCrossOriginProtection(), paths: map[string]bool{}, bodyTime: bodyTime}
	s.engine.UseRawPath, s.engine.UnescapePathValues = true, true
	s.engine.Use(gin.CustomRecoveryWithWriter(nil, func(c *gin.Context, cause any) {
		s.Log.Error("a request failed", "path", c.Request.URL.Path, "cause", fmt.Sprint(cause))
		problem.Write(c.Writer, problem.New("", "it has been logged", ""))
		c.Abort()
	}))
	s.public()
	s.outside()
	for _, r := range routes() {
		s.engine.Handle(r.method, "/api/v1"+r.path, s.serve(r))
	}
	s.engine.GET("/api/openapi.json", func(c *gin.Context) { c.Data(http.StatusOK, "application/json", OpenAPI()) })
	s.engine.NoRoute(s.console)
	return s
}

// clock is that of the workspaces.
func (s *Server) clock() clock.Clock {
	for _, w := range s.Workspaces {
		return w.Clock
	}
	return clock.Real{}
}

// A request is a call that is being answered.
type request struct {
	*gin.Context
	server    *Server
	workspace *engine.Workspace
	access    store.Access
}

func (s *Server) serve(r route) gin.HandlerFunc {
	return func(c *gin.Context) {
		q := &request{Context: c, server: s}
		var result any
		err := s.admit(q, r.open)
		if err == nil {
			result, err = r.run(q)
		}
		if err != nil {
			s.fail(c, err)
			return
		}
		switch {
		case r.media != "": // the handler has written the response
		case r.response == nil:
			c.Header("Cache-Control", "no-store")
			c.Status(http.StatusNoContent)
			c.Writer.WriteHeaderNow()
		default:
			c.Header("Cache-Control", "no-store")
			c.JSON(r.status, result)
		}
	}
}

// fail answers with the problem that an error stands for.
func (s *Server) fail(c *gin.Context, err error) {
	var details *problem.Details
	var problems document.Problems
	var unreadable *library.Unreadable
	switch {
	case errors.As(err, &details):
		problem.Write(c.Writer, details)
	case errors.As(err, &problems):
		d := problem.New(problem.BadInput, problems.Error(), "text")
		c.Header("Content-Type", "application/problem+json")
		c.JSON(d.Status, gin.H{"type": d.Type, "title": d.Title, "status": d.Status, "detail": d.Detail, "field": d.Field, "problems": problems})
	case errors.Is(err, store.ErrNotFound):
		problem.Write(c.Writer, problem.New(problem.NotFound, "there is nothing of that name or id here", ""))
	case errors.Is(err, store.ErrConflict):
		problem.Write(c.Writer, problem.New(problem.Conflict, "someone else changed it since you read it; load it again and repeat your change", ""))
	case errors.Is(err, engine.ErrUnknown), errors.Is(err, engine.ErrNeeded):
		problem.Write(c.Writer, problem.New(problem.BadInput, err.Error(), ""))
	case errors.Is(err, engine.ErrNotLive), errors.Is(err, engine.ErrConsent), errors.Is(err, engine.ErrUnfit), errors.Is(err, engine.ErrTrial):
		problem.Write(c.Writer, problem.New(problem.BadInput, err.Error(), ""))
	case errors.Is(err, engine.ErrBadSecret):
		problem.Write(c.Writer, problem.New(problem.BadInput, err.Error(), "secret"))
	case errors.As(err, &unreadable):
		problem.Write(c.Writer, problem.New(problem.BadInput, unreadable.Error(), "file"))
	case errors.Is(err, store.ErrMerged):
		problem.Write(c.Writer, problem.New(problem.Conflict, store.ErrMerged.Error(), "with"))
	case errors.Is(err, store.ErrNotHeld):
		problem.Write(c.Writer, problem.New(problem.Conflict, "the reply is not held, or no longer: somebody has approved or rejected it", ""))
	case errors.Is(err, store.ErrLead):
		problem.Write(c.Writer, problem.New(problem.Conflict, "you do not lead this conversation, or it is closed; take it first", ""))
	case c.Request.Context().Err() != nil: // nobody waits for the answer
	default:
		s.Log.Error("a request failed", "path", c.Request.URL.Path, "error", err)
		problem.Write(c.Writer, problem.New("", "it has been logged", ""))
	}
}

// bodyLimit is the largest JSON body, in bytes.
const bodyLimit = 512 << 10

// body reads a JSON body of at most so many bytes into a value; what that does not
// have is a problem. An empty body is an empty object.
func (q *request) body(into any, limit int64) error {
	if q.Request.ContentLength == 0 {
		return nil
	}
	if kind, _, err := mime.ParseMediaType(q.GetHeader("Content-Type")); err != nil || kind != "application/json" {
		return problem.New(problem.BadInput, "the body must be JSON, with the header Content-Type: application/json", "")
	}
	decoder := json.NewDecoder(http.MaxBytesReader(q.Writer, q.Request.Body, limit))
	decoder.DisallowUnknownFields()
	err := decoder.Decode(into)
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &tooLarge):
		return problem.New(problem.TooLarge, fmt.Sprintf("the request is larger than %d KiB", limit>>10), "")
	case err != nil:
		return problem.New(problem.BadInput, "the request is not the JSON that is expected here: "+strings.TrimPrefix(err.Error(), "json: "), "")
	}
	return nil
}

// text checks a text that a person typed.
func text(s, field string, limit int) error {
	switch {
	case strings.TrimSpace(s) == "":
		return problem.New(problem.BadInput, "the "+field+" is empty", field)
	case len([]rune(s)) > limit:
		return problem.New(problem.TooLarge, fmt.Sprintf("the %s has more than %d characters", field, limit), field)
	}
	return nil
}
