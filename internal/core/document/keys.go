package document

import (
	"cmp"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/token"

	"urgentparrot.example/internal/core/text"
)

// noSuchKey says that a struct has no key of a name, and which it may be.
func (c *Checker) noSuchKey(key *token.Token, into any) string {
	said := fmt.Sprintf("there is no key called %q", brief(key.Value))
	known := keysAt(reflect.TypeOf(into), c.pathTo(key))
	if len(known) == 0 {
		return said
	}
	if nearest := Nearest(key.Value, known); nearest != "" {
		return fmt.Sprintf("%s; did you mean %q?", said, nearest)
	}
	slices.Sort(known)
	return fmt.Sprintf("%s here; there are: %s", said, strings.Join(known, ", "))
}

// Missing says that none of the known names is that one: which may have been meant, else which
// there are, if they are not too many to read.
func Missing(what, name string, known []string) string {
	said := fmt.Sprintf("there is no %s called %q", what, name)
	if nearest := Nearest(name, known); nearest != "" {
		return fmt.Sprintf("%s; did you mean %q?", said, nearest)
	}
	if len(known) == 0 || len(known) > 20 {
		return said
	}
	return said + "; there are: " + strings.Join(slices.Sorted(slices.Values(known)), ", ")
}

// Nearest returns the one of the known words that a mistyped one may be, "" if none is near.
func Nearest(typed string, known []string) string {
	best, distance := "", 0
	for _, word := range known {
		d := text.Distance(text.Fold(typed), text.Fold(word))
		if d <= max(1, len(word)/3) && (best == "" || cmp.Or(cmp.Compare(d, distance), cmp.Compare(word, best)) < 0) {
			best, distance = word, d
		}
	}
	if len(typed) > 2*len(best)+2 {
		return ""
	}
	return best
}

// pathTo returns the keys above a key, with "" for the items of lists.
func (c *Checker) pathTo(key *token.Token) (path []string) {
	for _, doc := range c.file.Docs {
		if path, ok := findKey(doc.Body, key, nil); ok {
			return path
		}
	}
	return nil
}

func findKey(node ast.Node, key *token.Token, above []string) (path []string, ok bool) {
	at := func(t *token.Token) bool { return t != nil && t.Position.Offset == key.Position.Offset }
	switch n := node.(type) {
	case *ast.MappingNode:
		for _, value := range n.Values {
			if path, ok := findKey(value, key, above); ok {
				return path, true
			}
		}
	case *ast.MappingValueNode:
		if at(n.Key.GetToken()) {
			return above, true
		}
		return findKey(n.Value, key, append(slices.Clip(above), n.Key.GetToken().Value))
	case *ast.SequenceNode:
		for _, value := range n.Values {
			if path, ok := findKey(value, key, append(slices.Clip(above), "")); ok {
				return path, true
			}
		}
	}
	return nil, false
}

// keysAt returns the keys of the struct at a path.
func keysAt(t reflect.Type, path []string) (keys []string) {
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	switch {
	case len(path) > 0 && t.Kind() == reflect.Slice && path[0] == "", len(path) > 0 && t.Kind() == reflect.Map:
		return keysAt(t.Elem(), path[1:])
	case t.Kind() != reflect.Struct:
		return nil
	}
	for i := range t.NumField() {
		field := t.Field(i)
		name, options, _ := strings.Cut(field.Tag.Get("yaml"), ",")
		switch {
		case options == "inline":
			keys = append(keys, keysAt(field.Type, path)...)
		case name == "" || name == "-" || !field.IsExported():
		case len(path) == 0:
			keys = append(keys, name)
		case name == path[0]:
			return keysAt(field.Type, path[1:])
		}
	}
	return keys
}
