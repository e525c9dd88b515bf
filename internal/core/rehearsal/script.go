// Package rehearsal plays scripted conversations against bots and flows: with a made-up
// clock and stand-ins for all that is outside, so that days pass in milliseconds and nothing
// real is touched.
package rehearsal

import (
	"fmt"
	"strings"
	"time"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/text"
)

// A Script is a rehearsal as it is written. It does not change once it was read.
type Script struct {
	Title   string
	Channel string
	Bot     string            // which bot has the conversation; that of the channel if ""
	Contact map[string]string // what is known of the customer
	Begins  time.Time         // zero: a Tuesday at ten
	Items   []Item
}

// An Item is one line of a script. One of its parts is there.
type Item struct {
	Line     int
	Customer string
	Bot      *Saying
	Pass     time.Duration
	Person   string // take, return, close
	Start    *Start
	Answers  *Answers
	Expect   *Expect
}

// A Saying is what the bot is to say: a text that contains words, any of some, and not
// others.
type Saying struct {
	Says, Asks []string // each must stand in it
	Any        []string // one of these must
	Not        []string // none of these may
	Silent     bool     // nothing is said
}

// Start starts a flow by something else than a message.
type Start struct {
	Flow, Form string
	Values     map[string]string
	Post       map[string]any // a body that is posted to the flow
}

// Answers are what another system answers from here on.
type Answers struct {
	Tool   string
	Result any
	Error  string
}

// Expect is what is to have happened since the last look, or to be so.
type Expect struct {
	Sheet     string
	Row       map[string]string
	Tag       string
	Stage     string
	Notified  string
	Called    string
	Counted   string
	Ended     string // how a run ended: these words are in the reason
	Waits     string // a run waits: for reply, time, person
	Field     map[string]string
	Answered  *bool
	Escalated *bool
	Closed    *bool
}

// Named is document.Document's: a name made of the title.
func (s Script) Named() string { return NameOf(s.Title) }

// Refers is document.Document's.
func (s Script) Refers() (refers []document.Reference) {
	if s.Channel != "" {
		refers = append(refers, document.Reference{Path: "$.channel", Kind: "channel", Name: s.Channel})
	}
	if s.Bot != "" {
		refers = append(refers, document.Reference{Path: "$.bot", Kind: "bot", Name: s.Bot})
	}
	return refers
}

// named are the keys of a script's lines that name documents, and of which kind.
var named = map[string]string{"flow": "flow", "form": "form", "tool": "tool", "called": "tool", "sheet": "sheet"}

// Mentions is document.Kind's: the documents that lines of a script name.
func Mentions(source []byte, kind, name string) (places []document.Place) {
	root, c := document.Tree("", source)
	if c.Failed() {
		return nil
	}
	for _, e := range root.Entries {
		if e.Key != "script" {
			continue
		}
		for _, item := range e.Value.Items {
			for _, line := range item.Entries {
				for _, f := range line.Value.Entries {
					if named[f.Key] == kind && f.Value.Text == name {
						places = append(places, document.Place{Line: f.Value.Line, Column: f.Value.Column})
					}
				}
			}
		}
	}
	return places
}

// NameOf makes a name of a title: "A group of thirty" is a-group-of-thirty.
func NameOf(title string) string {
	var words []string
	for w := range text.EachWord(title) {
		if folded := strings.Map(func(r rune) rune {
			if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' {
				return r
			}
			return -1
		}, w.Folded); folded != "" {
			words = append(words, folded)
		}
	}
	name := strings.Join(words, "-")
	if len(name) > 40 {
		name = strings.Trim(name[:40], "-")
	}
	return name
}

// Example is a whole rehearsal to begin from.
const Example = `rehearsal: A bicycle on board
channel: website
script:
  - customer: "can i take my bike?"
  - bot: { says: bicycle }
  - expect: { answered: true }
`

