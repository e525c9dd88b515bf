package tool

import (
	"fmt"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/template"
	"urgentparrot.example/internal/core/workspace"
)

// A Way is how tools are carried out. The engine has what carries each out, under its name.
type Way struct {
	Name       string
	reads      func(t Tool) bool // a call changes nothing
	repeatable func(t Tool) bool // a call may be made twice
	keys       []string          // that only this way has
	check      func(t *Tool, c *document.Checker)
	refers     func(t Tool) []document.Reference
}

// The names of the ways.
const (
	byRequest       = "request"
	byMCP           = "mcp"
	byFindingRow    = "find row"
	byAddingRow     = "add row"
	byReadingPerson = "read contact"
	byWritingPerson = "update contact"
	bySearching     = "search knowledge"
)

func always(Tool) bool { return true }
func never(Tool) bool  { return false }

// Ways are the ways in which tools are carried out.
var Ways = []Way{
	{
		Name: byRequest, keys: []string{"method", "path", "query", "headers", "body", "repeatable"},
		reads: func(t Tool) bool { return t.Method == "GET" || t.Method == "HEAD" },
		// By RFC 9110, section 9.2.2.
		repeatable: func(t Tool) bool { return t.Method == "PUT" || t.Method == "DELETE" || t.Request.Repeatable },
		check:      (*Tool).checkRequest,
		refers: func(t Tool) []document.Reference {
			return []document.Reference{workspace.ToConnection("$.connection", t.Connection, workspace.HTTPSystem)}
		},
	},
	{
		Name: byMCP, keys: []string{"mcp_tool"}, reads: never, repeatable: never,
		check: func(t *Tool, c *document.Checker) {
			c.Name("$.connection", t.Connection)
			if t.MCPTool == "" {
				c.Wrong("$.mcp_tool", "say which of the server's tools it is; parrot connection tools %s lists them", t.Connection)
			}
		},
		refers: func(t Tool) []document.Reference {
			return []document.Reference{workspace.ToConnection("$.connection", t.Connection, workspace.MCPServer)}
		},
	},
	{
		Name: byFindingRow, keys: []string{"where"}, reads: always, repeatable: always,
		check: func(t *Tool, c *document.Checker) {
			if len(t.Where) == 0 {
				c.Wrong("$.where", "say which columns a row is found by, and what stands in them")
			}
			t.checkRows(c)
		},
		refers: rowRefers,
	},
	{
		Name: byAddingRow, keys: []string{"row"}, reads: never, repeatable: always, // under the key of the call
		check: func(t *Tool, c *document.Checker) {
			if len(t.Row) == 0 {
				c.Wrong("$.row", "say what stands in the row, by column")
			}
			t.checkRows(c)
		},
		refers: rowRefers,
	},
	{Name: byReadingPerson, reads: always, repeatable: always, check: func(*Tool, *document.Checker) {}},
	{
		Name: byWritingPerson, keys: []string{"details"}, reads: never, repeatable: always,
		check: func(t *Tool, c *document.Checker) {
			if len(t.Details) == 0 {
				c.Wrong("$.details", "say what becomes known of the contact, by field")
			}
			t.details = parseAll(c, "$.details", t.Details)
		},
		refers: func(t Tool) (refers []document.Reference) {
			for field := range t.Details {
				refers = append(refers, workspace.FieldKnown("$.details", field))
			}
			return refers
		},
	},
	{
		Name: bySearching, keys: []string{"question"}, reads: always, repeatable: always,
		check: func(t *Tool, c *document.Checker) {
			if t.Question == "" {
				c.Wrong("$.question", "say what is looked for, such as {{ arguments.subject }}")
			}
			t.Lookup.question = parse(c, "$.question", t.Question)
		},
	},
}

func wayNamed(name string) *Way {
	at := slices.IndexFunc(Ways, func(w Way) bool { return w.Name == name })
	if at < 0 {
		return nil
	}
	return &Ways[at]
}

func wayNames() string {
	var names []string
	for _, w := range Ways {
		names = append(names, w.Name)
	}
	return strings.Join(names[:len(names)-1], ", ") + " or " + names[len(names)-1]
}

// checkWay checks what the tool's way needs, and that nothing of another way stands there.
func (t *Tool) checkWay(c *document.Checker) {
	given := map[string]bool{
		"path": t.Path != "", "query": t.Query != nil, "headers": t.Headers != nil, "body": t.Body != nil,
		"mcp_tool": t.MCPTool != "", "where": t.Where != nil, "row": t.Row != nil, "details": t.Details != nil, "question": t.Question != "",
	}
	for _, other := range Ways {
		for _, key := range other.keys {
			if given[key] && !slices.Contains(t.way.keys, key) {
				c.Wrong("$."+key, "this belongs to a tool that does %q; this one does %q", other.Name, t.Does)
			}
		}
	}
	t.way.check(t, c)
}

// Rows are what a tool finds or adds in a sheet.
type Rows struct {
	Sheet string            `yaml:"sheet"`
	Where map[string]string `yaml:"where"` // what stands in the columns of the rows that are found: texts with values
	Row   map[string]string `yaml:"row"`   // what stands in the row that is added

	where, row map[string]template.Template
}

func (t *Tool) checkRows(c *document.Checker) {
	c.Name("$.sheet", t.Sheet)
	t.where, t.row = parseAll(c, "$.where", t.Where), parseAll(c, "$.row", t.Row)
}

func rowRefers(t Tool) []document.Reference {
	var columns []string
	for _, cells := range []map[string]string{t.Where, t.Row} {
		for column := range cells {
			columns = append(columns, column)
		}
	}
	slices.Sort(columns)
	return []document.Reference{workspace.ToSheet("$.sheet", t.Sheet, columns)}
}

// Finds returns what stands in the columns of the rows that a call looks for.
func (t Tool) Finds(v template.Values) (map[string]string, error) { return fillAll(t.where, v) }

// Adds returns the row that a call adds.
func (t Tool) Adds(v template.Values) (map[string]string, error) { return fillAll(t.row, v) }

// Learns returns what a call makes known of the contact, by field.
func (t Tool) Learns(v template.Values) (map[string]string, error) { return fillAll(t.details, v) }

// Lookup is what a tool looks for in the knowledge.
type Lookup struct {
	Sources  []string `yaml:"sources"`  // none: all
	Question string   `yaml:"question"` // a text with values

	question template.Template
}

// Asks returns the question that a call puts to the knowledge.
func (t Tool) Asks(v template.Values) (string, error) {
	said, err := t.Lookup.question.Fill(v)
	if err == nil && strings.TrimSpace(said) == "" {
		err = fmt.Errorf("there is nothing to look for")
	}
	return said, err
}
