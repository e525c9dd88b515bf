package api

import (
	"io/fs"
	"net/http"
	"path"
	"strings"

	"github.com/gin-gonic/gin"

	"urgentparrot.example/console"
	"urgentparrot.example/internal/kinds"
	"urgentparrot.example/internal/problem"
)

// public adds what outsiders reach: channels, health, and the chat's script.
func (s *Server) public() {
	s.engine.GET("/healthz", func(c *gin.Context) { c.String(http.StatusOK, "ok\n") })
	s.engine.GET("/readyz", func(c *gin.Context) {
		if s.Ready != nil && !s.Ready() {
			problem.Write(c.Writer, problem.New(problem.Unavailable, "the service is starting or stopping", ""))
			return
		}
		for _, w := range s.Workspaces {
			if w.Trouble(c.Request.Context()) != "" { // the words are for those who are signed in
				problem.Write(c.Writer, problem.New(problem.Unavailable, "the records of the workspace "+w.Name+" cannot be kept safely at the moment; parrot status says why", ""))
				return
			}
		}
		c.String(http.StatusOK, "ok\n")
	})
	s.engine.GET("/consent/:workspace", s.consented)
	for _, kind := range kinds.Channels {
		if kind.Path != "" && !s.paths[kind.Path] {
			s.paths[kind.Path] = true
			s.engine.Any("/"+kind.Path+"/:workspace/:channel", func(c *gin.Context) { s.channel(c, kind.Path, "") })
			s.engine.Any("/"+kind.Path+"/:workspace/:channel/*below", func(c *gin.Context) { s.channel(c, kind.Path, c.Param("below")) })
		}
	}
}

// channel hands a request to the channel that its address names, with the path
// below it.
func (s *Server) channel(c *gin.Context, path, below string) {
	w := s.Workspaces[c.Param("workspace")]
	if w == nil {
		problem.Write(c.Writer, problem.New(problem.NotFound, "there is no such workspace", ""))
		return
	}
	handler, fault := w.Channels.Handler(path, c.Param("channel"))
	switch {
	case handler != nil:
		r := c.Request.Clone(c.Request.Context())
		r.URL.Path, r.URL.RawPath = below, ""
		handler.ServeHTTP(c.Writer, r)
	case fault != "":
		problem.Write(c.Writer, problem.New(problem.Unavailable, "this channel does not work at the moment", ""))
	default:
		problem.Write(c.Writer, problem.New(problem.NotFound, "there is no such channel", ""))
	}
}

// console serves the console's files, and its start page for every address that
// it has a page for.
func (s *Server) console(c *gin.Context) {
	if strings.HasPrefix(c.Request.URL.Path, "/api/") || (c.Request.Method != http.MethodGet && c.Request.Method != http.MethodHead) {
		problem.Write(c.Writer, problem.New(problem.NotFound, "there is nothing at this address", ""))
		return
	}
	name := strings.TrimPrefix(path.Clean(c.Request.URL.Path), "/")
	if name == "" || path.Ext(name) == "" {
		name = "index.html"
	}
	// An odd path has been made straight: it is of no more account.
	c.Request.URL.Path = "/" + strings.TrimSuffix(name, "index.html")
	if _, err := fs.Stat(console.Dist, path.Join("dist", name)); err != nil {
		if name == "index.html" {
			problem.Write(c.Writer, problem.New(problem.Unavailable, "the console was not built into this program; build it with make build", ""))
			return
		}
		problem.Write(c.Writer, problem.New(problem.NotFound, "there is nothing at this address", ""))
		return
	}
	c.Header("X-Content-Type-Options", "nosniff")
	if name == "index.html" {
		c.Header("Cache-Control", "no-cache")
		c.Header("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; frame-ancestors 'none'")
		c.Header("Referrer-Policy", "no-referrer")
	} else {
		c.Header("Cache-Control", "public, max-age=31536000, immutable") // the names change with the content
	}
	c.Status(http.StatusOK) // routes that the server does not know begin as not found
	http.ServeFileFS(c.Writer, c.Request, console.Dist, path.Join("dist", name))
}
