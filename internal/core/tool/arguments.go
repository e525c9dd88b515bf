package tool

import (
	"fmt"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/schema"
)

// An Origin says where an argument comes from: it is fixed; or taken out of what is said; or
// what is known of the contact; or what holds when it was not said; or asked for.
type Origin struct {
	Ask      string              `yaml:"ask"`      // the question when it is missing
	After    []string            `yaml:"after"`    // words that it stands after: to, from
	Before   []string            `yaml:"before"`   // words that it stands before: adults, kilos
	Words    map[string][]string `yaml:"words"`    // what else customers say for a value: {last: [final, latest]}
	Memory   string              `yaml:"memory"`   // the field of the contact that holds it
	Verified bool                `yaml:"verified"` // only what is verified in Memory counts, and nothing that is said
	Fixed    any                 `yaml:"fixed"`    // it is always this
	Default  any                 `yaml:"default"`  // when it was not said
}

// Said reports whether the argument may be taken out of what a customer says, or what a
// model makes of it.
func (o Origin) Said() bool { return o.Fixed == nil && !o.Verified }

// An Argument is one property of a tool's arguments, as the schema has it.
type Argument struct {
	Name     string
	Type     string // string, integer, number, boolean
	Format   string // date, time-of-day, email, or ""
	Values   []string
	Pattern  string // a regular expression
	Required bool
	Origin
}

// ArgumentList returns the arguments in a steady order: required ones first,
// as the schema lists them.
func (t Tool) ArgumentList() []Argument {
	properties, _ := t.Arguments["properties"].(map[string]any)
	required := stringsOf(t.Arguments["required"])
	var list []Argument
	for name, p := range properties {
		property, _ := p.(map[string]any)
		a := Argument{Name: name, Values: stringsOf(property["enum"]), Required: slices.Contains(required, name), Origin: t.ComesFrom[name]}
		a.Type, _ = property["type"].(string)
		a.Format, _ = property["format"].(string)
		a.Pattern, _ = property["pattern"].(string)
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

// Keys is document.Keyed's: the arguments, required ones first.
func (t Tool) Keys() []document.Choice {
	list := t.ArgumentList()
	keys := make([]document.Choice, len(list))
	for i, a := range list {
		keys[i] = document.Choice{Value: a.Name, Label: a.Name}
		if a.Required {
			keys[i].About = "needed"
		}
	}
	return keys
}

// Settle makes of what was taken out of a talk, or out of what a model says, the arguments of
// a call: what may not come from there is left out, what is fixed, remembered or holds
// otherwise is added. It returns the first required argument that is still missing, if any.
func (t Tool) Settle(said map[string]any, memory contact.Memory) (arguments map[string]any, missing *Argument) {
	arguments = map[string]any{}
	for _, a := range t.ArgumentList() {
		value, known := said[a.Name]
		fact := memory[a.Memory]
		switch {
		case a.Fixed != nil:
			value = a.Fixed
		case a.Verified && fact.Verified:
			value = fact.Value
		case a.Verified:
			value = nil
		case known:
		case a.Memory != "" && fact.Value != "":
			value = fact.Value
		default:
			value = a.Default
		}
		if value != nil {
			arguments[a.Name] = value
		} else if a.Required && missing == nil {
			missing = &a
		}
	}
	for name, value := range said { // what the schema does not have is refused by it
		if _, is := t.property(name); !is {
			arguments[name] = value
		}
	}
	return arguments, missing
}

func (t Tool) property(name string) (any, bool) {
	properties, _ := t.Arguments["properties"].(map[string]any)
	p, is := properties[name]
	return p, is
}

// CheckArguments holds arguments against the tool's schema. The error is a *schema.Misfit.
func (t Tool) CheckArguments(arguments map[string]any) error { return t.arguments.Check(arguments) }

// CheckResult holds a result, decoded JSON, against the tool's schema. The error is a
// *schema.Misfit.
func (t Tool) CheckResult(result any) error { return t.result.Check(result) }

// checkArguments checks the schema of the arguments, and where they come from.
func (t *Tool) checkArguments(c *document.Checker) {
	var err error
	if t.arguments, err = compiled(t.Arguments); err != nil {
		c.Wrong("$.arguments", "this is not a JSON Schema: %v", err)
		return
	}
	list := t.ArgumentList()
	for name := range t.ComesFrom {
		if _, is := t.property(name); !is {
			c.Wrong("$.comes_from."+name, "the arguments have no %q", name)
		}
	}
	for _, a := range list {
		at := "$.comes_from." + a.Name
		switch {
		case a.Verified && a.Memory == "":
			c.Wrong(at+".verified", "say which field of the contact must be verified: memory")
		case a.Fixed != nil && (a.Ask != "" || a.Default != nil || a.Memory != "" || len(a.After)+len(a.Before) > 0):
			c.Wrong(at+".fixed", "what is fixed comes from nowhere else; leave the others out")
		case a.Required && a.Ask == "" && a.Default == nil && a.Fixed == nil && !a.Verified:
			c.Wrong("$.comes_from", "the argument %q is required: say how to ask for it, or give it a default or a fixed value", a.Name)
		}
		for value := range a.Words {
			if !slices.Contains(a.Values, value) {
				c.Wrong(at+".words", "%q is none of the values of %s: %s", value, a.Name, strings.Join(a.Values, ", "))
			}
		}
	}
}

func compiled(source map[string]any) (*schema.Schema, error) {
	if source == nil {
		return nil, nil
	}
	return schema.Compile(source)
}
