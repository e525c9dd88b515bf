package api

import (
	"errors"
	"strings"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/problem"
	"urgentparrot.example/internal/store"
)

func listTools(q *request) (client.ToolInfoPage, error) {
	page := client.ToolInfoPage{Items: []client.ToolInfo{}}
	stats, err := q.workspace.Store().ToolStats(q.Request.Context())
	if err != nil {
		return page, err
	}
	for _, t := range q.workspace.Tools.All() {
		info := client.ToolInfo{Name: t.Name, Title: t.Title, Does: t.Does, Connection: t.Connection, ReadsOnly: t.Reads(), Approval: t.Approval, Bots: []string{}, Flows: []string{}}
		for _, user := range q.workspace.Documents.Dependents("tool", t.Name) {
			if bot, is := strings.CutPrefix(user, "bot "); is {
				info.Bots = append(info.Bots, bot)
			}
			if flow, is := strings.CutPrefix(user, "flow "); is {
				info.Flows = append(info.Flows, flow)
			}
		}
		if s, called := stats[t.Name]; called {
			info.Calls, info.Failed, info.LastAt, info.LastError = s.Calls, s.Failed, &s.LastAt, s.LastError
		}
		page.Items = append(page.Items, info)
	}
	return page, nil
}

func tryTool(q *request, in client.ToolTrial) (client.TriedTool, error) {
	tried, err := q.workspace.Tools.Try(q.Request.Context(), engine.ToolTrial{Tool: q.Param("name"), Text: in.Text, Arguments: in.Arguments, Contact: in.Contact, Really: in.Really})
	if errors.Is(err, store.ErrNotFound) {
		return client.TriedTool{}, problem.New(problem.NotFound, document.Missing("tool", q.Param("name"), q.workspace.Tools.Names()), "name")
	}
	if err != nil {
		return client.TriedTool{}, err
	}
	return client.TriedTool{Missing: tried.Missing, Held: tried.Held, Call: toolCall(tried.Call, true), Result: tried.Result, Said: tried.Said}, nil
}

// toolCall is a call as it goes over the wire; whole: with what was sent and what came back.
func toolCall(c store.ToolCall, whole bool) client.ToolCall {
	out := client.ToolCall{
		ID: c.ID, Tool: c.Tool, Conversation: c.ConversationID, Caller: c.Caller, State: c.State, Arguments: c.Arguments, Status: c.Status, Error: c.Error,
		Tries: c.Tries, Milliseconds: c.Took.Milliseconds(), At: c.At,
	}
	if whole {
		out.Request, out.Response = c.Request, c.Response
	}
	return out
}

func listToolCalls(q *request) (client.ToolCallPage, error) {
	const most = 200
	list, err := q.workspace.Store().ToolCalls(q.Request.Context(), q.Query("tool"), most)
	page := client.ToolCallPage{Items: make([]client.ToolCall, len(list))}
	for i, c := range list {
		page.Items[i] = toolCall(c, false)
	}
	return page, err
}

func showToolCall(q *request) (client.ToolCall, error) {
	c, err := q.workspace.Store().ToolCall(q.Request.Context(), q.Param("id"))
	return toolCall(c, true), err
}

func listMCPTools(q *request) (client.ToolDraftPage, error) {
	page := client.ToolDraftPage{Items: []client.ToolDraft{}}
	list, err := q.workspace.Tools.OfServer(q.Request.Context(), q.Param("name"))
	for _, d := range list {
		page.Items = append(page.Items, client.ToolDraft(d))
	}
	return page, unreached(err)
}

func listOperations(q *request, in client.OpenAPIDocument) (client.ToolDraftPage, error) {
	page := client.ToolDraftPage{Items: []client.ToolDraft{}}
	list, err := q.workspace.Tools.Operations(q.Request.Context(), in.Connection, in.Path, []byte(in.Document))
	if errors.Is(err, engine.ErrUnknown) {
		return page, problem.New(problem.BadInput, err.Error(), "document")
	}
	for _, d := range list {
		page.Items = append(page.Items, client.ToolDraft(d))
	}
	return page, unreached(err)
}

func listAllowances(q *request) (client.AllowancePage, error) {
	ctx := q.Request.Context()
	page := client.AllowancePage{Items: []client.Allowance{}}
	list, err := q.workspace.Tools.Waiting(ctx, q.Query("conversation"))
	for _, a := range list {
		item := client.Allowance{ID: a.ID, Conversation: a.ConversationID, Tool: a.Tool, Title: q.workspace.Tools.Title(a.Tool), Arguments: a.Arguments, Question: a.Question, AskedAt: a.AskedAt}
		c, memory, err := q.workspace.Store().ConversationWithMemory(ctx, a.ConversationID)
		if err != nil {
			return page, err
		}
		item.Who = q.workspace.Channels.Who(memory[q.nameField()].Value, c.Channel, c.Address)
		page.Items = append(page.Items, item)
	}
	return page, err
}

func allow(q *request) error {
	return decided(q.workspace.Tools.Decide(q.Request.Context(), q.Param("id"), true, q.access.Label, ""))
}

func refuse(q *request, in client.Refusal) error {
	return decided(q.workspace.Tools.Decide(q.Request.Context(), q.Param("id"), false, q.access.Label, in.Why))
}

func decided(err error) error {
	if errors.Is(err, store.ErrDecided) {
		return problem.New(problem.Conflict, "somebody has decided on it already", "")
	}
	return err
}
