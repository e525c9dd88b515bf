package flow

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"urgentparrot.example/internal/core/document"
)

// fields reads the fields of a block. Others beside are names that stand there too.
func (r *reader) fields(n document.Node, fields []Field, what string, others []string) Args {
	args := Args{}
	seen := map[string]document.Entry{}
	for _, e := range n.Entries {
		f := fieldNamed(fields, e.Key)
		if f == nil {
			if before, ok := seen[e.Key]; ok || slices.Contains(others, e.Key) {
				r.Note(e.Line, e.Column, "%q is there already, in line %d", e.Key, max(before.Line, n.Line))
				continue
			}
			known := slices.Clone(others)
			for _, f := range fields {
				known = append(known, f.Name)
			}
			r.unknown(e.Line, e.Column, what+" has no %q", e.Key, known)
			continue
		}
		if before, ok := seen[e.Key]; ok {
			r.Note(e.Line, e.Column, "%q is there already, in line %d", e.Key, before.Line)
			continue
		}
		seen[e.Key] = e
		arg := r.field(e, f)
		if arg == nil {
			arg = &Arg{At: at(e.Value), Field: f, Unread: true}
			r.flow.unread[arg.At] = true
		}
		args[f.Name] = arg
	}
	for _, f := range fields {
		if _, ok := seen[f.Name]; f.Required && !ok {
			r.Note(n.Line, n.Column, "%s needs %q: %s", what, f.Name, lowered(f.About))
		}
	}
	return args
}

// lowered is a sentence without its capital and its full stop.
func lowered(s string) string {
	s = strings.TrimSuffix(s, ".")
	if len(s) > 1 && s[1] >= 'a' {
		return strings.ToLower(s[:1]) + s[1:]
	}
	return s
}

var typeWords = map[Type]string{
	Text: "a text", Words: "a text", Condition: "a condition in quotes, such as \"party_size > 8\"", Value: "an expression in quotes, such as \"party_size + 1\"",
	Duration: "a time such as 30m, 4h or 3d", Number: "a whole number", Flag: "true or false", Choice: "one of its choices", Name: "a name", Variable: "a name",
	Steps: "a list of steps", Cells: "a block of keys with texts", Texts: "a text, or a list of texts", Object: "a block of keys", Objects: "a list of blocks of keys",
}

// field reads the value of one field; nil if it cannot be read.
func (r *reader) field(e document.Entry, f *Field) *Arg {
	n := e.Value
	arg := &Arg{At: at(n), Field: f, Text: n.Text, Quoted: n.Quoted}
	if n.Quoted {
		arg.offset = 1
	}
	wrong := func() *Arg {
		r.Note(n.Line, n.Column, "%s stands behind %q; %s is expected", n.Shape, f.Name, typeWords[f.Type])
		return nil
	}
	switch f.Type {
	case Steps:
		if n.Shape != document.AList && n.Shape != document.ABlock {
			return wrong()
		}
		arg.Block = r.later(f.Name, n)
	case Cells:
		if n.Shape != document.ABlock {
			return wrong()
		}
		for _, cell := range n.Entries {
			if slices.ContainsFunc(arg.Cells, func(c Cell) bool { return c.Key == cell.Key }) {
				r.Note(cell.Line, cell.Column, "%q is there already", cell.Key)
				continue
			}
			text := &Arg{At: at(cell.Value), Field: f, Text: cell.Value.Text, Quoted: cell.Value.Quoted}
			if r.text(cell.Value, f, true) {
				arg.Cells = append(arg.Cells, Cell{cell.Key, text})
			}
		}
	case Texts:
		items := n.Items
		if n.Shape == document.AText {
			items = []document.Node{n}
		} else if n.Shape != document.AList || len(items) == 0 {
			return wrong()
		}
		for _, item := range items {
			if item.Shape != document.AText {
				r.Note(item.Line, item.Column, "%s stands here; a text is expected", item.Shape)
			} else if r.text(item, f, false) {
				arg.Texts = append(arg.Texts, &Arg{At: at(item), Field: f, Text: item.Text, Quoted: item.Quoted})
			}
		}
	case Object:
		if n.Shape != document.ABlock {
			return wrong()
		}
		arg.Object = r.fields(n, f.Of, "\""+f.Name+"\"", nil)
	case Objects:
		items := n.Items
		if n.Shape == document.ABlock {
			items = []document.Node{n}
		} else if n.Shape != document.AList || len(items) == 0 {
			return wrong()
		}
		for i, item := range items {
			if item.Shape != document.ABlock {
				r.Note(item.Line, item.Column, "%s stands here; a block of keys is expected: %s", item.Shape, fieldNames(f.Of))
				continue
			}
			r.inList(f.Name, i, func() { arg.Objects = append(arg.Objects, r.fields(item, f.Of, "an item of \""+f.Name+"\"", nil)) })
			arg.Places = append(arg.Places, at(item))
		}
	case JSON:
		arg.JSON = Plain(n)
	default:
		if n.Shape != document.AText {
			return wrong()
		}
		if !r.scalar(n, f, arg) {
			return nil
		}
	}
	return arg
}

