package kinds

import (
	"encoding"
	"reflect"
	"slices"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/document"
)

// Whoever fills in a form reaches every key that the text of a document may have, and no
// other; each field is filled in as its key wants it, and has words for people.
func TestAFormAsksForAllThatADocumentMayHold(t *testing.T) {
	for _, kind := range Documents {
		if len(kind.Shapes) == 0 {
			continue // flows and rehearsals are scripts: see below
		}
		if kind.Form == nil {
			t.Errorf("the kind %s has no form", kind.Name)
			continue
		}
		for _, part := range kind.Form() {
			if part.Title == "" || len(part.Fields) == 0 {
				t.Errorf("a part of the form of a %s lacks its title or fields", kind.Name)
			}
		}
		keys := map[string]reflect.Type{}
		for _, shape := range kind.Shapes {
			keysOf(reflect.TypeOf(shape), "", keys)
		}
		delete(keys, kind.Name) // what it is called is asked apart
		covers(t, kind.Name, kind.Form().Fields(), keys)
	}
}

// What a rehearsal may hold by its JSON Schema, its form asks for, line by line; and each kind
// of entry of a script can be begun, read in its words, and told apart from the others.
func TestTheFormOfAScriptAsksForAllThatItMayHold(t *testing.T) {
	kind, _ := document.Find(Documents, "rehearsal")
	properties := func(schema any) map[string]any {
		block, _ := schema.(map[string]any)
		if of, ok := block["anyOf"].([]any); ok {
			block = of[len(of)-1].(map[string]any)
		}
		inner, _ := block["properties"].(map[string]any)
		return inner
	}
	whole := properties(kind.Schema())
	lines := properties(whole["script"].(map[string]any)["items"])
	delete(whole, "rehearsal")
	asked := kind.Form().Fields()
	if len(asked) != len(whole) {
		t.Errorf("the form asks for %d keys; there are %d", len(asked), len(whole))
	}
	entries := kind.Entries()["lines"]
	if len(entries) != len(lines) {
		t.Errorf("the form knows %d kinds of lines; there are %d", len(entries), len(lines))
	}
	for _, e := range entries {
		keys := properties(lines[e.Name])
		for _, f := range e.Fields {
			if _, known := keys[f.Key]; !known && f.Key != e.Main {
				t.Errorf("a line %q has no %q", e.Name, f.Key)
			}
			delete(keys, f.Key)
		}
		for key := range keys {
			t.Errorf("the form does not ask for %q of a line %q", key, e.Name)
		}
	}
	for _, plural := range []string{"flows", "rehearsals"} {
		kind, _ := document.Find(Documents, plural)
		for list, entries := range kind.Entries() {
			seen := map[string]bool{}
			for _, e := range entries {
				if seen[e.Name] || e.Label == "" || e.Main != "" && !slices.ContainsFunc(e.Fields, func(f document.Field) bool { return f.Key == e.Main }) {
					t.Errorf("the entry %q of %s is there twice, has no label, or its main field is none of its", e.Name, list)
				}
				seen[e.Name] = true
				for _, f := range e.Fields {
					if f.Label == "" || strings.ContainsAny(f.Label, "_\"") || f.As == "" || f.As == document.AsEntries && kind.Entries()[f.Of] == nil || f.As == document.AsChoice && len(f.Choices) < 2 {
						t.Errorf("the field %q of the entry %q cannot be filled in by people: %+v", f.Key, e.Name, f)
					}
				}
			}
		}
	}
}

// keysOf notes the keys of a struct's YAML; blocks within it are led into by a dot.
func keysOf(of reflect.Type, before string, keys map[string]reflect.Type) {
	for of.Kind() == reflect.Pointer {
		of = of.Elem()
	}
	for f := range of.Fields() {
		key, options, _ := strings.Cut(f.Tag.Get("yaml"), ",")
		typed := f.Type
		for typed.Kind() == reflect.Pointer {
			typed = typed.Elem()
		}
		switch {
		case options == "inline":
			keysOf(typed, before, keys)
		case key == "", key == "-":
		case typed.Kind() == reflect.Struct && !reflect.PointerTo(typed).Implements(reflect.TypeFor[encoding.TextUnmarshaler]()):
			keysOf(typed, before+key+".", keys)
		default:
			keys[before+key] = typed
		}
	}
}

