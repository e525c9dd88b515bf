package flow

import (
	"fmt"
	"slices"
	"strings"

	"cel.dev/cel-go/common/ast"
	op "cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/document"
)

// A Domain says which texts a value may be.
type Domain struct {
	Among []string // one of these; nil: any
	Typed bool     // what somebody typed: it is seldom just what it is held against
}

// domains gathers which texts the values of the flow may be. A name that is set in ways that
// differ may be anything.
func (c *Checking) domains() map[string]Domain {
	of := map[string]Domain{
		"message.text": {Typed: true}, "conversation.last_customer": {Typed: true}, "conversation.channel": {Among: c.Names("channel")},
	}
	for _, t := range c.Triggers {
		if g, ok := c.event["text"]; ok && t.Kind.Talks && g.Kind == AText {
			of["event.text"] = Domain{Typed: true}
		}
	}
	stages := []string{""}
	for _, s := range c.Settings.Stages {
		stages = append(stages, s.Name)
	}
	of["contact.stage"] = Domain{Among: stages}
	for _, f := range c.Fields() {
		if f.Type == contact.Choice {
			of["contact."+f.Name] = Domain{Among: append([]string{""}, f.Choices...)}
		}
	}
	told := map[string]bool{}
	c.Each(func(s *Step, _ int) {
		var own map[string]Domain
		if s.Kind.Domains != nil {
			own = s.Kind.Domains(s)
		}
		for name, d := range own {
			if strings.Contains(name, ".") && !strings.HasPrefix(name, "contact.") { // of a part of a record
				of[name] = d
			}
		}
		for name := range s.sets() {
			if strings.HasPrefix(name, "contact.") {
				continue // the field says what it may be
			}
			d, has := own[name]
			if _, before := of[name]; !has || told[name] || before {
				d = Domain{}
			}
			told[name] = true
			if of[name] = d; d.Among == nil && !d.Typed {
				delete(of, name)
			}
		}
	})
	return of
}

// compares looks at a comparison of a name with texts: some of them it can never be.
func (w *rewriting) compares(call ast.CallExpr) {
	args := call.Args()
	switch call.FunctionName() {
	case op.Equals, op.NotEquals:
		w.held(args[0], args[1])
		w.held(args[1], args[0])
	case op.In:
		if args[1].Kind() == ast.ListKind {
			for _, item := range args[1].AsList().Elements() {
				w.held(args[0], item)
			}
		}
	}
}

// held looks at what a name is held against.
func (w *rewriting) held(what, against ast.Expr) {
	if against.Kind() != ast.LiteralKind {
		return
	}
	text, ok := against.AsLiteral().(types.String)
	if what.Kind() == ast.CallKind && what.AsCall().FunctionName() == "orValue" {
		what = what.AsCall().Target()
	}
	name, named := qualified(what)
	d, known := w.among[name]
	switch {
	case !ok || !named || !known:
	case d.Typed && text != "":
		w.doubt(against, "what somebody writes is seldom just %q: ask as boolean or with choices, or look whether it holds the word, as in %s.lowerAscii().contains(%q)", string(text), name, strings.ToLower(string(text)))
	case d.Among != nil && !slices.Contains(d.Among, string(text)):
		may := slices.DeleteFunc(slices.Clone(d.Among), func(s string) bool { return s == "" })
		words := fmt.Sprintf("%s is never %q: it is %s", name, string(text), Or(may))
		if nearest := document.Nearest(string(text), may); nearest != "" {
			words = fmt.Sprintf("%s is never %q; did you mean %q?", name, string(text), nearest)
		}
		w.doubt(against, "%s", words)
	}
}

// doubt notes what may be wrong with a part of an expression.
func (w *rewriting) doubt(e ast.Expr, format string, args ...any) {
	at := w.tree.SourceInfo().GetStartLocation(e.ID())
	w.doubts = append(w.doubts, &fault{offsetOf(w.source, at), fmt.Sprintf(format, args...)})
}
