package document

import (
	"strings"

	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"
)

// A Node is a part of a document with its place, for kinds of documents that are walked
// instead of read into a struct. It does not change.
type Node struct {
	Line, Column int
	Text         string  // of a text, number or switch: as it was written, without quotes
	Quoted       bool    // the text stands in quotes, or in a block after | or >
	Cut          string  // what stands behind a # in the same line, and belongs to no value
	Entries      []Entry // of a block of keys, in order
	Items        []Node  // of a list
	Shape        Shape
	Odd          string // why YAML would read something else than stands here; "" if it would not
}

// An Entry is a key with its value.
type Entry struct {
	Key          string
	Line, Column int
	Value        Node
}

// Shape says what a node is.
type Shape string

// The shapes of nodes, in words for people.
const (
	NoValue Shape = "nothing"
	AText   Shape = "a text"
	AList   Shape = "a list"
	ABlock  Shape = "a block of keys"
)

// Tree reads a document as nodes. What cannot be read is in the Checker.
func Tree(name string, source []byte) (Node, *Checker) {
	c := &Checker{name: name}
	if len(source) > Limit {
		c.read(source, new(any))
		return Node{}, c
	}
	if p := excess(source); p != nil {
		p.File = name
		c.problems = append(c.problems, *p)
		return Node{}, c
	}
	file, err := parsed(source, parser.ParseComments, parser.AllowDuplicateMapKey())
	if err != nil {
		c.fault(err, source)
		return Node{}, c
	}
	c.file = file
	var root Node
	for i, doc := range file.Docs {
		if doc.Body == nil || doc.Body.Type() == ast.CommentType {
			continue
		}
		if i > 0 && root.Shape != "" {
			tk := doc.Body.GetToken()
			c.Note(tk.Position.Line, tk.Position.Column, "--- or ... divides documents; one stands in a file")
			break
		}
		root = nodeOf(doc.Body)
	}
	if root.Shape == "" {
		root = Node{Shape: NoValue, Line: 1, Column: 1}
	}
	return root, c
}

func nodeOf(n ast.Node) Node {
	out := Node{Shape: AText}
	if tk := n.GetToken(); tk != nil {
		out.Line, out.Column = tk.Position.Line, tk.Position.Column
	}
	if c := n.GetComment(); c != nil && len(c.Comments) > 0 && c.Comments[0].Token.Position.Line == out.Line {
		out.Cut = strings.TrimSpace(c.Comments[0].Token.Value)
	}
	switch n := n.(type) {
	case *ast.MappingNode:
		out.Shape = ABlock
		for _, v := range n.Values {
			out.Entries = append(out.Entries, entryOf(v))
		}
		if len(n.Values) > 0 && !n.IsFlowStyle {
			out.Line, out.Column = out.Entries[0].Line, out.Entries[0].Column
		}
	case *ast.MappingValueNode:
		out.Shape, out.Entries = ABlock, []Entry{entryOf(n)}
		out.Line, out.Column = out.Entries[0].Line, out.Entries[0].Column
	case *ast.SequenceNode:
		out.Shape = AList
		for _, v := range n.Values {
			out.Items = append(out.Items, nodeOf(v))
		}
	case *ast.NullNode:
		if out.Shape = NoValue; n.GetToken().Value != "" && n.GetToken().Type == token.NullType {
			out.Shape, out.Text = AText, n.GetToken().Value
			out.Odd = "nothing at all"
		}
	case *ast.StringNode:
		out.Text = n.Value
		out.Quoted = n.Token.Type == token.SingleQuoteType || n.Token.Type == token.DoubleQuoteType
	case *ast.LiteralNode:
		out.Text, out.Quoted = n.Value.Value, true
		out.Line, out.Column = n.Start.Position.Line, n.Start.Position.Column
	case *ast.TagNode:
		out.Text, out.Odd = n.GetToken().Value, "a type, because of the !"
	case *ast.AnchorNode, *ast.AliasNode:
		out.Text, out.Odd = n.GetToken().Value, "a reference, because of the & or *"
	case *ast.BoolNode:
		out.Text, out.Odd = n.GetToken().Value, "true or false"
	default: // numbers
		if tk := n.GetToken(); tk != nil {
			out.Text, out.Odd = tk.Value, "a number"
		}
	}
	if out.Shape == AText && !out.Quoted && out.Odd == "" {
		switch strings.ToLower(out.Text) {
		case "yes", "no", "on", "off", "y", "n":
			out.Odd = "true or false"
		default:
			if isoDate.MatchString(out.Text) {
				out.Odd = "a date"
			}
		}
	}
	return out
}

func entryOf(v *ast.MappingValueNode) Entry {
	tk := v.Key.GetToken()
	e := Entry{Key: tk.Value, Line: tk.Position.Line, Column: tk.Position.Column, Value: nodeOf(v.Value)}
	if e.Value.Shape == NoValue {
		e.Value.Line, e.Value.Column = e.Line, e.Column
	}
	if c := v.GetComment(); e.Value.Cut == "" && c != nil && len(c.Comments) > 0 && c.Comments[0].Token.Position.Line == e.Value.Line {
		e.Value.Cut = strings.TrimSpace(c.Comments[0].Token.Value)
	}
	return e
}
