package world

import (
	"context"
	"errors"
	"maps"
	"net/http"
	"slices"
	"sync"

	"github.com/modelcontextprotocol/go-sdk/mcp"
)

// A Harbour is the harbour office: an MCP server that says how the boats run.
type Harbour struct {
	Trouble Trouble

	server  *mcp.Server
	handler http.Handler
	mu      sync.Mutex
	running map[string]Running
}

// Running is how the boats to an island run.
type Running struct {
	Island  string `json:"island" jsonschema:"the island"`
	State   string `json:"state" jsonschema:"on time, delayed or cancelled"`
	Minutes int    `json:"minutes" jsonschema:"how many minutes they are late"`
	Why     string `json:"why" jsonschema:"the reason, if they are not on time"`
}

type whichIsland struct {
	Island string `json:"island" jsonschema:"the island: Little Sorrel, Hallow Point or Gannet Holm"`
}

type logged struct {
	Text string `json:"text" jsonschema:"what is written into the log"`
}

type entry struct {
	Number int `json:"number" jsonschema:"the number of the entry"`
}

func newHarbour() *Harbour {
	h := &Harbour{running: map[string]Running{
		"Little Sorrel": {"Little Sorrel", "on time", 0, ""},
		"Hallow Point":  {"Hallow Point", "on time", 0, ""},
		"Gannet Holm":   {"Gannet Holm", "delayed", 20, "heavy swell"},
	}}
	h.server = mcp.NewServer(&mcp.Implementation{Name: "harbour-office", Version: "1"}, nil)
	mcp.AddTool(h.server, &mcp.Tool{
		Name: "boats_running", Title: "How the boats run", Description: "Says whether the boats to an island are on time, late or cancelled today.", Annotations: &mcp.ToolAnnotations{ReadOnlyHint: true},
	}, func(_ context.Context, _ *mcp.CallToolRequest, in whichIsland) (*mcp.CallToolResult, Running, error) {
		h.mu.Lock()
		defer h.mu.Unlock()
		r, ok := h.running[in.Island]
		if !ok {
			return nil, Running{}, errors.New("no such island: " + in.Island)
		}
		return nil, r, nil
	})
	entries := 0
	mcp.AddTool(h.server, &mcp.Tool{Name: "write_log", Title: "Write into the harbour's log", Description: "Adds an entry to the harbour's log."},
		func(context.Context, *mcp.CallToolRequest, logged) (*mcp.CallToolResult, entry, error) {
			h.mu.Lock()
			defer h.mu.Unlock()
			entries++
			return nil, entry{entries}, nil
		})
	h.handler = mcp.NewStreamableHTTPHandler(func(*http.Request) *mcp.Server { return h.server }, &mcp.StreamableHTTPOptions{Stateless: true, JSONResponse: true})
	return h
}

// ServeHarbour is a harbour office on the standard input and output of this program, until
// the input ends.
func ServeHarbour() error {
	return newHarbour().server.Run(context.Background(), &mcp.StdioTransport{})
}

// Set says how the boats to an island run from now on.
func (h *Harbour) Set(r Running) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.running[r.Island] = r
}

// ServeHTTP speaks the Model Context Protocol over streamable HTTP.
func (h *Harbour) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if h.Trouble.strikes(w, r) {
		return
	}
	h.handler.ServeHTTP(w, r)
}

func (h *Harbour) list(w http.ResponseWriter, _ *http.Request) {
	h.mu.Lock()
	defer h.mu.Unlock()
	list := []Running{}
	for _, island := range slices.Sorted(maps.Keys(h.running)) {
		list = append(list, h.running[island])
	}
	writeJSON(w, http.StatusOK, list)
}

func (h *Harbour) change(w http.ResponseWriter, r *http.Request) {
	var to Running
	if decode(w, r, &to) {
		h.Set(to)
	}
}
