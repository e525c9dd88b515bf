package flow

import (
	"fmt"
	"slices"
	"strings"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"

	"urgentparrot.example/internal/core/document"
)

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
	asks    []string // hours
	doubts  []*fault
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
		if ofOptional[name] {
			w.maybe(c.Target())
		}
		w.visit(c.Target(), name)
	}
	w.compares(c)
	if name == "open" && len(c.Args()) == 1 {
		w.ofHours(c.Args()[0])
	}
	for i, arg := range c.Args() {
		above := ""
		if name == optionalSelect && i == 0 {
			above = "or" // what may be missing may be missing there
		}
		w.visit(arg, above)
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
	if name == "spoken" && len(c.Args()) == 1 && !c.IsMemberFunction() {
		e.SetKindCase(w.factory.NewCall(e.ID(), name, c.Args()[0], w.factory.NewIdent(w.fresh(e), "now")))
		if !slices.Contains(w.uses, "now") {
			w.uses = append(w.uses, "now")
		}
	}
	if givesWhole[name] {
		w.wrap(e, "double")
	}
}

// optionalSelect is a.?b.
const optionalSelect = "_?._"

// maybe lets the parts of a record be missing, behind what is known: event.body.total before
// .orValue(0) is event.body.?total.
func (w *rewriting) maybe(e ast.Expr) {
	name, ok := qualified(e)
	if _, known := w.vars[name]; !ok || known || e.Kind() != ast.SelectKind || slices.Contains(w.locals, strings.SplitN(name, ".", 2)[0]) {
		return
	}
	parts := 0
	for at := name; ; parts++ {
		if _, known := w.vars[at]; known {
			break
		}
		dot := strings.LastIndex(at, ".")
		if dot < 0 {
			return // nothing of it is known: that is told where it is looked at
		}
		at = at[:dot]
	}
	w.missing(e, parts)
}

// missing lets so many of the last parts of a name be missing.
func (w *rewriting) missing(e ast.Expr, parts int) {
	of := e.AsSelect()
	operand, field := of.Operand(), of.FieldName()
	if parts > 1 {
		w.missing(operand, parts-1)
	}
	e.SetKindCase(w.factory.NewCall(w.fresh(e), optionalSelect, operand, w.factory.NewLiteral(w.fresh(e), types.String(field))))
}

// ofHours looks at the name of the hours that an expression asks for.
func (w *rewriting) ofHours(arg ast.Expr) {
	name, ok := "", false
	if arg.Kind() == ast.LiteralKind {
		name, ok = arg.AsLiteral().Value().(string)
	}
	switch nearest := document.Nearest(name, w.hours); {
	case !ok:
		w.wrong(arg, "say which hours, by their name in quotes: workspace.open('office')")
	case slices.Contains(w.hours, name):
		w.asks = append(w.asks, name)
	case nearest != "":
		w.wrong(arg, "there are no hours called %q; did you mean %q?", name, nearest)
	case len(w.hours) == 0:
		w.wrong(arg, "there are no hours called %q, and none at all yet: parrot hours example shows how they are written", name)
	default:
		w.wrong(arg, "there are no hours called %q; there are: %s", name, strings.Join(w.hours, ", "))
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
		if name == "conversation" && above == "said" || name == "workspace" && above == "open" || typeNames[name] {
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
	case ofOptional[above] && v.kind != Any: // it is always there: what stands for it may be said all the same
		w.wrap(e, "optional.of")
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
	case dotted && first == "event" && slices.Contains(there, "item"): // somebody starts it by hand
		w.wrong(e, "event has no %s; there are: %s; what the flow is given where it is started by hand is named there, as in by hand: { with: [%s] }", rest, strings.Join(there, ", "), rest)
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