// scalar reads what stands in one text.
func (r *reader) scalar(n document.Node, f *Field, arg *Arg) bool {
	wrong := func(format string, args ...any) bool {
		r.Note(n.Line, n.Column, format, args...)
		return false
	}
	switch f.Type {
	case Text, Words:
		return r.text(n, f, false)
	case Condition, Value:
		if n.Cut != "" && !n.Quoted {
			return r.text(n, f, true)
		}
		if strings.HasPrefix(n.Odd, "a type") || strings.HasPrefix(n.Odd, "a reference") {
			return r.text(n, f, true)
		}
		if strings.TrimSpace(n.Text) == "" {
			return wrong("%q is empty; %s is expected", f.Name, typeWords[f.Type])
		}
		if inner, ok := strings.CutPrefix(strings.TrimSpace(n.Text), "{{"); ok {
			return wrong("%q is an expression by itself: write it without {{ and }}: %q", f.Name, strings.TrimSpace(strings.TrimSuffix(inner, "}}")))
		}
	case Duration:
		d, err := ParseDuration(n.Text)
		most := f.Within
		if most == 0 {
			most = 366 * 24 * time.Hour
		}
		switch {
		case err != nil:
			return wrong("%q is not a time; write it like 30m, 4h or 3d", clipped(n.Text))
		case d < 0 || d > most:
			return wrong("%q must be at most %s", f.Name, Spoken(most))
		}
		arg.Duration = d
	case Number:
		v, err := strconv.ParseFloat(n.Text, 64)
		most := f.Most
		if most == 0 {
			most = 1_000_000
		}
		if err != nil || v != float64(int64(v)) || n.Quoted {
			return wrong("%s stands behind %q; a whole number is expected", clipped(n.Text), f.Name)
		}
		if v < f.Least || v > most {
			return wrong("%q must be from %d to %d", f.Name, int(f.Least), int(most))
		}
		arg.Number = v
	case Flag:
		switch strings.ToLower(n.Text) {
		case "true":
			arg.Flag = true
		case "false":
		default:
			return wrong("%q stands behind %q; true or false is expected", clipped(n.Text), f.Name)
		}
	case Choice:
		if !slices.Contains(f.Choices, n.Text) {
			r.unknown(n.Line, n.Column, "%q is not known for \""+f.Name+"\"", n.Text, slices.Clone(f.Choices))
			return false
		}
	case Variable:
		if IsTaken(n.Text) {
			return wrong("%q means something in expressions already; save it under another name", n.Text)
		}
		if !isVariable(n.Text) {
			return wrong("%q is no name for a value: use small letters, digits and _, a letter first, as in party_size; or contact.email for a field of the contact", clipped(n.Text))
		}
	case Name:
		if n.Text == "" {
			return wrong("%q is empty; a name is expected", f.Name)
		}
	}
	return true
}

var variableRule = regexp.MustCompile(`^(contact\.)?[a-z][a-z0-9_]{0,39}$`)

func isVariable(s string) bool { return variableRule.MatchString(s) && !reserved[s] && !words[s] }

// reserved are names that values cannot be saved under: they mean something already.
var reserved = map[string]bool{
	"contact": true, "conversation": true, "message": true, "event": true, "memory": true, "now": true, "workspace": true, "run": true,
	"item": true, "number": true, "round": true, "replied": true, "answered": true, "confidence": true, "optional": true,
	"int": true, "double": true, "string": true, "bool": true, "list": true, "map": true, "type": true, "duration": true, "timestamp": true, "size": true,
}

// words are those of the language of expressions, which nothing can be called by.
var words = map[string]bool{
	"true": true, "false": true, "null": true, "in": true, "as": true, "break": true, "const": true, "continue": true, "else": true, "for": true, "function": true,
	"if": true, "import": true, "let": true, "loop": true, "package": true, "namespace": true, "return": true, "var": true, "void": true, "while": true,
}

