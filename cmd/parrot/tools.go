package main

import (
	"fmt"
	"io"
	"maps"
	"os"
	"slices"
	"strings"

	"urgentparrot.example/client"
)

// toolActions are what tools can do beside what all documents can.
var toolActions = []action{
	{"waiting", "parrot tool waiting", (*call).listAllowances},
	{"allow", "parrot tool allow 0b1f2c3d4e5f", (*call).allowCall},
	{"refuse", "parrot tool refuse 0b1f2c3d4e5f 'The boat has left.'", (*call).allowCall},
	{"calls", "parrot tool calls timetable", (*call).listCalls},
	{"call", "parrot tool call 0b1f2c3d4e5f", (*call).showCall},
	{"import", "parrot tool import -from openapi.json -as ledger", (*call).importTools},
	{"try", "parrot tool try timetable -with to='Hallow Point'", (*call).tryTool},
}

// toolFlags are the flags of tool try and tool import.
type toolFlags struct {
	with   texts
	text   *string
	really *bool
	from   *string
	as     *string
}

func (c *call) toolFlags() {
	f := &toolFlags{}
	c.flags.Var(&f.with, "with", "try: a detail, as `NAME=VALUE`; may be given several times")
	f.text = c.flags.String("file", "", "try: a `file` with a draft, in place of the kept tool")
	f.really = c.flags.Bool("really", false, "try: call it although it may change something")
	f.from = c.flags.String("from", "", "import: a `file` with an OpenAPI document, - for standard input, or where it stands below the connection's address")
	f.as = c.flags.String("as", "", "import: write the tool that is called so by the system to a file of its `name`; without it they are listed")
	c.tool = f
}

// tryTool tries a call, and shows what was sent and what came back.
func (c *call) tryTool(cl *client.Client, name string) error {
	trial := client.ToolTrial{Really: *c.tool.really, Arguments: map[string]any{}}
	if *c.tool.text != "" {
		raw, err := os.ReadFile(*c.tool.text)
		if err != nil {
			return err
		}
		trial.Text = string(raw)
	}
	for _, pair := range c.tool.with {
		key, value, ok := strings.Cut(pair, "=")
		if !ok {
			return usage("write -with NAME=VALUE")
		}
		trial.Arguments[key] = valueOf(value)
	}
	tried, err := cl.TryTool(c.ctx, name, trial)
	if err != nil {
		return inFile(err, name, *c.tool.text)
	}
	switch {
	case tried.Missing != "":
		return usage("the tool needs %[1]s: add -with %[1]s=VALUE", tried.Missing)
	case tried.Held:
		return fmt.Errorf("%s may change something in the other system, and was not called; with -really it is", name)
	}
	if err := c.print(tried, func(w io.Writer) {
		printExchange(w, tried.Call)
		fmt.Fprintf(w, "\nThe customer is told\t%s\n", tried.Said)
	}); err != nil {
		return err
	}
	if tried.Call.Error != "" {
		return fmt.Errorf("it failed: %s", tried.Call.Error)
	}
	return nil
}

func printExchange(w io.Writer, call client.ToolCall) {
	if call.Request == "" {
		return // nothing was sent
	}
	fmt.Fprintf(w, "Sent\n%s\n", indented(call.Request))
	if call.Response != "" {
		fmt.Fprintf(w, "Received\n%s\n", indented(call.Response))
	}
	status := ""
	if call.Status > 0 {
		status = fmt.Sprintf("answered %d ", call.Status)
	}
	fmt.Fprintf(w, "%sin %d ms, %s\n", status, call.Milliseconds, plural(call.Tries, "try"))
}

func indented(text string) string {
	return "  " + strings.ReplaceAll(strings.TrimRight(text, "\n"), "\n", "\n  ")
}

// listCalls lists the latest calls of a tool.
func (c *call) listCalls(cl *client.Client, name string) error {
	page, err := cl.ToolCalls(c.ctx, name)
	if err != nil {
		return err
	}
	return c.print(page, func(w io.Writer) {
		if len(page.Items) == 0 {
			fmt.Fprintln(w, "It was not called yet.")
			return
		}
		fmt.Fprintln(w, "ID\tWHEN\tBY\tMS\tOUTCOME\tWITH")
		for _, call := range page.Items {
			outcome := call.State
			if call.Error != "" {
				outcome = shorten(call.Error, 50)
			}
			fmt.Fprintf(w, "%s\t%s\t%s\t%d\t%s\t%s\n", call.ID[24:], ago(call.At), call.Caller, call.Milliseconds, outcome, details(call.Arguments))
		}
	})
}

func details(arguments map[string]any) string {
	var list []string
	for _, name := range slices.Sorted(maps.Keys(arguments)) {
		list = append(list, fmt.Sprintf("%s: %v", name, arguments[name]))
	}
	return strings.Join(list, ", ")
}

