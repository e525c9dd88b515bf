package kinds

import (
	"strings"
	"testing"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/rehearsal"
)

// Every kind of document is whole: its example is right and called by its kind, its
// words are there, and no two share a name.
func TestKindsOfDocumentsAreWhole(t *testing.T) {
	names := map[string]bool{}
	for _, kind := range Documents {
		for _, name := range []string{kind.Name, kind.Plural} {
			if name == "" || names[name] && kind.Name != kind.Plural {
				t.Errorf("the name %q of the kind %s is missing or taken", name, kind.Name)
			}
		}
		names[kind.Name], names[kind.Plural] = true, true
		if kind.Title == "" || !strings.HasSuffix(kind.About, ".") || len(kind.Shapes) == 0 && kind.Schema == nil {
			t.Errorf("the kind %s lacks words for people or shapes", kind.Name)
		}
		d, err := kind.Parse(kind.Name+".yaml", []byte(kind.Example))
		if err != nil {
			t.Errorf("the example of %s: %v", kind.Name, err)
			continue
		}
		head, _, _ := strings.Cut(strings.TrimPrefix(kind.Example, kind.Name+": "), "\n")
		if !strings.HasPrefix(kind.Example, kind.Name+": ") || head != d.Named() && rehearsal.NameOf(head) != d.Named() {
			t.Errorf("the example of %s does not begin with its name", kind.Name)
		}
		for _, r := range d.Refers() {
			if _, ok := document.Find(Documents, r.Kind); !ok || r.Path == "" {
				t.Errorf("%s refers to a %q at %q", kind.Name, r.Kind, r.Path)
			}
		}
		if _, err := kind.Parse("x.yaml", []byte(kind.Example+"no_such_key: 1\n")); err == nil || !strings.Contains(err.Error(), "no_such_key") {
			t.Errorf("%s takes a key that it does not have: %v", kind.Name, err)
		}
		for _, wrong := range []string{"", "[]", kind.Name + ": Not A Name\n", "\x00", "- a\n- b\n"} {
			if d, err := kind.Parse("x.yaml", []byte(wrong)); err == nil {
				t.Errorf("%s took %q as %+v", kind.Name, wrong, d)
			}
		}
	}
	if _, ok := document.Find(Documents, "fax"); ok {
		t.Error("there are faxes")
	}
	paths := map[string]string{}
	for _, kind := range Channels {
		for _, taken := range []string{"api", "healthz", "readyz", "sign-in", "inbox"} {
			if kind.Path == taken {
				t.Errorf("channels of the kind %s stand at /%s", kind.Name, taken)
			}
		}
		if other := paths[kind.Path]; kind.Path != "" && other != "" && other != kind.Name {
			t.Logf("%s and %s share /%s", kind.Name, other, kind.Path)
		}
		paths[kind.Path] = kind.Name
	}
}

// Where a document may begin stands as it is, is called as it says, and is told with an example.
func TestStartsStand(t *testing.T) {
	count := 0
	for _, kind := range Documents {
		if kind.Starts == nil {
			continue
		}
		seen := map[string]bool{}
		for _, start := range kind.Starts() {
			count++
			d, err := kind.Parse(start.Name, []byte(start.Text))
			if err != nil {
				t.Errorf("%s: %v", start.Name, err)
				continue
			}
			if d.Named() != start.Name || seen[start.Name] || start.Title == "" || start.About == "" || kind.Name == "bot" && len(start.Talk) == 0 {
				t.Errorf("%s is called %s, twice or without words", start.Name, d.Named())
			}
			seen[start.Name] = true
		}
	}
	if count < 8 {
		t.Errorf("there are %d starts", count)
	}
}
