package workspace

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/template"
)

// A Tool is a call to an outside system that a bot may make to answer.
type Tool struct {
	Name        string          `yaml:"tool"`
	Title       string          `yaml:"title"`
	Description string          `yaml:"description"`
	Connection  string          `yaml:"connection"`
	Method      string          `yaml:"method"` // GET, or POST with a JSON body
	Path        string          `yaml:"path"`
	Timeout     Duration        `yaml:"timeout"` // of one try
	Tries       int             `yaml:"tries"`
	When        []string        `yaml:"when"`      // questions that it answers
	Arguments   map[string]any  `yaml:"arguments"` // a JSON Schema of type object
	Hear        map[string]Hear `yaml:"hear"`      // how arguments are taken out of what is said
	Result      map[string]any  `yaml:"result"`    // a JSON Schema of what comes back
	Say         []Wording       `yaml:"say"`       // the first whose condition holds
	Sorry       string          `yaml:"sorry"`     // when it cannot be reached

	arguments, result *jsonschema.Schema
}

// Hear says how an argument is taken out of a message.
type Hear struct {
	Ask     string   `yaml:"ask"`     // the question when it is missing
	After   []string `yaml:"after"`   // words that stand before it: to, from
	Default any      `yaml:"default"` // when it was not said
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
func (t Tool) Refers() []document.Reference {
	return []document.Reference{ToConnection("$.connection", t.Connection, HTTPSystem)}
}

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

// An Argument is one property of a tool's arguments, as the schema has it.
type Argument struct {
	Name     string
	Type     string // string, integer, number, boolean
	Format   string // date, time, email, or ""
	Values   []string
	Required bool
	Hear
}

// ArgumentList returns the arguments in a steady order: required ones first,
// as the schema lists them.
func (t Tool) ArgumentList() []Argument {
	properties, _ := t.Arguments["properties"].(map[string]any)
	required := stringsOf(t.Arguments["required"])
	var list []Argument
	for name, p := range properties {
		property, _ := p.(map[string]any)
		a := Argument{Name: name, Values: stringsOf(property["enum"]), Required: slices.Contains(required, name), Hear: t.Hear[name]}
		a.Type, _ = property["type"].(string)
		a.Format, _ = property["format"].(string)
		list = append(list, a)
	}
	slices.SortFunc(list, func(a, b Argument) int {
		ia, ib := slices.Index(required, a.Name), slices.Index(required, b.Name)
		switch {
		case ia >= 0 && ib >= 0:
			return ia - ib
		case ia >= 0:
			return -1
		case ib >= 0:
			return 1
		}
		return strings.Compare(a.Name, b.Name)
	})
	return list
}

func stringsOf(v any) (list []string) {
	items, _ := v.([]any)
	for _, item := range items {
		list = append(list, fmt.Sprint(item))
	}
	return list
}

// CheckArguments holds arguments against the tool's schema.
func (t Tool) CheckArguments(arguments map[string]any) error {
	return validate(t.arguments, arguments)
}

// CheckResult holds a result, decoded JSON, against the tool's schema.
func (t Tool) CheckResult(result any) error { return validate(t.result, result) }

func validate(schema *jsonschema.Schema, value any) error {
	if schema == nil {
		return nil
	}
	// Through JSON, so that numbers and lists have the types the schema expects.
	raw, err := json.Marshal(value)
	if err != nil {
		return err
	}
	decoded, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
	if err != nil {
		return err
	}
	return schema.Validate(decoded)
}

// ParseTool reads a tool. The error is document.Problems.
func ParseTool(file string, source []byte) (Tool, error) {
	t := Tool{Method: "GET", Tries: 3, Timeout: Duration(3 * time.Second)}
	c := document.Decode(file, source, &t)
	if c.Failed() {
		return t, c.Err()
	}
	c.Name("$.tool", t.Name)
	c.Name("$.connection", t.Connection)
	if t.Method != "GET" && t.Method != "POST" {
		c.Wrong("$.method", "the method must be GET or POST")
	}
	if !strings.HasPrefix(t.Path, "/") {
		c.Wrong("$.path", "the path must begin with a /")
	}
	if t.Tries < 1 || t.Tries > 5 {
		c.Wrong("$.tries", "a tool is tried from 1 to 5 times")
	}
	if t.Timeout < Duration(50*time.Millisecond) || t.Timeout > Duration(30*time.Second) {
		c.Wrong("$.timeout", "a try may take from 50ms to 30s")
	}
	if len(t.When) == 0 {
		c.Wrong("$.when", "give at least one question that this tool answers")
	}
	if t.Sorry == "" {
		c.Wrong("$.sorry", "say what the customer is told when the tool cannot be reached")
	}
	var err error
	if t.arguments, err = schema(t.Arguments); err != nil {
		c.Wrong("$.arguments", "this is not a JSON Schema: %v", err)
	}
	if t.result, err = schema(t.Result); err != nil {
		c.Wrong("$.result", "this is not a JSON Schema: %v", err)
	}
	for _, a := range t.ArgumentList() {
		if a.Required && a.Ask == "" && a.Default == nil {
			c.Wrong("$.hear", "the argument %q is required: say how to ask for it, or give it a default", a.Name)
		}
	}
	if len(t.Say) == 0 {
		c.Wrong("$.say", "give at least one wording for the result")
	}
	for i := range t.Say {
		w := &t.Say[i]
		if w.If != "" {
			if w.condition, err = template.Compile(w.If); err != nil {
				c.Wrong(fmt.Sprintf("$.say[%d].if", i), "%v", err)
			}
		}
		if w.text, err = template.Parse(w.Text); err != nil {
			c.Wrong(fmt.Sprintf("$.say[%d].text", i), "%v", err)
		}
	}
	if t.Title == "" {
		t.Title = t.Name
	}
	return t, c.Err()
}

func schema(source map[string]any) (*jsonschema.Schema, error) {
	if source == nil {
		return nil, nil
	}
	raw, err := json.Marshal(source)
	if err != nil {
		return nil, err
	}
	decoded, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
	if err != nil {
		return nil, err
	}
	const address = "mem://tool/schema.json"
	compiler := jsonschema.NewCompiler()
	compiler.UseLoader(noLoader{})
	compiler.AssertFormat()
	if err := compiler.AddResource(address, decoded); err != nil {
		return nil, err
	}
	return compiler.Compile(address)
}

// noLoader keeps a schema from fetching another one.
type noLoader struct{}

func (noLoader) Load(address string) (any, error) {
	return nil, fmt.Errorf("it refers to %s; a schema must stand on its own", address)
}
