package flow

import (
	"fmt"
	"strings"
	"sync"
	"time"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	op "cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/parser"

	"urgentparrot.example/internal/core/text"
)

// alone parses expressions alone, without what they name.
var alone = sync.OnceValue(func() *cel.Env {
	env, err := cel.NewEnv(cel.OptionalTypes(), cel.EnableMacroCallTracking())
	if err != nil {
		panic(err) // the options are fixed
	}
	return env
})

// InWords says a condition in words: "party_size is from 8 to 400". What has no words stands
// as it is written.
func InWords(condition string) string {
	if len(condition) > longestExpression {
		return text.Short(condition, 120)
	}
	parsed, issues := alone().Parse(condition)
	if issues.Err() != nil {
		return strings.Join(strings.Fields(condition), " ")
	}
	t := telling{parsed.NativeRep().SourceInfo()}
	return t.say(parsed.NativeRep().Expr(), 0)
}

// A telling says the parts of an expression in words.
type telling struct{ info *ast.SourceInfo }

// comparisons in words, and in words for times.
var comparisons = map[string][2]string{
	op.Equals: {"is", "is"}, op.NotEquals: {"is not", "is not"},
	op.GreaterEquals: {"is at least", "is not before"}, op.LessEquals: {"is at most", "is not after"},
	op.Greater: {"is more than", "is after"}, op.Less: {"is less than", "is before"},
}

// How tight the words of an operator hold together: looser ones inside stand in brackets.
const (
	looseOr = iota + 1
	looseAnd
	looseNot
)

func (t telling) say(e ast.Expr, inside int) string {
	bracket := func(tightness int, words string) string {
		if tightness < inside {
			return "(" + words + ")"
		}
		return words
	}
	switch e.Kind() {
	case ast.IdentKind:
		return e.AsIdent()
	case ast.LiteralKind:
		switch v := e.AsLiteral().(type) {
		case types.String:
			if v == "" {
				return "empty"
			}
			return Quote(string(v))
		case types.Bool:
			return map[types.Bool]string{true: "yes", false: "no"}[v]
		}
	case ast.CallKind:
		call := e.AsCall()
		args := call.Args()
		two := func() (string, string) { return t.say(args[0], looseNot), t.say(args[1], looseNot) }
		if pair, ok := comparisons[call.FunctionName()]; ok {
			a, b := two()
			switch truth := args[1].AsLiteral(); {
			case args[1].Kind() == ast.LiteralKind && truth == types.True && call.FunctionName() == op.Equals:
				return a
			case t.ofTime(args[0]) || t.ofTime(args[1]):
				return a + " " + pair[1] + " " + b
			}
			return a + " " + pair[0] + " " + b
		}
		switch call.FunctionName() {
		case op.LogicalAnd:
			if what, from, to, ok := t.between(args); ok {
				return what + " is from " + from + " to " + to
			}
			return bracket(looseAnd, t.say(args[0], looseAnd)+" and "+t.say(args[1], looseAnd))
		case op.LogicalOr:
			return bracket(looseOr, t.say(args[0], looseOr)+" or "+t.say(args[1], looseOr))
		case op.LogicalNot:
			return "not " + t.say(args[0], looseNot)
		case op.In:
			if args[1].Kind() != ast.ListKind || args[1].AsList().Size() == 0 {
				a, b := two()
				return a + " is in " + b
			}
			var list []string
			for _, item := range args[1].AsList().Elements() {
				list = append(list, t.say(item, looseNot))
			}
			return t.say(args[0], looseNot) + " is " + Or(list)
		case op.Index:
			a, b := two()
			return b + " of " + a
		case op.Subtract, op.Add:
			if d, ok := durationOf(args[1]); ok {
				from, side := t.say(args[0], looseNot), map[string]string{op.Subtract: "before", op.Add: "after"}[call.FunctionName()]
				if from == "now" {
					return Spoken(d) + map[string]string{"before": " ago", "after": " from now"}[side]
				}
				return Spoken(d) + " " + side + " " + from
			}
		case "duration":
			if d, ok := durationOf(e); ok {
				return Spoken(d)
			}
		case "double", "int", "string", "time":
			if len(args) == 1 && !call.IsMemberFunction() {
				return t.say(args[0], inside)
			}
		case "size":
			if len(args) == 1 {
				return "the length of " + t.say(args[0], looseNot)
			}
			if call.IsMemberFunction() {
				return "the length of " + t.say(call.Target(), looseNot)
			}
		}
		if call.IsMemberFunction() {
			if words, ok := t.member(call); ok {
				return words
			}
		}
	}
	return t.written(e)
}

// member says a function of a value.
func (t telling) member(call ast.CallExpr) (words string, ok bool) {
	of := t.say(call.Target(), looseNot)
	switch args := call.Args(); {
	case call.FunctionName() == "orValue":
		return of, true
	case call.FunctionName() == "hasValue":
		return of + " is known", true
	case len(args) != 1:
		return "", false
	case call.FunctionName() == "contains":
		return of + " contains " + t.say(args[0], looseNot), true
	case call.FunctionName() == "startsWith":
		return of + " begins with " + t.say(args[0], looseNot), true
	case call.FunctionName() == "endsWith":
		return of + " ends with " + t.say(args[0], looseNot), true
	case call.FunctionName() == "matches":
		return of + " has the pattern " + t.say(args[0], looseNot), true
	case call.FunctionName() == "open":
		return t.say(args[0], looseNot) + " is open", true
	case call.FunctionName() == "said":
		return t.say(args[0], looseNot) + " was said", true
	}
	return "", false
}

// between reads "x >= a && x <= b".
func (t telling) between(args []ast.Expr) (what, from, to string, ok bool) {
	if args[0].Kind() != ast.CallKind || args[1].Kind() != ast.CallKind {
		return "", "", "", false
	}
	low, high := args[0].AsCall(), args[1].AsCall()
	if low.FunctionName() != op.GreaterEquals || high.FunctionName() != op.LessEquals {
		return "", "", "", false
	}
	what = t.say(low.Args()[0], looseNot)
	return what, t.say(low.Args()[1], looseNot), t.say(high.Args()[1], looseNot), what == t.say(high.Args()[0], looseNot)
}

// ofTime is true of what can be seen to be a time.
func (t telling) ofTime(e ast.Expr) bool {
	switch e.Kind() {
	case ast.IdentKind:
		return e.AsIdent() == "now"
	case ast.CallKind:
		switch call := e.AsCall(); call.FunctionName() {
		case op.Subtract, op.Add:
			_, ok := durationOf(call.Args()[1])
			return ok
		case "timestamp", "time":
			return true
		}
	}
	return false
}

// durationOf reads duration('24h').
func durationOf(e ast.Expr) (time.Duration, bool) {
	if e.Kind() != ast.CallKind || e.AsCall().FunctionName() != "duration" || len(e.AsCall().Args()) != 1 {
		return 0, false
	}
	arg := e.AsCall().Args()[0]
	if arg.Kind() != ast.LiteralKind {
		return 0, false
	}
	d, err := time.ParseDuration(fmt.Sprint(arg.AsLiteral().Value()))
	return d, err == nil && d >= 0
}

// written is a part of an expression as it is written.
func (t telling) written(e ast.Expr) string {
	s, err := parser.Unparse(e, t.info)
	if err != nil {
		return "what the script says"
	}
	return s
}
