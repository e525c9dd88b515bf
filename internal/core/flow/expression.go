package flow

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/ext"

	"urgentparrot.example/internal/core/document"
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

func newEnvironment(vars map[string]variable, zone string) (*environment, error) {
	options := []cel.EnvOption{
		cel.OptionalTypes(), ext.Strings(), cel.CrossTypeNumericComparisons(true),
		cel.Variable("conversation", cel.MapType(cel.StringType, cel.StringType)),
		cel.Function("said", cel.MemberOverload("conversation_said", []*cel.Type{cel.MapType(cel.StringType, cel.StringType), cel.StringType}, cel.BoolType,
			cel.BinaryBinding(func(talk, phrase ref.Val) ref.Val {
				said, ok := talk.Value().(map[string]string)
				words, text := phrase.Value().(string)
				if !ok || !text {
					return types.NewErr("said takes words, as in conversation.said(\"refund\")")
				}
				return types.Bool(contains(said["customer"], words))
			}))),
	}
	for _, name := range sortedKeys(vars) {
		t := celType(vars[name].kind)
		if vars[name].optional {
			t = cel.OptionalType(t)
		}
		options = append(options, cel.Variable(name, t))
	}
	env, err := cel.NewEnv(options...)
	return &environment{env: env, vars: vars, open: map[string]bool{}, zone: zone}, err
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
	kind    Kind
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
		return nil, &fault{offsetOf(source, first.Location), "this cannot be read as an expression: " + syntax(first.Message)}
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
	return &expression{source, program, w.uses, kindOf(checked.OutputType())}, nil
}

