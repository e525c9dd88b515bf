// Package template fills texts with values: what stands between {{ and }} is an
// expression in CEL, the Common Expression Language.
package template

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/ext"

	"urgentparrot.example/internal/core/text"
)

// Values are what an expression may use. What is not known of the contact is
// missing: {{ contact.first_name.orValue("there") }}.
type Values struct {
	Contact   map[string]string // what is known, by field
	Bot       string            // the bot's name
	Workspace string            // the business's name
	Question  string            // what the customer asked
	Channel   string            // the channel's name
	Arguments map[string]any    // what a tool was called with
	Result    any               // what a tool gave back, as decoded JSON
	Status    int               // of its answer, as HTTP has it; 0 where it has none
	Now       time.Time
}

var environment = sync.OnceValues(func() (*cel.Env, error) {
	return cel.NewEnv(
		cel.OptionalTypes(), ext.Strings(),
		cel.Variable("contact", cel.MapType(cel.StringType, cel.OptionalType(cel.StringType))),
		cel.Variable("bot", cel.StringType),
		cel.Variable("workspace", cel.StringType),
		cel.Variable("question", cel.StringType),
		cel.Variable("channel", cel.StringType),
		cel.Variable("arguments", cel.MapType(cel.StringType, cel.DynType)),
		cel.Variable("result", cel.DynType),
		cel.Variable("status", cel.IntType),
		cel.Variable("now", cel.TimestampType),
	)
})

// activation gives an expression the fields of the contact that it uses; those
// that are not known are missing.
func (v Values) activation(fields []string) map[string]any {
	contact := map[string]ref.Val{}
	for _, field := range fields {
		if value := v.Contact[field]; value != "" {
			contact[field] = types.OptionalOf(types.String(value))
		} else {
			contact[field] = types.OptionalNone
		}
	}
	arguments := v.Arguments
	if arguments == nil {
		arguments = map[string]any{}
	}
	return map[string]any{
		"contact": contact, "bot": v.Bot, "workspace": v.Workspace, "question": v.Question,
		"channel": v.Channel, "arguments": arguments, "result": v.Result, "status": v.Status, "now": v.Now,
	}
}

// An Expression is a compiled expression. It is safe for concurrent use.
type Expression struct {
	source  string
	program cel.Program
	fields  []string // of the contact, that it uses
}

// Fields returns the fields of the contact that the expression uses.
func (e *Expression) Fields() []string { return e.fields }

// fieldsUsed returns the fields of the contact that a checked expression selects.
func fieldsUsed(checked *cel.Ast) (fields []string) {
	used := ast.MatchDescendants(ast.NavigateAST(checked.NativeRep()), ast.KindMatcher(ast.SelectKind))
	for _, e := range used {
		of := e.AsSelect()
		if name := of.FieldName(); of.Operand().Kind() == ast.IdentKind && of.Operand().AsIdent() == "contact" && !slices.Contains(fields, name) {
			fields = append(fields, name)
		}
	}
	return fields
}

// longest is the longest expression, in bytes.
const longest = 4_000

// shortened bounds what is quoted of an expression.
func shortened(s string) string { return text.Short(s, 120) }

// costLimit bounds what one evaluation may do, in CEL's units of cost.
const costLimit = 100_000

// Compile checks one expression.
func Compile(source string) (*Expression, error) {
	if len(source) > longest {
		return nil, fmt.Errorf("in %q: an expression has at most %d bytes", shortened(source), longest)
	}
	env, err := environment()
	if err != nil {
		return nil, err
	}
	checked, issues := env.Compile(source)
	if issues.Err() != nil {
		return nil, fmt.Errorf("in %q: %s", shortened(source), shortened(issues.Errors()[0].Message))
	}
	program, err := env.Program(checked, cel.CostLimit(costLimit))
	if err != nil {
		return nil, fmt.Errorf("in %q: %w", shortened(source), err)
	}
	return &Expression{source, program, fieldsUsed(checked)}, nil
}

// Value evaluates the expression.
func (e *Expression) Value(v Values) (any, error) {
	out, err := e.eval(v)
	if err != nil {
		return nil, err
	}
	return out.Value(), nil
}

func (e *Expression) eval(v Values) (ref.Val, error) {
	out, _, err := e.program.Eval(v.activation(e.fields))
	if err != nil {
		return nil, fmt.Errorf("in %q: %w", shortened(e.source), err)
	}
	return out, nil
}

// Holds evaluates a condition. What is not a boolean is an error.
func (e *Expression) Holds(v Values) (bool, error) {
	value, err := e.Value(v)
	if err != nil {
		return false, err
	}
	holds, ok := value.(bool)
	if !ok {
		return false, fmt.Errorf("%q is not a condition: it gives %v", shortened(e.source), value)
	}
	return holds, nil
}

// A Template is a text with expressions in it. It is safe for concurrent use.
// The zero Template is the empty text.
type Template struct{ pieces []piece }

type piece struct {
	text       string
	expression *Expression
}

// Parse compiles a text with expressions between {{ and }}.
func Parse(source string) (Template, error) {
	var t Template
	for source != "" {
		before, rest, found := strings.Cut(source, "{{")
		if before != "" {
			t.pieces = append(t.pieces, piece{text: before})
		}
		if !found {
			break
		}
		inner, after, closed := strings.Cut(rest, "}}")
		if !closed {
			return Template{}, fmt.Errorf("a {{ has no }} after it")
		}
		expression, err := Compile(strings.TrimSpace(inner))
		if err != nil {
			return Template{}, err
		}
		t.pieces = append(t.pieces, piece{expression: expression})
		source = after
	}
	return t, nil
}

// Fields returns the fields of the contact that the text uses.
func (t Template) Fields() (fields []string) {
	for _, p := range t.pieces {
		if p.expression != nil {
			fields = append(fields, p.expression.fields...)
		}
	}
	return fields
}

// Fill returns the text with every expression evaluated.
func (t Template) Fill(v Values) (string, error) {
	return t.FillWith(v, func(s string) string { return s })
}

// FillWith is Fill, where what an expression gives is escaped.
func (t Template) FillWith(v Values, escape func(string) string) (string, error) {
	var b strings.Builder
	for _, p := range t.pieces {
		if p.expression == nil {
			b.WriteString(p.text)
			continue
		}
		value, err := p.expression.Value(v)
		if err != nil {
			return "", err
		}
		b.WriteString(escape(show(value)))
	}
	return b.String(), nil
}

func show(value any) string {
	switch v := value.(type) {
	case string:
		return v
	case float64:
		return strconv.FormatFloat(v, 'f', -1, 64)
	case time.Time:
		return v.Format("2006-01-02 15:04")
	case *types.Optional:
		if !v.HasValue() {
			return ""
		}
		return show(v.GetValue().Value())
	default:
		return fmt.Sprint(v)
	}
}
