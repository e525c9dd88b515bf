package engine

import (
	"context"
	"fmt"

	"urgentparrot.example/internal/connect"
	"urgentparrot.example/internal/core/workspace"
)

// reaches are the ways to find out whether a system is there and lets the service in, by the kind
// of its connection. Each returns what it found there, and changes nothing.
var reaches = map[workspace.ConnectionKind]func(context.Context, *Workspace, workspace.Connection) ([]string, error){
	workspace.Model: func(ctx context.Context, w *Workspace, conn workspace.Connection) ([]string, error) {
		endpoint, err := w.Documents.endpointOf(ctx, conn, w.client)
		if err != nil {
			return nil, err
		}
		return endpoint.Models(ctx)
	},
	workspace.MCPServer: func(ctx context.Context, w *Workspace, conn workspace.Connection) (found []string, err error) {
		target, err := w.mcpTargetOf(ctx, conn)
		if err != nil {
			return nil, err
		}
		tools, err := connect.MCPTools(ctx, target)
		for _, t := range tools {
			found = append(found, t.Name)
		}
		return found, err
	},
	workspace.HTTPSystem: func(ctx context.Context, w *Workspace, conn workspace.Connection) ([]string, error) {
		endpoint, err := w.Documents.endpointOf(ctx, conn, w.client)
		if err != nil {
			return nil, err
		}
		return nil, endpoint.Answers(ctx)
	},
	workspace.MailServer: func(ctx context.Context, w *Workspace, conn workspace.Connection) ([]string, error) {
		server, err := w.mailServer(ctx, conn)
		if err != nil {
			return nil, err
		}
		client, err := server.Connect(ctx)
		if err != nil {
			return nil, err
		}
		return nil, client.Close()
	},
}

// reach tries one of them.
func (w *Workspace) reach(ctx context.Context, conn workspace.Connection) ([]string, error) {
	try := reaches[conn.Kind]
	if try == nil {
		return nil, fmt.Errorf("%wa connection of this kind is tried with what uses it", ErrUnknown)
	}
	return try(ctx, w, conn)
}