// Parse reads a script. The error is document.Problems.
func Parse(file string, source []byte) (Script, error) {
	root, c := document.Tree(file, source)
	var s Script
	if c.Failed() {
		return s, c.Err()
	}
	p := &parser{c}
	if root.Shape != document.ABlock {
		c.Note(root.Line, root.Column, "a rehearsal begins with its title, as in \"rehearsal: A group of thirty\"")
		return s, c.Err()
	}
	for _, e := range root.Entries {
		switch e.Key {
		case "rehearsal":
			if s.Title = e.Value.Text; NameOf(s.Title) == "" {
				c.Note(e.Line, e.Column, "a rehearsal needs a title with words in it")
			}
		case "channel":
			s.Channel = e.Value.Text
		case "bot":
			s.Bot = e.Value.Text
		case "contact":
			s.Contact = p.texts(e.Value)
		case "begins":
			t, ok := flow.Moment(e.Value.Text, time.Time{}.UTC())
			if s.Begins = t; !ok {
				c.Note(e.Line, e.Column, "%q is no time; write it like \"2026-12-01 09:30\"", e.Value.Text)
			}
		case "script":
			for _, item := range e.Value.Items {
				s.Items = append(s.Items, p.item(item))
			}
		default:
			p.unknown(e, "rehearsal", "channel", "bot", "contact", "begins", "script")
		}
	}
	if s.Title == "" {
		c.Note(root.Line, root.Column, "a rehearsal needs a title: rehearsal: A group of thirty")
	}
	if len(s.Items) == 0 || len(s.Items) > 500 {
		c.Note(root.Line, root.Column, "a rehearsal needs a script of 1 to 500 lines")
	}
	return s, c.Err()
}

type parser struct{ *document.Checker }

func (p *parser) unknown(e document.Entry, known ...string) {
	if nearest := document.Nearest(e.Key, known); nearest != "" {
		p.Note(e.Line, e.Column, "%q is not known here; did you mean %q?", e.Key, nearest)
	} else {
		p.Note(e.Line, e.Column, "%q is not known here; there are: %s", e.Key, strings.Join(known, ", "))
	}
}

func (p *parser) texts(n document.Node) map[string]string {
	m := map[string]string{}
	if n.Shape != document.ABlock {
		p.Note(n.Line, n.Column, "%s stands here; a block of keys is expected", n.Shape)
	}
	for _, e := range n.Entries {
		m[e.Key] = e.Value.Text
	}
	return m
}

func (p *parser) list(n document.Node) (list []string) {
	if n.Shape == document.AText {
		return []string{n.Text}
	}
	for _, item := range n.Items {
		list = append(list, item.Text)
	}
	if len(list) == 0 {
		p.Note(n.Line, n.Column, "%s stands here; a text, or a list of texts, is expected", n.Shape)
	}
	return list
}

func (p *parser) is(n document.Node) *bool {
	v := n.Text == "true"
	if n.Text != "true" && n.Text != "false" {
		p.Note(n.Line, n.Column, "%q stands here; true or false is expected", n.Text)
	}
	return &v
}

func (p *parser) item(n document.Node) (it Item) {
	it.Line = n.Line
	if n.Shape != document.ABlock || len(n.Entries) != 1 {
		p.Note(n.Line, n.Column, "a line of the script is one of: customer, bot, pass_time, person, start, answers, expect")
		return it
	}
	e := n.Entries[0]
	switch v := e.Value; e.Key {
	case "customer":
		it.Customer = v.Text
		if strings.TrimSpace(v.Text) == "" {
			p.Note(v.Line, v.Column, "the customer says nothing")
		}
	case "bot":
		it.Bot = p.saying(v)
	case "pass_time":
		d, err := flow.ParseDuration(v.Text)
		if it.Pass = d; err != nil {
			p.Note(v.Line, v.Column, "%q is not a time; write it like 30m, 4h or 3d", v.Text)
		}
	case "person":
		if it.Person = v.Text; v.Text != "take" && v.Text != "return" && v.Text != "close" {
			p.Note(v.Line, v.Column, "a person may: take, return, close")
		}
	case "start":
		it.Start = &Start{}
		for _, f := range v.Entries {
			switch f.Key {
			case "flow":
				it.Start.Flow = f.Value.Text
			case "form":
				it.Start.Form = f.Value.Text
			case "with":
				it.Start.Values = p.texts(f.Value)
			case "post":
				it.Start.Post, _ = valueOf(f.Value).(map[string]any)
			default:
				p.unknown(f, "flow", "form", "with", "post")
			}
		}
		if it.Start.Flow == "" && it.Start.Form == "" {
			p.Note(v.Line, v.Column, "say what starts it: flow, or form")
		}
	case "answers":
		it.Answers = &Answers{}
		for _, f := range v.Entries {
			switch f.Key {
			case "tool":
				it.Answers.Tool = f.Value.Text
			case "result":
				it.Answers.Result = valueOf(f.Value)
			case "error":
				it.Answers.Error = f.Value.Text
			default:
				p.unknown(f, "tool", "result", "error")
			}
		}
	case "expect":
		it.Expect = p.expect(v)
	default:
		p.unknown(e, "customer", "bot", "pass_time", "person", "start", "answers", "expect")
	}
	return it
}

