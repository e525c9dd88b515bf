package flow

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
)

// A variable is a name that expressions may use.
type variable struct {
	kind     Kind
	optional bool // it may be missing: wherever it is not sure to be there, what stands for it must be said
}

// An environment is what the expressions of one flow may use. It does not change once it
// is made, and is safe for concurrent use.
type environment struct {
	env  *cel.Env
	vars map[string]variable
	open map[string]bool // names under which anything may stand: event.body
	zone string

	hours []string          // the names of hours
	among map[string]Domain // which texts a value may be
}

// What one evaluation may cost, in CEL's units, and how long an expression may be, in bytes.
const (
	costLimit         = 200_000
	longestExpression = 4_000
)

func celType(k Kind) *cel.Type {
	switch k {
	case AText:
		return cel.StringType
	case ANumber:
		return cel.DoubleType
	case AFlag:
		return cel.BoolType
	case ATime:
		return cel.TimestampType
	case AList:
		return cel.ListType(cel.DynType)
	case ARecord:
		return cel.MapType(cel.StringType, cel.DynType)
	}
	return cel.DynType
}

func newEnvironment(vars map[string]variable, language, zone string, hours []string) (*environment, error) {
	base, err := shared()
	if err != nil {
		return nil, err
	}
	place, err := time.LoadLocation(zone)
	if err != nil {
		place = time.UTC
	}
	options := []cel.EnvOption{timeOf(place), spokenIn(language, place)}
	for _, name := range sortedKeys(vars) {
		t := celType(vars[name].kind)
		if vars[name].optional {
			t = cel.OptionalType(t)
		}
		options = append(options, cel.Variable(name, t))
	}
	env, err := base.Extend(options...)
	return &environment{env: env, vars: vars, open: map[string]bool{}, zone: zone, hours: hours}, err
}

func sortedKeys[V any](m map[string]V) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
}

// An expression is one that was compiled. It is safe for concurrent use.
type expression struct {
	source  string
	program cel.Program
	uses    []string // the variables that it uses
	hours   []string // and the hours that it asks for
	doubts  []*fault
	kind    Kind
	inWords func() string // found when it is first asked for
}

// A fault is what is wrong with an expression, and where in it, in bytes.
type fault struct {
	offset int
	words  string
}

func (f *fault) Error() string { return f.words }

// compile checks an expression where the values of known are there for sure.
func (e *environment) compile(source string, known scope) (*expression, *fault) {
	if len(source) > longestExpression {
		return nil, &fault{0, fmt.Sprintf("an expression has at most %d characters", longestExpression)}
	}
	parsed, issues := e.env.Parse(source)
	if issues.Err() != nil {
		first := issues.Errors()[0]
		at := offsetOf(source, first.Location)
		return nil, &fault{at, "this cannot be read as an expression: " + syntax(first.Message) + meant(source, at)}
	}
	w := &rewriting{environment: e, source: source, known: known, tree: parsed.NativeRep(), factory: ast.NewExprFactory()}
	w.next = w.highest() + 1
	w.visit(w.tree.Expr(), "")
	if w.fault != nil {
		return nil, w.fault
	}
	checked, issues := e.env.Check(parsed)
	if issues.Err() != nil {
		first := issues.Errors()[0]
		return nil, &fault{offsetOf(source, first.Location), inWords(first)}
	}
	program, err := e.env.Program(checked, cel.CostLimit(costLimit), cel.EvalOptions(cel.OptOptimize))
	if err != nil {
		return nil, &fault{0, firstLine(err.Error())}
	}
	return &expression{source, program, w.uses, w.asks, w.doubts, kindOf(checked.OutputType()), sync.OnceValue(func() string { return InWords(source) })}, nil
}

// syntax says in words what the parser says.
func syntax(message string) string {
	message, _, _ = strings.Cut(strings.TrimPrefix(firstLine(message), "Syntax error: "), " expecting ")
	switch {
	case strings.Contains(message, "<EOF>"):
		return "it ends too early"
	case strings.HasPrefix(message, "token recognition error at: '"):
		return strings.TrimSpace(strings.Trim(message[strings.Index(message, "'"):], "'")) + " does not belong there"
	case strings.HasPrefix(message, "mismatched input "), strings.HasPrefix(message, "extraneous input "), strings.HasPrefix(message, "no viable alternative at input "):
		return message[strings.Index(message, "'"):] + " does not belong there"
	}
	return message
}

// What people write for what CEL writes otherwise.
var (
	otherwise = map[string]string{"and": "&&", "or": "||", "not": "!", "is": "==", "equals": "==", "=": "==", "<>": "!=", "then": "? :", "AND": "&&", "OR": "||", "NOT": "!"}
	length    = regexp.MustCompile(`^(\d{1,4})([smhdw])$`)
)

// meant says what may be meant where an expression cannot be read, "" if that is not known.
func meant(source string, at int) string {
	begin := strings.LastIndexAny(source[:at], " \t(") + 1
	before := strings.Fields(source[:begin])
	words := strings.FieldsFunc(source[begin:], func(r rune) bool { return strings.ContainsRune(" \t()", r) })
	for _, word := range append(words[:min(len(words), 1)], before[max(0, len(before)-1):]...) {
		if better := otherwise[word]; better != "" {
			return "; for " + word + " write " + better
		}
		if m := length.FindStringSubmatch(word); m != nil {
			n, _ := strconv.Atoi(m[1])
			if hours := map[string]int{"d": 24, "w": 7 * 24}[m[2]]; hours > 0 {
				return fmt.Sprintf("; for %s write duration('%dh')", word, hours*n)
			}
			return fmt.Sprintf("; for %s write duration('%s')", word, word)
		}
	}
	return ""
}

