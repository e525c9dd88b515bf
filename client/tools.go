package client

import (
	"context"
	"net/http"
	"net/url"
)

// Tools lists tools and how they stand.
func (c *Client) Tools(ctx context.Context) (page ToolInfoPage, err error) {
	return page, c.get(ctx, "/tools", &page)
}

// TryTool tries a call of a tool.
func (c *Client) TryTool(ctx context.Context, name string, trial ToolTrial) (tried TriedTool, err error) {
	return tried, c.send(ctx, http.MethodPost, "/tools/"+url.PathEscape(name)+"/try", nil, trial, &tried)
}

// ToolCalls returns the latest calls of a tool, "" for all.
func (c *Client) ToolCalls(ctx context.Context, tool string) (page ToolCallPage, err error) {
	return page, c.get(ctx, "/tool-calls?tool="+url.QueryEscape(tool), &page)
}

// ToolCall returns one call, with what was sent and what came back.
func (c *Client) ToolCall(ctx context.Context, id string) (call ToolCall, err error) {
	return call, c.get(ctx, "/tool-calls/"+url.PathEscape(id), &call)
}

// MCPTools lists what the MCP server of a connection can do.
func (c *Client) MCPTools(ctx context.Context, connection string) (page ToolDraftPage, err error) {
	return page, c.get(ctx, "/connections/"+url.PathEscape(connection)+"/tools", &page)
}

// Operations lists what an OpenAPI document says that a system can do.
func (c *Client) Operations(ctx context.Context, document OpenAPIDocument) (page ToolDraftPage, err error) {
	return page, c.send(ctx, http.MethodPost, "/openapi", nil, document, &page)
}

// Allowances lists the calls that wait for a person, of a conversation or of all ("").
func (c *Client) Allowances(ctx context.Context, conversation string) (page AllowancePage, err error) {
	return page, c.get(ctx, "/allowances?conversation="+url.QueryEscape(conversation), &page)
}

// Allow lets a call that waits be made.
func (c *Client) Allow(ctx context.Context, id string) error {
	return c.send(ctx, http.MethodPost, "/allowances/"+url.PathEscape(id)+"/allow", nil, nil, nil)
}

// Refuse keeps a call that waits from being made.
func (c *Client) Refuse(ctx context.Context, id, why string) error {
	return c.send(ctx, http.MethodPost, "/allowances/"+url.PathEscape(id)+"/refuse", nil, Refusal{why}, nil)
}
