// Package document reads the text documents of a workspace (bots, tools,
// channels) strictly, and says where in them something is wrong.
package document

import (
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"

	"urgentparrot.example/internal/core/text"
)

// A Problem is one thing that is wrong in a document, and where. Line and
// Column count from 1; they are 0 when the place is not known.
type Problem struct {
	File    string `json:"file"`
	Line    int    `json:"line"`
	Column  int    `json:"column"`
	Message string `json:"message"`
	Path    string `json:"path,omitempty"` // of the key that is wrong, as in "$.tools[0]", if it is known
}

func (p Problem) Error() string {
	if p.Line == 0 {
		return p.File + ": " + p.Message
	}
	return fmt.Sprintf("%s:%d:%d: %s", p.File, p.Line, p.Column, p.Message)
}

// Problems are all that is wrong in a document. It is an error; use Err to
// return it, so that none becomes nil.
type Problems []Problem

func (ps Problems) Error() string {
	lines := make([]string, len(ps))
	for i, p := range ps {
		lines[i] = p.Error()
	}
	return strings.Join(lines, "\n")
}

// Limit is the largest document that is read, in bytes.
const Limit = 256 << 10

// A Checker collects the problems of one document.
type Checker struct {
	name     string
	file     *ast.File
	problems Problems
}

// Decode reads YAML into a struct. A key that the struct does not have, a value
// of the wrong type, or a document over Limit is a problem. The name stands for
// the document in messages. The returned Checker takes further problems; its Err
// reports those of reading too.
func Decode(name string, source []byte, into any) *Checker {
	c := &Checker{name: name}
	c.read(source, into, yaml.Strict())
	return c
}

func (c *Checker) read(source []byte, into any, options ...yaml.DecodeOption) {
	if len(source) > Limit {
		c.problems = append(c.problems, Problem{File: c.name, Message: fmt.Sprintf("the document is larger than %d KiB", Limit>>10)})
		return
	}
	if p := excess(source); p != nil {
		p.File = c.name
		c.problems = append(c.problems, *p)
		return
	}
	file, err := parsed(source, 0)
	if err == nil {
		c.file = file
		err = unmarshalled(source, into, options...)
	}
	if err == nil {
		return
	}
	if unknown := c.fault(err, source); unknown != nil {
		c.problems[len(c.problems)-1].Message = c.noSuchKey(unknown, into)
	}
}

// errUnreadable is the fault of a text that the YAML library breaks off at, as at a tag before
// what it does not fit.
var errUnreadable = errors.New("the text cannot be read as YAML; is a ! or & in it that is not in quotes?")

func parsed(source []byte, mode parser.Mode, options ...parser.Option) (file *ast.File, err error) {
	defer unbroken(&err)
	return parser.ParseBytes(source, mode, options...)
}

func unmarshalled(source []byte, into any, options ...yaml.DecodeOption) (err error) {
	defer unbroken(&err)
	return yaml.UnmarshalWithOptions(source, into, options...)
}

func unbroken(err *error) {
	if recover() != nil {
		*err = errUnreadable
	}
}

// fault notes why a document cannot be read. It returns the key that is not known, if
// that is why.
func (c *Checker) fault(err error, source []byte) (unknown *token.Token) {
	p := Problem{File: c.name, Message: err.Error()}
	var positioned yaml.Error
	if errors.As(err, &positioned) {
		p.Message = plain(positioned.GetMessage())
		if t := positioned.GetToken(); t != nil {
			p.Line, p.Column = t.Position.Line, t.Position.Column
			if strings.HasPrefix(positioned.GetMessage(), "unknown field") {
				unknown = t
			}
		}
	}
	if c.bracesBare(source, p.Line) {
		return nil
	}
	c.problems = append(c.problems, p)
	return unknown
}

// braces finds a text that begins with an expression and stands in no quotes.
var braces = regexp.MustCompile(`^(\s*(?:- +)*(?:[\w-]+: +)?)(\{\{.*?)\s*$`)

// bracesBare notes the texts that begin with {{ and stand in no quotes, if it is such a line
// that cannot be read: YAML takes them for blocks.
func (c *Checker) bracesBare(source []byte, line int) bool {
	lines := strings.Split(string(source), "\n")
	if line < 1 || line > len(lines) || !braces.MatchString(lines[line-1]) {
		return false
	}
	for i, text := range lines[line-1:] {
		if m := braces.FindStringSubmatch(text); m != nil {
			c.Note(line+i, len(m[1])+1, "a text that begins with {{ stands in quotes: %s", strconv.Quote(m[2]))
		}
	}
	return true
}

// Note notes a problem at a place.
func (c *Checker) Note(line, column int, format string, args ...any) {
	if len(c.problems) < mostWrong {
		c.problems = append(c.problems, Problem{File: c.name, Line: line, Column: column, Message: text.Short(fmt.Sprintf(format, args...), mostSaid)})
	}
}

// Peek reads some keys of a document, whatever else it holds. The error is
// Problems, if it cannot be read at all.
func Peek(name string, source []byte, into any) error {
	c := &Checker{name: name}
	c.read(source, into)
	return c.Err()
}

var (
	misfit   = regexp.MustCompile(`cannot unmarshal (\S+) into Go (?:value|struct field \S+) of type (\S+)|(\S+) was used where (\S+) is expected`)
	repeated = regexp.MustCompile(`mapping key "(.+)" already defined at \[(\d+):\d+\]`)
)

