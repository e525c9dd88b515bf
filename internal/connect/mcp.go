package connect

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os/exec"
	"strings"
	"time"

	"github.com/modelcontextprotocol/go-sdk/jsonrpc"
	"github.com/modelcontextprotocol/go-sdk/mcp"

	"urgentparrot.example/internal/core/template"
	"urgentparrot.example/internal/core/tool"
	"urgentparrot.example/internal/outbound"
)

// An MCPTarget is a server of tools by the Model Context Protocol: at the address of an
// endpoint over streamable HTTP, or a program on this host over its standard input and output.
type MCPTarget struct {
	Endpoint
	Command []string // the program, with its arguments; nil: over HTTP
}

// An MCPTool is one that a server has.
type MCPTool struct {
	Name, Title, Description string
	Arguments, Result        map[string]any // JSON Schemas; nil where it has none
	ReadsOnly                bool           // so it says
}

// mostTools bounds what is taken of a server's list.
const mostTools = 500

// MCPTools lists what a server has.
func MCPTools(ctx context.Context, target MCPTarget) (list []MCPTool, err error) {
	session, err := target.connect(ctx)
	if err != nil {
		return nil, err
	}
	defer session.Close()
	for found, err := range session.Tools(ctx, nil) {
		if err != nil {
			return nil, fmt.Errorf("%s does not list its tools: %w", target.Title, err)
		}
		t := MCPTool{Name: found.Name, Title: found.Title, Description: found.Description}
		t.Arguments, _ = found.InputSchema.(map[string]any)
		t.Result, _ = found.OutputSchema.(map[string]any)
		if a := found.Annotations; a != nil {
			t.ReadsOnly = a.ReadOnlyHint
			if t.Title == "" {
				t.Title = a.Title
			}
		}
		if list = append(list, t); len(list) == mostTools {
			break
		}
	}
	return list, nil
}

// CallMCP calls a tool of a server, as Request does.
func CallMCP(ctx context.Context, target MCPTarget, t tool.Tool, v template.Values) (result any, x Exchange, err error) {
	sent, err := json.Marshal(v.Arguments)
	if err != nil {
		return nil, x, err
	}
	x.Request = excerptOf(fmt.Appendf(nil, "tools/call %s\n\n%s\n", t.MCPTool, sent))
	err = tries(ctx, target.Clock, t, &x, func(ctx context.Context) error {
		session, err := target.connect(ctx)
		if err != nil {
			return err
		}
		defer session.Close()
		answer, err := session.CallTool(ctx, &mcp.CallToolParams{Name: t.MCPTool, Arguments: v.Arguments})
		if err != nil {
			err = fmt.Errorf("%s did not carry it out: %w", target.Title, err)
			var said *jsonrpc.Error
			if errors.As(err, &said) {
				return fmt.Errorf("%w: %w", outbound.ErrRefused, err) // it has answered
			}
			return err
		}
		if v.Result, err = contentOf(answer); err != nil {
			return fmt.Errorf("%w: what %s sent cannot be read: %w", outbound.ErrRefused, target.Title, err)
		}
		shown, _ := json.Marshal(v.Result) // it was decoded from JSON
		x.Response = excerptOf(target.withoutSecret(shown))
		if answer.IsError {
			return fmt.Errorf("%w: %s answered with an error: %s", outbound.ErrRefused, target.Title, outbound.Excerpt([]byte(x.Response)))
		}
		result, err = read(t, v, target.Title)
		return err
	})
	return result, x, err
}

// contentOf is what a tool gave back: what is structured, else its text, which may be JSON.
func contentOf(answer *mcp.CallToolResult) (any, error) {
	if answer.StructuredContent != nil {
		raw, err := json.Marshal(answer.StructuredContent)
		if err != nil {
			return nil, err
		}
		return decoded(raw)
	}
	var texts []string
	for _, c := range answer.Content {
		if text, is := c.(*mcp.TextContent); is {
			texts = append(texts, text.Text)
		}
	}
	all := strings.Join(texts, "\n")
	if v, err := decoded([]byte(all)); err == nil {
		return v, nil
	}
	return all, nil
}

func (target MCPTarget) connect(ctx context.Context) (*mcp.ClientSession, error) {
	client := mcp.NewClient(&mcp.Implementation{Name: "urgent-parrot", Version: "1"}, &mcp.ClientOptions{Capabilities: &mcp.ClientCapabilities{}})
	var transport mcp.Transport = &mcp.StreamableClientTransport{
		Endpoint: target.Address, MaxRetries: -1, DisableStandaloneSSE: true, MaxEventSize: systemLimit,
		HTTPClient: &http.Client{Transport: signing{target.Endpoint}, CheckRedirect: target.Client.CheckRedirect, Timeout: target.Client.Timeout},
	}
	if target.Command != nil {
		command := exec.CommandContext(ctx, target.Command[0], target.Command[1:]...)
		command.Env = []string{"PATH=/usr/local/bin:/usr/bin:/bin"} // nothing of the service's own
		transport = &mcp.CommandTransport{Command: command, TerminateDuration: time.Second}
	}
	session, err := client.Connect(ctx, transport, nil)
	if err != nil {
		return nil, fmt.Errorf("%s cannot be reached: %w", target.Title, outbound.Why(err))
	}
	return session, nil
}

// signing adds the secret of an endpoint to each request, and bounds what is read of answers.
type signing struct{ Endpoint }

func (s signing) RoundTrip(r *http.Request) (*http.Response, error) {
	r = r.Clone(r.Context())
	s.sign(r.Header)
	under := s.Client.Transport
	if under == nil {
		under = http.DefaultTransport
	}
	response, err := under.RoundTrip(r)
	if err != nil {
		return nil, err
	}
	response.Body = struct {
		io.Reader
		io.Closer
	}{io.LimitReader(response.Body, modelLimit), response.Body}
	return response, nil
}
