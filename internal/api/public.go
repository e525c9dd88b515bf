package api

import (
	"io/fs"
	"net/http"
	"path"
	"strings"

	"github.com/gin-gonic/gin"

	"urgentparrot.example/console"
	"urgentparrot.example/internal/core/workspace"
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
		c.String(http.StatusOK, "ok\n")
	})
	s.engine.POST("/hooks/:workspace/:channel", func(c *gin.Context) { s.channel(c, workspace.TextLine, "") })
	s.engine.Any("/chat/:workspace/:channel/*path", func(c *gin.Context) {
		switch c.Param("path") {
		case "/widget.js":
			s.widget(c)
		case "/":
			s.chatPage(c)
		default:
			s.channel(c, workspace.Website, c.Param("path"))
		}
	})
}

// channel hands a request to the channel that its address names.
func (s *Server) channel(c *gin.Context, kind workspace.ChannelKind, path string) {
	w := s.Workspaces[c.Param("workspace")]
	if w == nil {
		problem.Write(c.Writer, problem.New(problem.NotFound, "there is no such workspace", ""))
		return
	}
	handler, fault := w.ChannelHandler(kind, c.Param("channel"))
	switch {
	case handler != nil:
		r := c.Request.Clone(c.Request.Context())
		r.URL.Path = path
		handler.ServeHTTP(c.Writer, r)
	case fault != "":
		problem.Write(c.Writer, problem.New(problem.Unavailable, "this channel does not work at the moment", ""))
	default:
		problem.Write(c.Writer, problem.New(problem.NotFound, "there is no such channel", ""))
	}
}

// widget serves the script that a page includes to carry the chat.
func (s *Server) widget(c *gin.Context) {
	script, err := fs.ReadFile(console.Dist, "dist/widget.js")
	if err != nil {
		problem.Write(c.Writer, problem.New(problem.Unavailable, "the chat was not built into this program; build it with make build", ""))
		return
	}
	c.Header("Cache-Control", "public, max-age=300")
	c.Header("Access-Control-Allow-Origin", "*")
	c.Data(http.StatusOK, "text/javascript; charset=utf-8", script)
}

// chatPage is a page of the service's own that holds nothing but the chat, to be
// linked to or put in an iframe.
func (s *Server) chatPage(c *gin.Context) {
	c.Data(http.StatusOK, "text/html; charset=utf-8", []byte(`<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>Chat</title><link rel="icon" href="data:,"></head>
<body style="margin:0"><script src="widget.js" data-open></script></body></html>
`))
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
	content, err := fs.ReadFile(console.Dist, path.Join("dist", name))
	if err != nil && name == "index.html" {
		problem.Write(c.Writer, problem.New(problem.Unavailable, "the console was not built into this program; build it with make build", ""))
		return
	}
	if err != nil {
		problem.Write(c.Writer, problem.New(problem.NotFound, "there is nothing at this address", ""))
		return
	}
	kind := map[string]string{
		".html": "text/html; charset=utf-8", ".js": "text/javascript; charset=utf-8", ".css": "text/css; charset=utf-8",
		".svg": "image/svg+xml", ".woff2": "font/woff2", ".json": "application/json",
	}[path.Ext(name)]
	c.Header("X-Content-Type-Options", "nosniff")
	if name == "index.html" {
		c.Header("Cache-Control", "no-cache")
		c.Header("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; frame-ancestors 'none'")
		c.Header("Referrer-Policy", "no-referrer")
	} else {
		c.Header("Cache-Control", "public, max-age=31536000, immutable") // the names change with the content
	}
	c.Data(http.StatusOK, kind, content)
}
