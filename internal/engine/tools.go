package engine

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"urgentparrot.example/internal/connect"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/template"
	"urgentparrot.example/internal/core/tool"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/store"
)

// Tools are what bots and flows may have done. It is safe for concurrent use.
type Tools struct{ w *Workspace }

// A caller is whom a call is made for.
type caller struct {
	id           string // of the effect; "" of a trial
	by           string // bot, flow, trial
	conversation string // "" for none
	contact      string // "" for none
	channel      string // its title
	memory       contact.Memory
}

// call calls a tool that was granted, and returns the result, with what is to be kept of the
// call, which is also there where it failed.
func (ts *Tools) call(ctx context.Context, call dialogue.Call, by caller) (any, *store.ToolCall, error) {
	t, ok := ts.w.config.Load().tools[call.Tool]
	if !ok {
		return nil, nil, fmt.Errorf("there is no tool called %s", call.Tool)
	}
	if by.conversation != "" {
		c, memory, err := ts.w.store.ConversationWithMemory(ctx, by.conversation)
		if err != nil {
			return nil, nil, err
		}
		by.contact, by.memory = c.ContactID, memory
		if ch := ts.w.Channels.named(c.Channel); ch != nil {
			by.channel = ch.Title
		}
	}
	if by.id == "" {
		by.id = store.NewID()
	}
	kept := &store.ToolCall{ID: by.id, Tool: t.Name, ConversationID: by.conversation, Caller: by.by, State: "begun", Arguments: call.Arguments, At: ts.w.Clock.Now()}
	if !t.Repeatable() {
		if err := ts.begin(ctx, *kept); err != nil {
			return nil, nil, err
		}
	}
	result, x, err := ts.carryOut(ctx, t.Tool, call, by)
	ts.note(kept, x, by.memory, err)
	return result, kept, err
}

// errMaybeCalled is the end of a call that may have been made before the service broke off.
var errMaybeCalled = errors.New("the service broke off while it was called, and it must not be called twice: look at the other system whether it was done")

// begin notes a call that may not be repeated before it is made, so that it is not made again
// after a crash.
func (ts *Tools) begin(ctx context.Context, c store.ToolCall) error {
	if _, err := ts.w.store.ToolCall(ctx, c.ID); err == nil {
		return errMaybeCalled
	} else if !errors.Is(err, store.ErrNotFound) {
		return err
	}
	return ts.w.write(ctx, func(tx *store.Tx) error { return tx.PutToolCall(c) })
}

// note notes what came of a call. Sensitive details of the contact are blanked.
func (ts *Tools) note(c *store.ToolCall, x connect.Exchange, memory contact.Memory, err error) {
	c.State, c.Request, c.Status, c.Response, c.Took, c.Tries = "done", x.Request, x.Status, x.Response, x.Took, x.Tries
	if err != nil {
		c.State, c.Error = "failed", strings.TrimPrefix(err.Error(), outbound.ErrRefused.Error()+": ")
	}
	masked := map[string]any{}
	for name, value := range c.Arguments {
		masked[name] = value
	}
	for _, f := range ts.w.Documents.Settings().Fields {
		value := memory[f.Name].Value
		if !f.Sensitive || value == "" {
			continue
		}
		c.Request, c.Response, c.Error = strings.ReplaceAll(c.Request, value, "***"), strings.ReplaceAll(c.Response, value, "***"), strings.ReplaceAll(c.Error, value, "***")
		for name, given := range masked {
			if given == any(value) {
				masked[name] = "***"
			}
		}
	}
	c.Arguments = masked
}

// carryOut carries a call out in the way of its tool.
func (ts *Tools) carryOut(ctx context.Context, t tool.Tool, call dialogue.Call, by caller) (any, connect.Exchange, error) {
	carry, ok := carriers[t.Does]
	if !ok {
		return nil, connect.Exchange{}, fmt.Errorf("this version cannot carry out tools that do %q", t.Does)
	}
	if err := t.CheckArguments(call.Arguments); err != nil {
		return nil, connect.Exchange{}, fmt.Errorf("%w: the arguments do not fit: %w", outbound.ErrRefused, err)
	}
	settings := ts.w.Documents.Settings()
	v := template.Values{
		Contact: settings.Fields.Values(by.memory), Workspace: settings.Title, Channel: by.channel,
		Arguments: call.Arguments, Question: call.Question, Now: ts.w.Clock.Now().In(settings.Zone()),
	}
	return carry(ctx, ts.w, t, v, by)
}