func (p *parser) saying(n document.Node) *Saying {
	s := &Saying{}
	switch n.Shape {
	case document.AList:
		s.Says = p.list(n)
		return s
	case document.AText:
		if s.Silent = n.Text == "silent"; !s.Silent {
			s.Says = []string{n.Text}
		}
		return s
	}
	for _, e := range n.Entries {
		switch e.Key {
		case "says":
			s.Says = p.list(e.Value)
		case "asks":
			s.Asks = p.list(e.Value)
		case "any":
			s.Any = p.list(e.Value)
		case "not":
			s.Not = p.list(e.Value)
		default:
			p.unknown(e, "says", "asks", "any", "not")
		}
	}
	return s
}

func (p *parser) expect(n document.Node) *Expect {
	x := &Expect{}
	for _, e := range n.Entries {
		v := e.Value
		switch e.Key {
		case "sheet":
			x.Sheet = v.Text
		case "row":
			x.Row = p.texts(v)
		case "tag":
			x.Tag = v.Text
		case "stage":
			x.Stage = v.Text
		case "notified":
			x.Notified = v.Text
		case "called":
			x.Called = v.Text
		case "counted":
			x.Counted = v.Text
		case "ended":
			x.Ended = v.Text
		case "waits":
			x.Waits = v.Text
		case "field":
			x.Field = p.texts(v)
		case "answered":
			x.Answered = p.is(v)
		case "escalated":
			x.Escalated = p.is(v)
		case "closed":
			x.Closed = p.is(v)
		default:
			p.unknown(e, "sheet", "row", "tag", "stage", "notified", "called", "counted", "ended", "waits", "field", "answered", "escalated", "closed")
		}
	}
	if len(n.Entries) == 0 {
		p.Note(n.Line, n.Column, "say what is expected, such as { answered: true } or { sheet: enquiries, row: { Name: Ada } }")
	}
	return x
}

func valueOf(n document.Node) any { return flow.Plain(n) }

// String says in words what is expected.
func (x *Expect) String() string {
	var parts []string
	note := func(format string, args ...any) { parts = append(parts, fmt.Sprintf(format, args...)) }
	is := func(v *bool, yes, no string) {
		switch {
		case v == nil:
		case *v:
			note("%s", yes)
		default:
			note("%s", no)
		}
	}
	if x.Sheet != "" {
		note("a row in the sheet %s", x.Sheet)
		for _, column := range sortedKeys(x.Row) {
			note("%s: %s", column, x.Row[column])
		}
	}
	for _, one := range []struct{ what, words string }{
		{x.Tag, "tagged %s"}, {x.Stage, "stage %s"}, {x.Notified, "somebody is told: %s"}, {x.Called, "the tool %s is called"}, {x.Counted, "%s is counted"},
		{x.Ended, "a run ended: %s"}, {x.Waits, "a run waits for %s"},
	} {
		if one.what != "" {
			note(one.words, one.what)
		}
	}
	for _, field := range sortedKeys(x.Field) {
		note("%s is %s", field, x.Field[field])
	}
	is(x.Answered, "answered", "not answered")
	is(x.Escalated, "a person is brought in", "no person is brought in")
	is(x.Closed, "the conversation is closed", "the conversation is open")
	return strings.Join(parts, ", ")
}

// String says in words what is to be said.
func (s *Saying) String() string {
	var parts []string
	if s.Silent {
		return "nothing"
	}
	for _, list := range []struct {
		words string
		of    []string
	}{{"says", s.Says}, {"asks", s.Asks}, {"any of", s.Any}, {"not", s.Not}} {
		if len(list.of) > 0 {
			parts = append(parts, list.words+" “"+strings.Join(list.of, "”, “")+"”")
		}
	}
	return strings.Join(parts, ", ")
}