func kindOf(t *cel.Type) Kind {
	switch t.Kind() {
	case types.StringKind:
		return AText
	case types.DoubleKind, types.IntKind, types.UintKind:
		return ANumber
	case types.BoolKind:
		return AFlag
	case types.TimestampKind:
		return ATime
	case types.ListKind:
		return AList
	case types.MapKind:
		return ARecord
	}
	return Any
}

func firstLine(s string) string {
	s, _, _ = strings.Cut(s, "\n")
	return s
}

func offsetOf(source string, at common.Location) int {
	line, offset := 1, 0
	for i := 0; i < len(source) && line < at.Line(); i++ {
		if source[i] == '\n' {
			line, offset = line+1, i+1
		}
	}
	return max(0, min(offset+at.Column(), len(source)))
}

// inWords says what CEL finds in words for people.
func inWords(issue *cel.Error) string {
	message := firstLine(issue.Message)
	if strings.Contains(message, "optional_type") {
		return "something may be missing here; say what stands for it with .orValue(...)"
	}
	if operator, given, ok := overload(message); ok {
		return fmt.Sprintf("%s does not go with %s", operator, given)
	}
	if rest, ok := strings.CutPrefix(message, "expected type '"); ok {
		want, rest, _ := strings.Cut(rest, "' but found '")
		return fmt.Sprintf("%s is expected here; this is %s", kindInWords(want), kindInWords(strings.TrimSuffix(rest, "'")))
	}
	return message
}

var operators = map[string]string{
	"_==_": "==", "_!=_": "!=", "_<_": "<", "_>_": ">", "_<=_": "<=", "_>=_": ">=", "_+_": "+", "_-_": "-", "_*_": "*", "_/_": "/", "_%_": "%",
	"_&&_": "&&", "_||_": "||", "!_": "!", "-_": "-", "_?_:_": "? :", "_[_]": "[ ]", "@in": "in",
}

// overload reads "found no matching overload for '_+_' applied to '(double, string)'".
func overload(message string) (operator, given string, ok bool) {
	rest, ok := strings.CutPrefix(message, "found no matching overload for '")
	if !ok {
		return "", "", false
	}
	name, rest, _ := strings.Cut(rest, "'")
	_, rest, _ = strings.Cut(rest, "'(")
	rest, _, _ = strings.Cut(rest, ")'")
	var kinds []string
	for _, t := range strings.Split(rest, ", ") {
		kinds = append(kinds, kindInWords(t))
	}
	if operators[name] != "" {
		name = operators[name]
	}
	return name, strings.Join(kinds, " and "), true
}

// kindInWords says one of CEL's kinds.
func kindInWords(t string) string {
	switch t {
	case "double", "int", "uint":
		return "a number"
	case "string":
		return "a text"
	case "bool":
		return "yes or no"
	case "google.protobuf.Timestamp", "timestamp":
		return "a time"
	case "google.protobuf.Duration", "duration":
		return "a duration"
	}
	switch {
	case strings.HasPrefix(t, "list"):
		return "a list"
	case strings.HasPrefix(t, "map"):
		return "a record"
	}
	return t
}

// A scope is the names of the values that are sure to be there.
type scope map[string]bool

func (s scope) has(name string) bool { return s[name] }

func (s scope) with(names ...string) scope {
	next := make(scope, len(s)+len(names))
	for name := range s {
		next[name] = true
	}
	for _, name := range names {
		if name != "" {
			next[name] = true
		}
	}
	return next
}

// meet is what is there whichever of two ways was taken; a nil scope is a way that does
// not come here.
func meet(a, b scope) scope {
	switch {
	case a == nil:
		return b
	case b == nil:
		return a
	}
	both := scope{}
	for name := range a {
		if b[name] {
			both[name] = true
		}
	}
	return both
}

// A text with expressions in it, compiled.
type filling struct {
	pieces []piece
}

type piece struct {
	text       string
	expression *expression
}

var errUnclosed = errors.New("a {{ has no }} after it")

// eval gives an expression its values.
func (x *expression) eval(values map[string]any) (any, error) {
	out, _, err := x.program.Eval(values)
	if err != nil {
		if strings.Contains(err.Error(), "cost limit") {
			return nil, fmt.Errorf("%q takes too much work", clipped(x.source))
		}
		return nil, fmt.Errorf("%q: %s", clipped(x.source), firstLine(err.Error()))
	}
	return plain(out), nil
}

// plain makes of a value of CEL one that JSON can hold; times stay times.
func plain(v ref.Val) any {
	switch v := v.(type) {
	case *types.Optional:
		if !v.HasValue() {
			return nil
		}
		return plain(v.GetValue())
	case types.Int:
		return float64(v)
	case types.Uint:
		return float64(v)
	case types.Timestamp:
		return v.Time
	case types.Duration:
		return v.Duration.String()
	case types.Null:
		return nil
	}
	switch native := v.Value().(type) {
	case []ref.Val:
		list := make([]any, len(native))
		for i, item := range native {
			list[i] = plain(item)
		}
		return list
	case map[ref.Val]ref.Val:
		m := make(map[string]any, len(native))
		for key, item := range native {
			m[fmt.Sprint(key.Value())] = plain(item)
		}
		return m
	case []any, map[string]any, string, float64, bool, time.Time, nil:
		return native
	default:
		return fmt.Sprint(native)
	}
}
