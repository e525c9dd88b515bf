// Package tool holds the tools of a workspace: what a bot may do to answer beside quoting the
// knowledge, where the details that it needs come from, and what is said of its result.
package tool

import (
	"fmt"
	"maps"
	"slices"
	"time"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/schema"
	"urgentparrot.example/internal/core/template"
	"urgentparrot.example/internal/core/workspace"
)

// A Tool is something that a bot may have done to answer.
type Tool struct {
	Name        string             `yaml:"tool"`
	Title       string             `yaml:"title"`
	Description string             `yaml:"description"`
	When        []string           `yaml:"when"`       // questions that it answers
	Arguments   map[string]any     `yaml:"arguments"`  // a JSON Schema of type object
	ComesFrom   map[string]Origin  `yaml:"comes_from"` // where each argument comes from
	Approval    bool               `yaml:"approval"`   // a person allows each call
	Does        string             `yaml:"does"`       // the name of its way
	ReadsOnly   bool               `yaml:"reads_only"` // a call changes nothing, although its way might
	Connection  string             `yaml:"connection"` // that is called, where its way calls one
	Request     `yaml:",inline"`   // of the way request
	MCPTool     string             `yaml:"mcp_tool"` // of the way mcp: the name that the server gives it
	Rows        `yaml:",inline"`   // of the ways find row and add row
	Details     map[string]string  `yaml:"details"` // of the way update contact: texts with values, by field
	Lookup      `yaml:",inline"`   // of the way search knowledge
	Success     string             `yaml:"success"` // a condition on result and status; else what came back counts as a failure
	Pick        string             `yaml:"pick"`    // an expression that gives the part of the result that is wanted
	Result      map[string]any     `yaml:"result"`  // a JSON Schema of what was picked
	Timeout     workspace.Duration `yaml:"timeout"` // of one try
	Tries       int                `yaml:"tries"`
	Say         []Wording          `yaml:"say"`   // the first whose condition holds
	Sorry       string             `yaml:"sorry"` // when it cannot be reached

	way               *Way
	arguments, result *schema.Schema
	success, pick     *template.Expression
	details           map[string]template.Template
}

// A Wording is a text with values, under a condition.
type Wording struct {
	If   string `yaml:"if"`
	Text string `yaml:"text"`

	condition *template.Expression
	text      template.Template
}

// Named is document.Document's.
func (t Tool) Named() string { return t.Name }

// Refers is document.Document's.
func (t Tool) Refers() (refers []document.Reference) {
	for _, name := range slices.Sorted(maps.Keys(t.ComesFrom)) {
		if field := t.ComesFrom[name].Memory; field != "" {
			refers = append(refers, workspace.FieldKnown("$.comes_from."+name+".memory", field))
		}
	}
	if t.way != nil && t.way.refers != nil {
		refers = append(refers, t.way.refers(t)...)
	}
	return refers
}

// Reads reports whether a call changes nothing, so that it can be tried freely.
func (t Tool) Reads() bool { return t.ReadsOnly || t.way != nil && t.way.reads(t) }

// Repeatable reports whether a call may be made again without harm, where it is not known
// whether the one before it arrived.
func (t Tool) Repeatable() bool { return t.Reads() || t.way != nil && t.way.repeatable(t) }

// PauseBefore is how long to wait before a try, counted from 0.
func (t Tool) PauseBefore(try int) time.Duration {
	if try == 0 {
		return 0
	}
	return 100 * time.Millisecond << try
}

// Time is how long all tries of a call may take.
func (t Tool) Time() time.Duration {
	all := time.Duration(t.Tries) * time.Duration(t.Timeout)
	for try := range t.Tries {
		all += t.PauseBefore(try)
	}
	return all
}

// Fill returns the first wording of the tool whose condition holds, filled.
func (t Tool) Fill(v template.Values) (string, error) {
	for _, w := range t.Say {
		if w.condition != nil {
			holds, err := w.condition.Holds(v)
			if err != nil {
				return "", err
			}
			if !holds {
				continue
			}
		}
		return w.text.Fill(v)
	}
	return "", fmt.Errorf("no wording of tool %s fits its result", t.Name)
}

