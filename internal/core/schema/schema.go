// Package schema holds values against JSON Schemas, and says in words what does not fit.
package schema

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/santhosh-tekuri/jsonschema/v6/kind"
	"golang.org/x/text/language"
	"golang.org/x/text/message"
)

// A Schema is a compiled JSON Schema. It is safe for concurrent use. The nil Schema takes
// everything.
type Schema struct{ compiled *jsonschema.Schema }

// Compile compiles a schema as YAML or JSON decode it; nil is one that takes everything. It
// must stand on its own: nothing that it refers to is fetched.
func Compile(source any) (*Schema, error) {
	if source == nil {
		return nil, nil
	}
	decoded, err := plain(source)
	if err != nil {
		return nil, err
	}
	const address = "mem://schema.json"
	compiler := jsonschema.NewCompiler()
	compiler.UseLoader(noLoader{})
	compiler.AssertFormat()
	if err := compiler.AddResource(address, decoded); err != nil {
		return nil, err
	}
	compiled, err := compiler.Compile(address)
	if err != nil {
		return nil, err
	}
	return &Schema{compiled}, nil
}

// plain passes a value through JSON, so that numbers and lists have the types that schemas
// expect.
func plain(value any) (any, error) {
	raw, err := json.Marshal(value)
	if err != nil {
		return nil, err
	}
	return jsonschema.UnmarshalJSON(bytes.NewReader(raw))
}

// noLoader keeps a schema from fetching another one.
type noLoader struct{}

func (noLoader) Load(address string) (any, error) {
	return nil, fmt.Errorf("it refers to %s; a schema must stand on its own", address)
}

// A Misfit says what of a value does not fit.
type Misfit struct {
	Field string // "address.city"; "" for the whole value
	Why   string
}

func (m *Misfit) Error() string {
	if m.Field == "" {
		return m.Why
	}
	return m.Field + ": " + m.Why
}

// printer words what does not fit.
var printer = message.NewPrinter(language.English)

// Check holds a value against the schema. The error is a *Misfit, or that of a value that is
// no JSON.
func (s *Schema) Check(value any) error {
	if s == nil {
		return nil
	}
	decoded, err := plain(value)
	if err != nil {
		return err
	}
	var wrong *jsonschema.ValidationError
	if err := s.compiled.Validate(decoded); !errors.As(err, &wrong) {
		return err
	}
	for len(wrong.Causes) > 0 {
		wrong = wrong.Causes[0]
	}
	m := &Misfit{Why: fmt.Sprint(wrong.ErrorKind.LocalizedString(printer))}
	path := wrong.InstanceLocation
	switch k := wrong.ErrorKind.(type) {
	case *kind.Required:
		if len(k.Missing) > 0 {
			path, m.Why = append(path, k.Missing[0]), "it is missing"
		}
	case *kind.AdditionalProperties:
		if len(k.Properties) > 0 {
			path, m.Why = append(path, k.Properties[0]), "it is not known here"
		}
	}
	for _, part := range path {
		if m.Field != "" {
			m.Field += "."
		}
		m.Field += part
	}
	return m
}
