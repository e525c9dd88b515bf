package engine

import (
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"

	"github.com/modelcontextprotocol/go-sdk/mcp"

	"urgentparrot.example/internal/core/workspace"
)

// Each kind of connection is tried by itself: whether the other side is there, lets us in, and what
// it has. What goes wrong is said in words that tell what to look at, and a draft is tried without
// being kept.
func TestEachKindOfConnectionIsTried(t *testing.T) {
	s := openStage(t)
	s.opensPost(&postOffice{})
	server := mcp.NewServer(&mcp.Implementation{Name: "harbour", Version: "1"}, nil)
	mcp.AddTool(server, &mcp.Tool{Name: "boats_running"}, func(context.Context, *mcp.CallToolRequest, struct{}) (*mcp.CallToolResult, struct{}, error) {
		return nil, struct{}{}, errors.New("nothing is called to try a connection")
	})
	tools := httptest.NewServer(mcp.NewStreamableHTTPHandler(func(*http.Request) *mcp.Server { return server }, &mcp.StreamableHTTPOptions{Stateless: true}))
	t.Cleanup(tools.Close)
	s.world.answers(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case strings.HasPrefix(r.URL.Path, "/locked"):
			w.WriteHeader(http.StatusUnauthorized)
		case strings.HasPrefix(r.URL.Path, "/broken"):
			w.WriteHeader(http.StatusServiceUnavailable)
		case r.URL.Path == "/v1/models":
			_, _ = w.Write([]byte(`{"data": [{"id": "small"}, {"id": "large"}]}`))
		default:
			w.WriteHeader(http.StatusNotFound) // there is no page at the address of an interface
		}
	})
	for _, c := range []struct {
		fields string
		found  []string
		wrong  string
	}{
		{"kind: http\naddress: " + s.world.URL, nil, ""},
		{"kind: http\naddress: " + s.world.URL + "/locked", nil, "does not let us in"},
		{"kind: http\naddress: " + s.world.URL + "/broken", nil, "answered 503"},
		{"kind: http\naddress: http://127.0.0.1:1", nil, "nothing listens at that address and port"},
		{"kind: http\naddress: http://10.1.2.3", nil, "private network"},
		{"kind: model\nmodel: small\naddress: " + s.world.URL + "/v1", []string{"large", "small"}, ""},
		{"kind: model\nmodel: small\naddress: " + s.world.URL + "/locked", nil, "401"},
		{"kind: mcp\naddress: " + tools.URL, []string{"boats_running"}, ""},
		{"kind: mcp\naddress: " + s.world.URL, nil, "cannot be reached"},
		{"kind: smtp\nfrom: pip@brackwater.example\naddress: 127.0.0.1:1", nil, "nothing listens at that address and port"},
	} {
		found, err := s.Channels.TestConnection(t.Context(), "new", "connection: new\n"+c.fields+"\n")
		slices.Sort(found)
		switch {
		case c.wrong == "" && (err != nil || !slices.Equal(found, c.found)):
			t.Errorf("%s: %q, %v", c.fields, found, err)
		case c.wrong != "" && (err == nil || !strings.Contains(err.Error(), c.wrong) || strings.Contains(err.Error(), "dial tcp")):
			t.Errorf("%s: %v", c.fields, err)
		}
	}
	if _, err := s.Channels.TestConnection(t.Context(), "office", ""); err != nil {
		t.Errorf("the mail server that is kept: %v", err)
	}
	if _, there := find[workspace.Connection](s.config.Load(), "new"); there {
		t.Error("what was only tried is kept")
	}
	if _, err := s.Channels.TestConnection(t.Context(), "nothing", ""); err == nil || errors.Is(err, ErrUnknown) {
		t.Errorf("one that is not there: %v", err)
	}
}
