package tool

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"github.com/goccy/go-yaml"
)

// A Draft is what is known of something that an outside system can do: an operation of an
// OpenAPI document, or a tool of an MCP server.
type Draft struct {
	Name        string // as the system calls it
	Title       string
	Description string
	Connection  string
	MCPTool     string // of an MCP server; "": it is a request
	Method      string
	Path        string         // with {name} for arguments that stand in it
	InQuery     []string       // arguments that stand in the query
	InBody      []string       // properties of the body
	InHeaders   []string       // arguments that are sent as headers
	Arguments   map[string]any // a JSON Schema of type object
	Result      map[string]any // a JSON Schema; nil: not known
	ReadsOnly   bool
}

var (
	notOfNames = regexp.MustCompile(`[^a-z0-9]+`)
	humps      = regexp.MustCompile(`([a-z0-9])([A-Z])`)
	inBraces   = regexp.MustCompile(`\{([^{}/]+)\}`)
)

// NameOf makes the name of a document of what a system calls something: "getTides" becomes
// "get-tides".
func NameOf(theirs string) string {
	name := strings.Trim(notOfNames.ReplaceAllString(strings.ToLower(humps.ReplaceAllString(theirs, "$1-$2")), "-"), "-")
	const longest = 36 // leaves room for a number behind it
	if len(name) > longest {
		name = strings.Trim(name[:longest], "-")
	}
	if name == "" {
		return "tool"
	}
	return name
}

// Text is the document of a tool that does this: one that works, with words that a person
// makes better.
func (d Draft) Text() string {
	title := d.Title
	if title == "" {
		title = strings.ReplaceAll(NameOf(d.Name), "-", " ")
		title = strings.ToUpper(title[:1]) + title[1:]
	}
	doc := yaml.MapSlice{{Key: "tool", Value: d.Name}, {Key: "title", Value: title}}
	add := func(key string, value any) { doc = append(doc, yaml.MapItem{Key: key, Value: value}) }
	if d.Description != "" {
		add("description", squeezed(d.Description))
	}
	if d.MCPTool != "" {
		add("does", byMCP)
		add("connection", d.Connection)
		add("mcp_tool", d.MCPTool)
	} else {
		add("connection", d.Connection)
		add("method", d.Method)
		add("path", inBraces.ReplaceAllString(d.Path, "{{ arguments.$1 }}"))
		for _, part := range []struct {
			key   string
			names []string
		}{{"query", d.InQuery}, {"headers", d.InHeaders}, {"body", d.InBody}} {
			if len(part.names) > 0 {
				add(part.key, d.given(part.names))
			}
		}
	}
	if d.ReadsOnly && d.Method != "GET" && d.Method != "HEAD" {
		add("reads_only", true)
	}
	if d.MCPTool == "" && !d.ReadsOnly && d.Method != "GET" || d.MCPTool != "" && !d.ReadsOnly {
		add("approval", true) // until a builder trusts it
	}
	add("when", []string{title + "?"})
	list := Tool{Arguments: d.Arguments}.ArgumentList()
	if len(list) > 0 {
		add("arguments", d.Arguments)
		from := yaml.MapSlice{}
		for _, a := range list {
			if a.Required {
				from = append(from, yaml.MapItem{Key: a.Name, Value: yaml.MapSlice{{Key: "ask", Value: d.question(a)}}})
			}
		}
		if len(from) > 0 {
			add("comes_from", from)
		}
	}
	if d.Result != nil {
		add("result", d.Result)
	}
	add("say", []yaml.MapSlice{{{Key: "text", Value: saysOf(d.Result, title)}}})
	add("sorry", "I cannot look that up just now. Please ask me again in a few minutes.")
	raw, err := yaml.MarshalWithOptions(doc, yaml.IndentSequence(true))
	if err != nil {
		return ""
	}
	return string(raw)
}

// given are arguments as the values of a part of a request; those that need not be there are
// left out where they are not known.
func (d Draft) given(names []string) yaml.MapSlice {
	required := stringsOf(d.Arguments["required"])
	block := yaml.MapSlice{}
	for _, name := range names {
		value := "{{ arguments." + name + " }}"
		if !plainName.MatchString(name) {
			value = fmt.Sprintf("{{ arguments[%q] }}", name)
		}
		if !slices.Contains(required, name) {
			value = fmt.Sprintf("{{ arguments[?%q] }}", name)
			if plainName.MatchString(name) {
				value = "{{ arguments.?" + name + " }}"
			}
		}
		block = append(block, yaml.MapItem{Key: name, Value: value})
	}
	return block
}

var plainName = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_]*$`)

// question asks for an argument, in the words of its description where it has some.
func (d Draft) question(a Argument) string {
	p, _ := d.Arguments["properties"].(map[string]any)[a.Name].(map[string]any)
	about, _ := p["description"].(string)
	if about = strings.TrimRight(squeezed(about), ".?!"); about == "" {
		about = strings.ReplaceAll(NameOf(a.Name), "-", " ")
	}
	if len(a.Values) > 0 {
		return fmt.Sprintf("Please tell me this: %s (%s)?", about, strings.Join(a.Values, ", "))
	}
	return fmt.Sprintf("Please tell me this: %s?", about)
}

// saysOf words a result by what its schema says of it.
func saysOf(result map[string]any, title string) string {
	const most = 4
	properties, _ := result["properties"].(map[string]any)
	var said []string
	for _, name := range slices.Sorted(maps.Keys(properties)) {
		p, _ := properties[name].(map[string]any)
		if kind, _ := p["type"].(string); (kind == "string" || kind == "number" || kind == "integer") && len(said) < most && plainName.MatchString(name) && slices.Contains(stringsOf(result["required"]), name) {
			said = append(said, fmt.Sprintf("%s: {{ result.%s }}", strings.ReplaceAll(NameOf(name), "-", " "), name))
		}
	}
	if len(said) == 0 {
		return title + ": done."
	}
	return strings.Join(said, "; ") + "."
}

func squeezed(s string) string { return strings.Join(strings.Fields(s), " ") }