// syntax says in words what the parser says.
func syntax(message string) string {
	message, _, _ = strings.Cut(strings.TrimPrefix(firstLine(message), "Syntax error: "), " expecting ")
	switch {
	case strings.Contains(message, "<EOF>"):
		return "it ends too early"
	case strings.HasPrefix(message, "mismatched input "), strings.HasPrefix(message, "extraneous input "), strings.HasPrefix(message, "no viable alternative at input "):
		return message[strings.Index(message, "'"):] + " does not belong there"
	}
	return message
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
	return min(offset+at.Column(), len(source))
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

// A rewriting makes of an expression as people write it one that CEL takes: numbers are
// one kind of value, what is sure to be there is used bare, and times are told in the
// workspace's zone.
type rewriting struct {
	*environment
	source  string
	known   scope
	tree    *ast.AST
	factory ast.ExprFactory
	next    int64
	locals  []string // names that macros bind
	uses    []string
	fault   *fault
}

func (w *rewriting) highest() (id int64) {
	ast.PostOrderVisit(w.tree.Expr(), ast.NewExprVisitor(func(e ast.Expr) { id = max(id, e.ID()) }))
	for macro, e := range w.tree.SourceInfo().MacroCalls() {
		id = max(id, macro, e.ID())
	}
	return id
}

func (w *rewriting) wrong(e ast.Expr, format string, args ...any) {
	if w.fault == nil {
		at := w.tree.SourceInfo().GetStartLocation(e.ID())
		w.fault = &fault{offsetOf(w.source, at), fmt.Sprintf(format, args...)}
	}
}

// fresh gives a new part of the tree an id, at the place of another.
func (w *rewriting) fresh(like ast.Expr) int64 {
	id := w.next
	w.next++
	if r, ok := w.tree.SourceInfo().GetOffsetRange(like.ID()); ok {
		w.tree.SourceInfo().SetOffsetRange(id, r)
	}
	return id
}

// copied is a part of the tree under a new id, so that the old one can be made something else.
func (w *rewriting) copied(e ast.Expr) ast.Expr {
	c := w.factory.CopyExpr(e)
	c.RenumberIDs(func(id int64) int64 {
		n := w.next
		w.next++
		if r, ok := w.tree.SourceInfo().GetOffsetRange(id); ok {
			w.tree.SourceInfo().SetOffsetRange(n, r)
		}
		return n
	})
	return c
}

func (w *rewriting) wrap(e ast.Expr, function string) {
	e.SetKindCase(w.factory.NewCall(w.fresh(e), function, w.copied(e)))
}

func (w *rewriting) member(e ast.Expr, function string) {
	e.SetKindCase(w.factory.NewMemberCall(w.fresh(e), function, w.copied(e)))
}

// What takes and gives whole numbers in CEL.
var (
	givesWhole = map[string]bool{
		"size": true, "indexOf": true, "lastIndexOf": true, "int": true, "getFullYear": true, "getMonth": true, "getDayOfMonth": true, "getDate": true,
		"getDayOfWeek": true, "getDayOfYear": true, "getHours": true, "getMinutes": true, "getSeconds": true, "getMilliseconds": true,
	}
	takesWhole = map[string]bool{"substring": true, "charAt": true, "replace": true, "split": true, "_[_]": true, "_[?_]": true, "indexOf": true, "lastIndexOf": true}
	ofTimes    = map[string]bool{"getFullYear": true, "getMonth": true, "getDayOfMonth": true, "getDate": true, "getDayOfWeek": true, "getDayOfYear": true, "getHours": true, "getMinutes": true, "getSeconds": true}
	ofOptional = map[string]bool{"orValue": true, "or": true, "hasValue": true, "value": true, "optMap": true, "optFlatMap": true}
)

// visit rewrites a part of the tree; above is the function that takes it, if it is its
// target.
func (w *rewriting) visit(e ast.Expr, above string) {
	if w.fault != nil {
		return
	}
	switch e.Kind() {
	case ast.LiteralKind:
		if n, ok := e.AsLiteral().(types.Int); ok {
			e.SetKindCase(w.factory.NewLiteral(e.ID(), types.Double(n)))
		}
	case ast.IdentKind:
		w.name(e, e.AsIdent(), above)
	case ast.SelectKind:
		if name, ok := qualified(e); ok && !slices.Contains(w.locals, strings.SplitN(name, ".", 2)[0]) {
			w.name(e, name, above)
			return
		}
		w.visit(e.AsSelect().Operand(), "")
	case ast.ListKind:
		for _, item := range e.AsList().Elements() {
			w.visit(item, "")
		}
	case ast.MapKind:
		for _, entry := range e.AsMap().Entries() {
			w.visit(entry.AsMapEntry().Key(), "")
			w.visit(entry.AsMapEntry().Value(), "")
		}
	case ast.CallKind:
		w.call(e)
	case ast.ComprehensionKind:
		c := e.AsComprehension()
		w.visit(c.IterRange(), "")
		before := len(w.locals)
		w.locals = append(w.locals, c.IterVar(), c.IterVar2(), c.AccuVar())
		w.visit(c.AccuInit(), "")
		w.visit(c.LoopCondition(), "")
		w.visit(c.LoopStep(), "")
		w.visit(c.Result(), "")
		w.locals = w.locals[:before]
	}
}

func (w *rewriting) call(e ast.Expr) {
	c := e.AsCall()
	name := c.FunctionName()
	if c.IsMemberFunction() {
		w.visit(c.Target(), name)
	}
	for i, arg := range c.Args() {
		w.visit(arg, "")
		if takesWhole[name] && (i > 0 || c.IsMemberFunction()) && !(name == "_[_]" && arg.Kind() == ast.LiteralKind && isText(arg)) {
			if d, ok := literal(arg); ok {
				arg.SetKindCase(w.factory.NewLiteral(arg.ID(), types.Int(int64(d))))
			} else if (name == "substring" || name == "charAt") && arg.Kind() != ast.LiteralKind {
				w.wrap(arg, "int")
			}
		}
	}
	if ofTimes[name] && c.IsMemberFunction() && len(c.Args()) == 0 {
		e.SetKindCase(w.factory.NewMemberCall(e.ID(), name, c.Target(), w.factory.NewLiteral(w.fresh(e), types.String(w.zone))))
	}
	if givesWhole[name] {
		w.wrap(e, "double")
	}
}

func literal(e ast.Expr) (float64, bool) {
	if e.Kind() != ast.LiteralKind {
		return 0, false
	}
	d, ok := e.AsLiteral().(types.Double)
	return float64(d), ok
}

func isText(e ast.Expr) bool {
	_, ok := e.AsLiteral().(types.String)
	return ok
}

// qualified is a name with dots in it, such as contact.email.
func qualified(e ast.Expr) (string, bool) {
	switch e.Kind() {
	case ast.IdentKind:
		return e.AsIdent(), true
	case ast.SelectKind:
		if e.AsSelect().IsTestOnly() {
			return "", false
		}
		before, ok := qualified(e.AsSelect().Operand())
		return before + "." + e.AsSelect().FieldName(), ok
	}
	return "", false
}

// name looks at a name that an expression uses.
func (w *rewriting) name(e ast.Expr, name, above string) {
	first, _, _ := strings.Cut(name, ".")
	if slices.Contains(w.locals, first) || strings.HasPrefix(first, "@") || strings.HasPrefix(first, "__") {
		return
	}
	v, ok := w.vars[name]
	if !ok {
		// It may be a part of a record: the longest name that is known counts.
		for at := strings.LastIndex(name, "."); at > 0; at = strings.LastIndex(name[:at], ".") {
			part, there := w.vars[name[:at]]
			if !there || part.kind == AText || part.kind == ANumber || part.kind == AFlag || part.kind == ATime {
				continue
			}
			inner := e
			for range strings.Count(name[at:], ".") {
				inner = inner.AsSelect().Operand()
			}
			w.name(inner, name[:at], "")
			return
		}
		if name == "conversation" && above == "said" || typeNames[name] {
			return
		}
		w.notKnown(e, name)
		return
	}
	if !slices.Contains(w.uses, name) {
		w.uses = append(w.uses, name)
	}
	switch {
	case v.optional && (ofOptional[above] || above == "optional"):
	case v.optional && w.known.has(name):
		w.member(e, "value")
	case v.optional:
		w.wrong(e, "%s may be missing here; say what stands for it: %s.orValue(%s)", name, name, map[Kind]string{ANumber: "0", AFlag: "false", ATime: "now"}[v.kind]+map[bool]string{true: "''"}[v.kind == AText || v.kind == Any])
	case !strings.Contains(name, ".") && !w.known.has(name):
		w.wrong(e, "%s is not set on every way here; set it before, or ask for it", name)
	}
}

var typeNames = map[string]bool{"double": true, "string": true, "bool": true, "int": true, "optional": true}

func (w *rewriting) notKnown(e ast.Expr, name string) {
	known := sortedKeys(w.vars)
	first, rest, dotted := strings.Cut(name, ".")
	var there []string
	for _, k := range known {
		if before, after, ok := strings.Cut(k, "."); dotted && ok && before == first {
			there = append(there, after)
		} else if !dotted && !ok {
			there = append(there, k)
		}
	}
	prefix, word := "", name
	if dotted {
		prefix, word = first+".", rest
	}
	nearest := document.Nearest(word, there)
	if nearest != "" {
		nearest = prefix + nearest
	} else if !dotted || len(there) == 0 {
		nearest = document.Nearest(name, known)
	}
	switch {
	case nearest != "":
		w.wrong(e, "%s is not known here; did you mean %s?", name, nearest)
	case dotted && len(there) > 0:
		w.wrong(e, "%s has no %s; there are: %s", first, rest, strings.Join(there, ", "))
	case dotted:
		w.wrong(e, "%s is not known here", name)
	default:
		for _, group := range []string{"contact", "conversation", "event", "message"} {
			if _, ok := w.vars[group+"."+name]; ok {
				w.wrong(e, "%s is not known here; did you mean %s.%s?", name, group, name)
				return
			}
		}
		w.wrong(e, "%s is not known here; there are: %s, and what begins with contact., conversation., event., message.", name, strings.Join(there, ", "))
	}
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