// text checks what is meant as a text for what YAML would make of it. Where figures may
// stand bare, they may.
func (r *reader) text(n document.Node, f *Field, figures bool) bool {
	switch {
	case n.Shape != document.AText:
		r.Note(n.Line, n.Column, "%s stands here; a text is expected", n.Shape)
	case n.Odd != "" && !n.Quoted && !(figures && n.Odd == "a number"):
		r.Note(n.Line, n.Column, "%s is read as %s here; put the text in quotes: \"%s\"", clipped(n.Text), n.Odd, clipped(n.Text))
	case n.Cut != "" && !n.Quoted && f.Type != Words:
		r.Note(n.Line, n.Column, "the text ends at the #, so that %q is left out; put the whole text in quotes", clipped("#"+n.Cut))
	case len([]rune(n.Text)) > mostText:
		r.Note(n.Line, n.Column, "the text has more than %d characters", mostText)
	default:
		return true
	}
	return false
}

// Plain is a node of a document as JSON would hold it.
func Plain(n document.Node) any {
	switch n.Shape {
	case document.ABlock:
		m := map[string]any{}
		for _, e := range n.Entries {
			m[e.Key] = Plain(e.Value)
		}
		return m
	case document.AList:
		list := []any{}
		for _, item := range n.Items {
			list = append(list, Plain(item))
		}
		return list
	case document.NoValue:
		return nil
	}
	switch {
	case n.Quoted:
	case n.Odd == "a number":
		if v, err := strconv.ParseFloat(n.Text, 64); err == nil {
			return v
		}
	case n.Text == "true", n.Text == "false":
		return n.Text == "true"
	}
	return n.Text
}

// within collects the lists of steps that are read while do runs.
func (r *reader) within(b *blocks, do func()) {
	before := r.collecting
	r.collecting = b
	do()
	r.collecting = before
}

// inList gives the lists of steps in an item of a list names of their own.
func (r *reader) inList(field string, i int, do func()) {
	before := r.prefix
	r.prefix = fmt.Sprintf("%s.%d", field, i)
	do()
	r.prefix = before
}

// later notes a list of steps, to be read after the fields of its step.
func (r *reader) later(name string, n document.Node) *Block {
	if r.prefix != "" {
		name = r.prefix
	}
	b := &Block{Name: name, At: at(n)}
	if r.collecting != nil {
		r.collecting.waiting = append(r.collecting.waiting, waitingBlock{name, n, b})
	}
	return b
}

var durationPart = regexp.MustCompile(`^(\d{1,7}(?:\.\d{1,3})?)(ms|s|m|h|d|w)`)

// ParseDuration reads a time such as "30m", "1h30m", "4d" or "2w".
func ParseDuration(s string) (time.Duration, error) {
	units := map[string]time.Duration{"ms": time.Millisecond, "s": time.Second, "m": time.Minute, "h": time.Hour, "d": 24 * time.Hour, "w": 7 * 24 * time.Hour}
	rest, total := strings.ReplaceAll(strings.TrimSpace(s), " ", ""), time.Duration(0)
	if rest == "" {
		return 0, fmt.Errorf("no time stands here")
	}
	for rest != "" {
		m := durationPart.FindStringSubmatch(rest)
		if m == nil {
			return 0, fmt.Errorf("%q is not a time", s)
		}
		n, err := strconv.ParseFloat(m[1], 64)
		if err != nil || n*float64(units[m[2]]) > float64(100*366*24*time.Hour) {
			return 0, fmt.Errorf("%q is too long", s)
		}
		total += time.Duration(n * float64(units[m[2]]))
		rest = rest[len(m[0]):]
	}
	return total, nil
}

// Spoken says a duration in words: "4 days", "1 hour and 30 minutes".
func Spoken(d time.Duration) string {
	var parts []string
	for _, unit := range []struct {
		size time.Duration
		name string
	}{{24 * time.Hour, "day"}, {time.Hour, "hour"}, {time.Minute, "minute"}, {time.Second, "second"}} {
		if n := d / unit.size; n > 0 {
			name := unit.name
			if n != 1 {
				name += "s"
			}
			parts = append(parts, fmt.Sprintf("%d %s", n, name))
			d -= n * unit.size
		}
	}
	switch len(parts) {
	case 0:
		return "no time"
	case 1:
		return parts[0]
	}
	return strings.Join(parts[:len(parts)-1], ", ") + " and " + parts[len(parts)-1]
}
