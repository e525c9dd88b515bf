package flow

import (
	"strconv"
	"strings"

	"cel.dev/cel-go/common/ast"
	op "cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
)

// infer finds the kinds of what steps set to what is written: those that all that is set
// under a name has. What cannot be told stays of any kind.
func (c *Checking) infer() {
	set := map[string][]*Arg{}
	c.Each(func(s *Step, _ int) {
		if s.Kind.Written == nil {
			return
		}
		for name, arg := range s.Kind.Written(s) {
			set[name] = append(set[name], arg)
		}
	})
	for range len(set) { // one may be set to what another holds
		vars, again := c.variables(), false
		for name, args := range set {
			if c.kinds[name] != Any {
				continue
			}
			kind := c.written(args[0], vars)
			for _, arg := range args[1:] {
				if c.written(arg, vars) != kind {
					kind = Any
				}
			}
			if kind != Any {
				c.kinds[name], again = kind, true
			}
		}
		if !again {
			return
		}
	}
}

// written is the kind of what Running.Single gives.
func (c *Checking) written(arg *Arg, vars map[string]variable) Kind {
	if _, bare := arg.Bare(); bare {
		return ANumber
	}
	inner, ok := strings.CutPrefix(strings.TrimSpace(arg.Text), "{{")
	inner, closed := strings.CutSuffix(inner, "}}")
	if !ok || !closed || strings.Contains(inner, "{{") || strings.TrimSpace(arg.Text) != arg.Text {
		return AText
	}
	if len(inner) > longestExpression {
		return Any
	}
	parsed, issues := alone().Parse(strings.TrimSpace(inner))
	if issues.Err() != nil {
		return Any
	}
	return kinding(vars).of(parsed.NativeRep().Expr())
}

// Bare returns a number that is written as such and not as a text. 07700 and 1.50 are texts:
// as numbers they would read otherwise.
func (a *Arg) Bare() (n float64, bare bool) {
	n, err := strconv.ParseFloat(a.Text, 64)
	return n, err == nil && !a.Quoted && strconv.FormatFloat(n, 'f', -1, 64) == a.Text
}

// kinding tells the kinds of expressions, by their form and by what they name.
type kinding map[string]variable

func (k kinding) of(e ast.Expr) Kind {
	switch e.Kind() {
	case ast.LiteralKind:
		switch e.AsLiteral().(type) {
		case types.String:
			return AText
		case types.Bool:
			return AFlag
		case types.Int, types.Uint, types.Double:
			return ANumber
		}
	case ast.IdentKind:
		return k.named(e.AsIdent())
	case ast.SelectKind:
		if of := e.AsSelect(); !of.IsTestOnly() && of.Operand().Kind() == ast.IdentKind {
			return k.named(of.Operand().AsIdent() + "." + of.FieldName())
		}
	case ast.ListKind:
		return AList
	case ast.MapKind:
		return ARecord
	case ast.CallKind:
		return k.call(e.AsCall())
	}
	return Any
}

func (k kinding) named(name string) Kind {
	if v, ok := k[name]; ok {
		return v.kind
	}
	return Any
}

func (k kinding) call(call ast.CallExpr) Kind {
	args := call.Args()
	switch call.FunctionName() {
	case op.Equals, op.NotEquals, op.Less, op.LessEquals, op.Greater, op.GreaterEquals, op.LogicalAnd, op.LogicalOr, op.LogicalNot, op.In,
		"contains", "startsWith", "endsWith", "matches", "said", "open", "hasValue":
		return AFlag
	case op.Multiply, op.Divide, op.Modulo, op.Negate, "size", "int", "double", "indexOf":
		return ANumber
	case op.Add, op.Subtract:
		a, b := k.of(args[0]), k.of(args[1])
		switch {
		case a == ATime || b == ATime:
			return ATime
		case a == b:
			return a
		}
	case op.Conditional:
		if a, b := k.of(args[1]), k.of(args[2]); a == b {
			return a
		}
	case "string", "lowerAscii", "upperAscii", "trim", "replace", "substring", "join", "format", "spoken":
		return AText
	case "timestamp", "time":
		return ATime
	case "orValue":
		if a, b := k.of(call.Target()), k.of(args[0]); a == b || a == Any {
			return b
		}
	}
	return Any
}
