package flow

import (
	"fmt"
	"strings"
)

// block checks a list of steps, given what is known before it; it returns what is known
// after it, nil if nothing comes after it.
func (c *Checking) block(b *Block, known scope) scope {
	for i, s := range b.Steps {
		if known == nil {
			if !c.never {
				c.Wrong(s.At, "this is never reached: the step before it, in line %d, always ends the run", b.Steps[i-1].At.Line)
			}
			c.never = true
			known = scope{}.with(sortedKeys(c.kinds)...)
			defer func() { c.never = false }()
		}
		known = c.step(s, known)
	}
	return known
}

func (c *Checking) step(s *Step, before scope) scope {
	if s.Kind.Missing != "" {
		c.Wrong(s.At, "the step %s cannot be taken yet: %s", s.Kind.Name, s.Kind.Missing)
	}
	in := before.with(always...)
	if s.Has("if") {
		c.arg(s.Args["if"], in)
	}
	after := in
	for name := range s.sets() {
		after = after.with(name)
	}
	for _, f := range s.Kind.Fields {
		arg := s.Args[f.Name]
		switch {
		case arg == nil || f.Type == Steps:
		case f.After:
			c.arg(arg, after)
		case f.Type == Objects && s.Block(f.Name+".0") != nil:
			// of a branch: each is looked at with what is known there
		default:
			c.arg(arg, in)
		}
	}
	if s.Kind.Check != nil {
		s.Kind.Check(c, s)
	}
	out := after
	switch s.Kind.Leads {
	case LeadsBranch:
		out = c.branch(s, in)
	case LeadsLoop:
		body := in.with("round")
		if s.overList() {
			body = body.with("item", "number")
		}
		if inner := s.Block("steps"); inner != nil {
			c.block(inner, body)
		}
		out = in
	case LeadsQuestion:
		out = c.question(s, in, after)
	}
	if s.Kind.Ends {
		out = nil
	}
	if failed := s.Block("on_error"); failed != nil {
		out = meet(out, c.block(failed, in))
	}
	if s.Has("if") {
		out = meet(out, in)
	}
	return out
}

// question follows what may come of a question: an answer, silence, or nothing clear.
func (c *Checking) question(s *Step, in, after scope) scope {
	out := after
	if silent := s.Block("if_silent"); silent != nil {
		before := c.implied
		c.implied = []string{s.Raw("save")}
		out = meet(out, c.block(silent, in))
		c.implied = before
	}
	if unclear := s.Block("if_unclear"); unclear != nil {
		out = meet(out, c.block(unclear, in))
	}
	return out
}

func (c *Checking) branch(s *Step, in scope) (out scope) {
	rest, seen, otherwise := in, map[string]Place{}, false
	for i, arm := range s.List("branch") {
		at := s.Args["branch"].Places[i]
		block := s.Block(fmt.Sprintf("branch.%d", i))
		condition := arm["if"]
		if arm.Has("else") {
			condition = nil
		}
		switch {
		case otherwise:
			c.Wrong(at, "this can never run: the else before it takes all that is left")
		case condition == nil && !arm.Has("else"):
			c.Wrong(at, "say when this is taken: if, or else for all that is left")
		case condition != nil && arm.Has("steps") == false:
			c.Wrong(at, "say what happens then: steps, a list of steps")
		}
		inner := rest
		if condition != nil {
			source := strings.Join(strings.Fields(condition.Text), "")
			if before, twice := seen[source]; twice {
				c.Wrong(condition.At, "this can never run: the same condition stands in line %d", before.Line)
			}
			seen[source] = condition.At
			if source == "false" {
				c.Wrong(condition.At, "this can never run: the condition is never true")
			}
			c.arg(condition, rest)
			switch source {
			case "replied":
				inner = rest.with(c.implied...)
			case "!replied":
				rest = rest.with(c.implied...)
			case "true":
				otherwise = true
			}
		} else {
			otherwise = true
		}
		if block != nil {
			out = meet(out, c.block(block, inner))
		}
	}
	if !otherwise {
		out = meet(out, rest)
	}
	return out
}