// A ToolTrial is a call that a person tries.
type ToolTrial struct {
	Tool      string
	Text      string // of a draft that is tried in place of the kept tool; "" for that
	Arguments map[string]any
	Contact   string // whose details are used; "" for nobody's
	Really    bool   // it is carried out although it may change something
}

// A TriedTool is what a trial came to.
type TriedTool struct {
	Call    store.ToolCall
	Missing string // the argument that was not given; "" for none
	Result  any
	Said    string // what a customer would be told
	Held    bool   // it was not carried out, as it may change something
}

// Try carries out a call that a person tries. What is wrong with a draft is
// document.Problems; a tool that is not there store.ErrNotFound.
func (ts *Tools) Try(ctx context.Context, trial ToolTrial) (TriedTool, error) {
	w := ts.w
	kept, ok := w.config.Load().tools[trial.Tool]
	t := kept.Tool
	if trial.Text != "" {
		if err := w.Documents.Check("tool", trial.Tool, trial.Text); err != nil {
			return TriedTool{}, err
		}
		var err error
		if t, err = tool.Parse(trial.Tool, []byte(trial.Text)); err != nil {
			return TriedTool{}, err
		}
	} else if !ok {
		return TriedTool{}, store.ErrNotFound
	}
	by := caller{id: store.NewID(), by: "trial", channel: "trial", contact: trial.Contact}
	if trial.Contact != "" {
		c, err := w.store.Contact(ctx, trial.Contact)
		if err != nil {
			return TriedTool{}, err
		}
		for _, f := range c.Facts {
			by.memory = by.memory.With(f.Fact)
		}
	}
	arguments, missing := t.Settle(trial.Arguments, by.memory)
	tried := TriedTool{Call: store.ToolCall{ID: by.id, Tool: t.Name, Caller: by.by, State: "begun", Arguments: arguments, At: w.Clock.Now()}}
	if missing != nil {
		tried.Missing = missing.Name
		return tried, nil
	}
	if !t.Reads() && !trial.Really {
		tried.Held = true
		return tried, nil
	}
	result, x, err := ts.carryOut(ctx, t, dialogue.Call{Tool: t.Name, Arguments: arguments, Question: "a trial"}, by)
	ts.note(&tried.Call, x, by.memory, err)
	if err != nil {
		tried.Said = t.Sorry
	} else {
		tried.Result = result
		settings := w.Documents.Settings()
		tried.Said, err = t.Fill(template.Values{
			Contact: settings.Fields.Values(by.memory), Workspace: settings.Title, Channel: by.channel, Arguments: arguments, Result: result, Now: w.Clock.Now().In(settings.Zone()),
		})
		if err != nil {
			tried.Call.Error = "it has no words for the result: " + err.Error()
			tried.Said = t.Sorry
		}
	}
	return tried, w.write(ctx, func(tx *store.Tx) error { return tx.PutToolCall(tried.Call) })
}

// All returns the tools, by name.
func (ts *Tools) All() []tool.Tool { return all[tool.Tool](ts.w.config.Load()) }

// Names returns the names of the tools.
func (ts *Tools) Names() (names []string) {
	for _, t := range ts.All() {
		names = append(names, t.Name)
	}
	return names
}

// Title is what people call a tool; its name, if there is none any more.
func (ts *Tools) Title(name string) string {
	if t, ok := find[tool.Tool](ts.w.config.Load(), name); ok {
		return t.Title
	}
	return name
}

// An Offered tool is something that an outside system can do, with the document of a tool
// that does it.
type Offered struct {
	Name        string // free
	Theirs      string // what the system calls it
	Title       string
	Description string
	ReadsOnly   bool
	Text        string
}

// offered makes documents of what a system can do.
func (ts *Tools) offered(list []tool.Draft) (out []Offered) {
	taken := map[string]bool{}
	for _, name := range ts.Names() {
		taken[name] = true
	}
	for _, d := range list {
		o := Offered{Theirs: d.Name, Title: d.Title, Description: d.Description, ReadsOnly: d.ReadsOnly}
		if d.MCPTool == "" {
			o.Theirs = d.Method + " " + d.Path
		}
		base := tool.NameOf(d.Name)
		d.Name = base
		for n := 2; taken[d.Name]; n++ {
			d.Name = fmt.Sprintf("%s-%d", base, n)
		}
		taken[d.Name] = true
		o.Name, o.Text = d.Name, d.Text()
		out = append(out, o)
	}
	return out
}