func covers(t *testing.T, kind string, fields []document.Field, keys map[string]reflect.Type) {
	t.Helper()
	asked := map[string]bool{}
	for i, f := range fields {
		of, known := keys[f.Key]
		if !known || slices.ContainsFunc(fields[:i], func(before document.Field) bool { return before.Key == f.Key && together(before.If, f.If) }) || f.Label == "" || strings.HasSuffix(f.Label, ".") {
			t.Errorf("the form of a %s asks for %q, which is not there, asked before or lacks a label", kind, f.Key)
			continue
		}
		asked[f.Key] = true
		fits := map[document.FieldAs]bool{
			document.AsText: of.Kind() == reflect.String || reflect.PointerTo(of).Implements(reflect.TypeFor[encoding.TextUnmarshaler]()) || of.Kind() == reflect.Interface, document.AsParagraph: of.Kind() == reflect.String,
			document.AsNumber: of.Kind() == reflect.Int || of.Kind() == reflect.Float64, document.AsSwitch: of.Kind() == reflect.Bool,
			document.AsChoice: of.Kind() == reflect.String && len(f.Choices) > 0, document.AsDocument: of.Kind() == reflect.String && f.Of != "",
			document.AsChoices: list(of, reflect.String) && len(f.Choices) > 0, document.AsDocuments: list(of, reflect.String) && f.Of != "", document.AsTexts: list(of, reflect.String),
			document.AsLists: list(of, reflect.Slice), document.AsBlocks: list(of, reflect.Struct) && f.Adds != "", document.AsData: of.Kind() == reflect.Map || of.Kind() == reflect.Interface, document.AsDetails: of.Kind() == reflect.Map && f.Adds != "",
			document.AsPairs: of.Kind() == reflect.Map && of.Elem().Kind() == reflect.String, document.AsGroups: of.Kind() == reflect.Map && list(of.Elem(), reflect.String),
			document.AsNamed: of.Kind() == reflect.Map && of.Elem().Kind() == reflect.Struct,
		}
		if !fits[f.As] {
			t.Errorf("the form of a %s asks for %q as %q; it holds %v", kind, f.Key, f.As, of)
		}
		for one := range strings.SplitSeq(f.Of, ",") {
			if _, known := document.Find(Documents, one); !known && !slices.Contains([]string{"", "source", "field", "stage", "tag"}, one) {
				t.Errorf("the field %q of a %s names a %q", f.Key, kind, one)
			}
		}
		if f.If != nil && (!slices.ContainsFunc(fields, func(other document.Field) bool { return other.Key == f.If.Key }) || len(f.If.Is) == 0) {
			t.Errorf("whether the form of a %s asks for %q hangs on %q, which it does not ask for", kind, f.Key, f.If.Key)
		}
		if f.Beside != "" {
			inner := map[string]reflect.Type{}
			keysOf(keys[f.Beside].Elem(), "", inner)
			covers(t, kind+"'s "+f.Beside, f.Fields, inner)
			asked[f.Beside] = true
		}
		if f.As == document.AsBlocks || f.As == document.AsNamed {
			inner := map[string]reflect.Type{}
			keysOf(of.Elem(), "", inner)
			covers(t, kind+"'s "+f.Key, f.Fields, inner)
		}
	}
	for key := range keys {
		if !asked[key] {
			t.Errorf("the form of a %s does not ask for %q", kind, key)
		}
	}
}

// together reports whether there is a document of which both conditions hold.
func together(a, b *document.OnlyIf) bool {
	return a == nil || b == nil || a.Key != b.Key || slices.ContainsFunc(a.Is, func(is string) bool { return slices.Contains(b.Is, is) })
}

func list(of reflect.Type, kind reflect.Kind) bool {
	return of.Kind() == reflect.Slice && of.Elem().Kind() == kind
}