// plain takes the words of Go and YAML out of a message.
func plain(message string) string {
	if m := misfit.FindStringSubmatch(message); m != nil {
		return fmt.Sprintf("%s stands here; %s is expected", thing(m[1]+m[3]), thing(m[2]+m[4]))
	}
	if m := repeated.FindStringSubmatch(message); m != nil {
		return fmt.Sprintf("the key %q is there already, in line %s", m[1], m[2])
	}
	for _, says := range parserSays {
		if strings.Contains(message, says.words) {
			return says.plain
		}
	}
	return text.Short(message, mostSaid)
}

// parserSays is what the parser's words mean for people who do not know it.
var parserSays = []struct{ words, plain string }{
	{"sequence end token", "a list that begins with [ here has no ] at its end"},
	{"mapping end token", "a block that begins with { here has no } at its end"},
	{"flow map", "a block that begins with { here is not closed, or lacks a comma"},
	{"',' or ']'", "a list that begins with [ lacks a comma or its ]"},
	{"',' or '}'", "a block that begins with { lacks a comma or its }"},
	{"tab character", "a tab stands here; indent with spaces"},
	{"character '\t'", "a tab stands here; indent with spaces"},
	{"end character of double-quoted", "a text that begins with \" is not closed by another one"},
	{"end character of single-quoted", "a text that begins with ' is not closed by another one"},
	{"unexpected map key", "a key stands where none can stand; look at how far the lines around it are indented"},
	{"unexpected key name", "no \": \" follows the key; a key is written as \"key: value\""},
	{"non-map value is specified", "a key is expected here, as in \"key: value\"; look at how far the lines around it are indented"},
	{"value is not allowed in this context", "something stands here that does not belong; look at how far the lines around it are indented, and put texts with \": \" in them in quotes"},
	{"mapping value is not allowed", "a second \": \" stands in the line; put the text in quotes"},
	{"alias", "a * begins a reference, which is not taken here; put the text in quotes"},
	{"anchor", "an & begins a name, which is not taken here; put the text in quotes"},
	{"tag", "a ! begins a tag, which is not taken here; put the text in quotes"},
	{"invalid header option", "after | or > the text begins on the next line"},
	{"directive", "a % begins something that is not taken here; put the text in quotes"},
	{"invalid token", "a character stands here that cannot begin anything; put the text in quotes"},
	{"document separator", "--- or ... divides documents; one stands in a file"},
	{"unexpected", "this cannot stand here; look at how far the lines around it are indented, and at what is not closed above"},
	{"undefined", "something is missing here"},
}

// thing names a type of YAML or Go for people.
func thing(kind string) string {
	switch {
	case strings.HasPrefix(kind, "[]") || kind == "sequence" || kind == "array":
		return "a list"
	case strings.HasPrefix(kind, "int") || strings.HasPrefix(kind, "uint"):
		return "a whole number"
	case strings.HasPrefix(kind, "float"):
		return "a number"
	case kind == "bool":
		return "true or false"
	case kind == "string":
		return "a text"
	case strings.HasSuffix(kind, "Duration"):
		return `a time such as "30s"`
	}
	return "a block of keys"
}

// At returns one problem at a path of a document that was decoded before.
func At(name string, source []byte, path, format string, args ...any) Problems {
	c := &Checker{name: name}
	if len(source) <= Limit && excess(source) == nil {
		c.file, _ = parsed(source, 0) // unreadable: the problem has no place
	}
	c.Wrong(path, format, args...)
	return c.problems
}

// Failed reports whether anything is wrong so far.
func (c *Checker) Failed() bool { return len(c.problems) > 0 }

// Wrong notes a problem at a path such as "$.threshold".
func (c *Checker) Wrong(path, format string, args ...any) {
	if len(c.problems) >= mostWrong {
		return // enough to begin with
	}
	p := Problem{File: c.name, Message: text.Short(fmt.Sprintf(format, args...), mostSaid), Path: path}
	// A missing key has no place of its own: its nearest parent stands for it.
	for at := path; c.file != nil && p.Line == 0; at = at[:strings.LastIndexAny(at, ".[")] {
		if yp, err := yaml.PathString(at); err == nil {
			if node, err := yp.FilterFile(c.file); err == nil && node != nil {
				p.Line, p.Column = node.GetToken().Position.Line, node.GetToken().Position.Column
				break
			}
		}
		if at == "$" || !strings.ContainsAny(at, ".[") {
			p.Line, p.Column = 1, 1
			break
		}
	}
	c.problems = append(c.problems, p)
}

// Err returns all that is wrong as Problems, or nil.
func (c *Checker) Err() error {
	if len(c.problems) == 0 {
		return nil
	}
	return c.problems
}

// isoDate is a date that other readers of YAML take for more than a text.
var isoDate = regexp.MustCompile(`^\d{4}-\d{2}-\d{2}`)

var nameRule = regexp.MustCompile(`^[a-z0-9][a-z0-9\-]{0,39}$`)

// IsName reports whether something is a name: small letters, digits and hyphens, at
// most 40, not a hyphen first.
func IsName(s string) bool { return nameRule.MatchString(s) }

// Name checks the name of a thing: small letters, digits and hyphens, at most 40.
func (c *Checker) Name(path, name string) {
	if !IsName(name) {
		c.Wrong(path, "%q is not a name: use small letters, digits and hyphens, at most 40", name)
	}
}