// Read takes what came back for what the tool is for: it holds the condition of success
// against it, picks the part that is wanted, and holds that against the schema.
func (t Tool) Read(v template.Values) (any, error) {
	if t.success != nil {
		if holds, err := t.success.Holds(v); err != nil {
			return nil, fmt.Errorf("whether it succeeded cannot be told: %w", err)
		} else if !holds {
			return nil, fmt.Errorf("it did not succeed: %s does not hold", t.Success)
		}
	}
	result := v.Result
	if t.pick != nil {
		var err error
		if result, err = t.pick.JSON(v); err != nil {
			return nil, fmt.Errorf("what is picked is not there: %w", err)
		}
	}
	if err := t.CheckResult(result); err != nil {
		return nil, fmt.Errorf("what came back does not fit the tool's schema: %w", err)
	}
	return result, nil
}

// Parse reads a tool. The error is document.Problems.
func Parse(file string, source []byte) (Tool, error) {
	t := Tool{Does: byRequest, Request: Request{Method: "GET"}, Tries: 3, Timeout: workspace.Duration(3 * time.Second)}
	c := document.Decode(file, source, &t)
	if c.Failed() {
		return t, c.Err()
	}
	c.Name("$.tool", t.Name)
	if t.Title == "" {
		t.Title = t.Name
	}
	if t.Tries < 1 || t.Tries > 5 {
		c.Wrong("$.tries", "a tool is tried from 1 to 5 times")
	}
	if t.Timeout < workspace.Duration(50*time.Millisecond) || t.Timeout > workspace.Duration(30*time.Second) {
		c.Wrong("$.timeout", "a try may take from 50ms to 30s")
	}
	if len(t.When) == 0 {
		c.Wrong("$.when", "give at least one question that this tool answers")
	}
	if t.Sorry == "" {
		c.Wrong("$.sorry", "say what the customer is told when the tool cannot be reached")
	}
	t.checkArguments(c)
	if t.way = wayNamed(t.Does); t.way == nil {
		c.Wrong("$.does", "%q is not known here; it is %s", t.Does, wayNames())
	} else {
		t.checkWay(c)
	}
	t.checkResult(c)
	return t, c.Err()
}

func (t *Tool) checkResult(c *document.Checker) {
	var err error
	if t.result, err = compiled(t.Result); err != nil {
		c.Wrong("$.result", "this is not a JSON Schema: %v", err)
	}
	t.success = compile(c, "$.success", t.Success)
	t.pick = compile(c, "$.pick", t.Pick)
	if len(t.Say) == 0 {
		c.Wrong("$.say", "give at least one wording for the result")
	}
	for i := range t.Say {
		w := &t.Say[i]
		w.condition = compile(c, fmt.Sprintf("$.say[%d].if", i), w.If)
		w.text = parse(c, fmt.Sprintf("$.say[%d].text", i), w.Text)
	}
}

// compile compiles an expression, if there is one.
func compile(c *document.Checker, path, source string) *template.Expression {
	if source == "" {
		return nil
	}
	e, err := template.Compile(source)
	if err != nil {
		c.Wrong(path, "%v", err)
	}
	return e
}

func parse(c *document.Checker, path, source string) template.Template {
	t, err := template.Parse(source)
	if err != nil {
		c.Wrong(path, "%v", err)
	}
	return t
}

func parseAll(c *document.Checker, path string, sources map[string]string) map[string]template.Template {
	texts := map[string]template.Template{}
	for _, key := range slices.Sorted(maps.Keys(sources)) {
		texts[key] = parse(c, path, sources[key])
	}
	return texts
}

// fillAll fills texts by key.
func fillAll(texts map[string]template.Template, v template.Values) (map[string]string, error) {
	filled := map[string]string{}
	for key, text := range texts {
		said, err := text.Fill(v)
		if err != nil {
			return nil, err
		}
		filled[key] = said
	}
	return filled, nil
}