// listTime is how long a system may take to say what it can do.
const listTime = 15 * time.Second

// OfServer returns what the MCP server of a connection can do. One that cannot be reached is
// Unreached.
func (ts *Tools) OfServer(ctx context.Context, connection string) ([]Offered, error) {
	target, err := ts.w.mcpTarget(ctx, connection)
	if errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	if err != nil {
		return nil, &Unreached{err}
	}
	ctx, cancel := context.WithTimeout(ctx, listTime)
	defer cancel()
	found, err := connect.MCPTools(ctx, target)
	if err != nil {
		return nil, &Unreached{err}
	}
	var list []tool.Draft
	for _, t := range found {
		list = append(list, tool.Draft{Name: t.Name, Title: t.Title, Description: t.Description, Connection: connection, MCPTool: t.Name, Arguments: t.Arguments, Result: t.Result, ReadsOnly: t.ReadsOnly})
	}
	return ts.offered(list), nil
}

// Operations returns what an OpenAPI document says that the system of a connection can do.
// Without a document it is read from a path below the connection's address. What is wrong
// with the document is ErrUnknown; a system that cannot be reached is Unreached.
func (ts *Tools) Operations(ctx context.Context, connection, path string, document []byte) ([]Offered, error) {
	conn, ok := find[workspace.Connection](ts.w.config.Load(), connection)
	if !ok || conn.Kind != workspace.HTTPSystem {
		return nil, fmt.Errorf("%wthere is no connection to an HTTP system called %q; make it first, then pick what it can do", ErrUnknown, connection)
	}
	ctx, cancel := context.WithTimeout(ctx, listTime)
	defer cancel()
	if len(document) == 0 {
		endpoint, err := ts.w.Documents.endpoint(ctx, connection)
		if err == nil {
			document, err = endpoint.Get(ctx, path)
		}
		if err != nil {
			return nil, &Unreached{err}
		}
	}
	list, _, err := connect.Operations(ctx, document)
	if err != nil {
		return nil, fmt.Errorf("%w%w", ErrUnknown, err)
	}
	for i := range list {
		list[i].Connection = connection
	}
	return ts.offered(list), nil
}

// mcpTarget returns the MCP server of a connection, ready to be called. One that is not
// there is store.ErrNotFound.
func (w *Workspace) mcpTarget(ctx context.Context, name string) (connect.MCPTarget, error) {
	conn, ok := find[workspace.Connection](w.config.Load(), name)
	if !ok {
		return connect.MCPTarget{}, store.ErrNotFound
	}
	if conn.Kind != workspace.MCPServer {
		return connect.MCPTarget{}, fmt.Errorf("the connection %s is no MCP server", name)
	}
	return w.mcpTargetOf(ctx, conn)
}

func (w *Workspace) mcpTargetOf(ctx context.Context, conn workspace.Connection) (connect.MCPTarget, error) {
	endpoint, err := w.Documents.endpointOf(ctx, conn, w.client)
	target := connect.MCPTarget{Endpoint: endpoint}
	if program, is := conn.Program(); is && err == nil {
		if target.Command = w.options.Programs[program]; target.Command == nil {
			err = fmt.Errorf("no program called %s may be started here; whoever runs the service can allow it with -mcp %s=COMMAND", program, program)
		}
	}
	return target, err
}

// Waiting returns the calls that wait for a person, the oldest first: of a conversation, or
// all for "".
func (ts *Tools) Waiting(ctx context.Context, conversation string) ([]store.Allowance, error) {
	return ts.w.store.OpenAllowances(ctx, conversation)
}

// Decide says yes or no to a call that waits, for a reason that the customer is told ("" for
// none). See store.Tx.DecideAllowance for the errors.
func (ts *Tools) Decide(ctx context.Context, id string, yes bool, person, why string) error {
	var decided store.Allowance
	err := ts.w.write(ctx, func(tx *store.Tx) (err error) {
		happened := person + " did not allow it"
		if yes {
			happened = person + " allowed it"
		}
		if why != "" {
			happened += ": " + why
		}
		decided, err = tx.DecideAllowance(id, yes, person, why, happened, ts.w.Clock.Now())
		return err
	})
	if err == nil {
		ts.w.turns.signal(decided.ConversationID)
	}
	return err
}