// showCall shows one call whole.
func (c *call) showCall(cl *client.Client, id string) error {
	page, err := cl.ToolCalls(c.ctx, "")
	if err != nil {
		return err
	}
	for _, known := range page.Items { // the end of an id, as calls shows it
		if len(id) >= 4 && strings.HasSuffix(known.ID, id) {
			id = known.ID
		}
	}
	call, err := cl.ToolCall(c.ctx, id)
	if err != nil {
		return err
	}
	return c.print(call, func(w io.Writer) {
		fmt.Fprintf(w, "%s, by a %s %s: %s\n", call.Tool, call.Caller, ago(call.At), call.State)
		printExchange(w, call)
		if call.Error != "" {
			fmt.Fprintf(w, "Error\t%s\n", call.Error)
		}
	})
}

// listAllowances lists the calls that wait for a person.
func (c *call) listAllowances(cl *client.Client, _ string) error {
	page, err := cl.Allowances(c.ctx, "")
	if err != nil {
		return err
	}
	return c.print(page, func(w io.Writer) {
		if len(page.Items) == 0 {
			fmt.Fprintln(w, "No call waits for a person.")
			return
		}
		fmt.Fprintln(w, "ID\tASKED\tWHO\tTOOL\tWITH\tQUESTION")
		for _, a := range page.Items {
			fmt.Fprintf(w, "%s\t%s\t%s\t%s\t%s\t%s\n", a.ID[24:], ago(a.AskedAt), shorten(a.Who, 20), a.Tool, details(a.Arguments), shorten(a.Question, 50))
		}
	})
}

// allowCall says yes or no to a call that waits.
func (c *call) allowCall(cl *client.Client, id string) error {
	page, err := cl.Allowances(c.ctx, "")
	if err != nil {
		return err
	}
	for _, a := range page.Items {
		if len(id) >= 4 && strings.HasSuffix(a.ID, id) {
			id = a.ID
		}
	}
	if c.args[0] == "allow" {
		if err := cl.Allow(c.ctx, id); err != nil {
			return err
		}
		return c.print(map[string]string{"allowed": id}, func(w io.Writer) { fmt.Fprintln(w, "Allowed: it is called, and the customer hears what became of it.") })
	}
	why := ""
	if len(c.args) > 2 {
		why = c.args[2]
	}
	if err := cl.Refuse(c.ctx, id, why); err != nil {
		return err
	}
	return c.print(map[string]string{"refused": id}, func(w io.Writer) { fmt.Fprintln(w, "Not allowed: the customer is told.") })
}

// importTools lists what a system can do, or writes one of it to a file. The target is the
// connection: to an MCP server, or to the system that an OpenAPI document describes.
func (c *call) importTools(cl *client.Client, connection string) error {
	var page client.ToolDraftPage
	var err error
	switch from := *c.tool.from; {
	case from == "":
		page, err = cl.MCPTools(c.ctx, connection)
	case strings.HasPrefix(from, "/"):
		if _, there := os.Stat(from); there != nil {
			page, err = cl.Operations(c.ctx, client.OpenAPIDocument{Connection: connection, Path: from})
			break
		}
		fallthrough
	default:
		var raw []byte
		if from == "-" {
			raw, err = io.ReadAll(io.LimitReader(c.in, 4<<20))
		} else {
			raw, err = os.ReadFile(from)
		}
		if err == nil {
			page, err = cl.Operations(c.ctx, client.OpenAPIDocument{Connection: connection, Document: string(raw)})
		}
	}
	if err != nil {
		return err
	}
	for _, t := range page.Items {
		if *c.tool.as != "" && (t.Theirs == *c.tool.as || t.Name == *c.tool.as) {
			file := t.Name + ".yaml"
			if err := os.WriteFile(file, []byte(t.Text), 0o644); err != nil {
				return err
			}
			return c.print(t, func(w io.Writer) {
				fmt.Fprintf(w, "Written to %[1]s. Make its words your own, try it with parrot tool try %[2]s -file %[1]s, then parrot tool push %[1]s.\n", file, t.Name)
			})
		}
	}
	if *c.tool.as != "" {
		return usage("%s can do nothing that is called %q; without -as all is listed", connection, *c.tool.as)
	}
	return c.print(page, func(w io.Writer) {
		fmt.Fprintln(w, "IT CAN\tAS TOOL\tCHANGES SOMETHING\tTITLE")
		for _, t := range page.Items {
			changes := "yes"
			if t.ReadsOnly {
				changes = "no"
			}
			fmt.Fprintf(w, "%s\t%s\t%s\t%s\n", t.Theirs, t.Name, changes, shorten(t.Title, 50))
		}
	})
}
