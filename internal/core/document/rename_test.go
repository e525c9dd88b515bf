package document

import (
	"strings"
	"testing"
)

// harbour is a document that names others in every way that documents do.
type harbour struct {
	Harbour string   `yaml:"harbour"`
	Boats   []string `yaml:"boats"`
	Master  string   `yaml:"master"` // person/NAME
	Pier    struct {
		Of string `yaml:"of"`
	} `yaml:"pier"`
	Notes string `yaml:"notes"`
}

func (h harbour) Named() string { return h.Harbour }
func (h harbour) Refers() (refers []Reference) {
	for i, b := range h.Boats {
		refers = append(refers, Reference{Path: "$.boats[" + string(rune('0'+i)) + "]", Kind: "boat", Name: b})
	}
	_, who, _ := strings.Cut(h.Master, "/")
	return append(refers, Reference{Path: "$.master", Kind: "person", Name: who}, Reference{Path: "$.pier.of", Kind: "boat", Name: h.Pier.Of}, Reference{Path: "$", Kind: "settings"})
}

var harbours = Kind{Name: "harbour", Parse: func(file string, source []byte) (Document, error) {
	var h harbour
	c := Decode(file, source, &h)
	return h, c.Err()
}}

// A name is replaced where it names the document, as it is written there, and nowhere else.
func TestNamesAreReplacedWhereTheyStand(t *testing.T) {
	const text = `# tern, the harbour of the tern
harbour: tern # not the boat
boats: [ tern, "tern", 'tern-2', old-tern ] # tern
master: person/tern
pier:
  # the tern lies here
  of:   tern
notes: >-
  tern tern
`
	renamed, is := Rename(harbours, "tern", text, "boat", "tern", "gull-1")
	want := strings.Replace(strings.Replace(text, `[ tern, "tern",`, `[ gull-1, "gull-1",`, 1), "of:   tern", "of:   gull-1", 1)
	if !is || renamed != want {
		t.Errorf("renamed is %v:\n%s", is, renamed)
	}
	if back, _ := Rename(harbours, "tern", renamed, "boat", "gull-1", "tern"); back != text {
		t.Errorf("there and back is another text:\n%s", back)
	}
	if renamed, is := Rename(harbours, "tern", text, "person", "tern", "ada"); !is || renamed != strings.Replace(text, "person/tern", "person/ada", 1) {
		t.Errorf("the person is renamed to:\n%s", renamed)
	}
	if renamed, is := Rename(harbours, "tern", text, "boat", "heron", "gull"); is || renamed != text {
		t.Error("a text that names nothing of it is changed")
	}
	if renamed := Renamed(harbours, "tern", text, "north"); renamed != strings.Replace(text, "harbour: tern #", "harbour: north #", 1) {
		t.Errorf("under its own new name it is:\n%s", renamed)
	}
	for _, broken := range []string{"harbour: [", "harbour: tern\nboats: {", strings.Repeat("boats:\n", 400)} {
		if got, is := Rename(harbours, "tern", broken, "boat", "tern", "gull"); is || got != broken {
			t.Errorf("what cannot be read is changed: %.60q", got)
		}
	}
}

// Whatever a text is, renaming to a name that it does not have and back leaves it as it was.
func FuzzRename(f *testing.F) {
	f.Add("harbour: tern\nboats: [tern, tern-2]\nmaster: person/tern\n")
	f.Add("harbour: \"tern\"\nboats:\n- tern # ä\n-   'tern'\npier: {of: tern}\n")
	f.Fuzz(func(t *testing.T, text string) {
		if strings.Contains(text, "zz-9") || len(text) > 4000 {
			return
		}
		there, is := Rename(harbours, "h", text, "boat", "tern", "zz-9")
		if !is {
			return
		}
		if strings.ReplaceAll(there, "zz-9", "tern") != text {
			t.Errorf("%q became %q", text, there)
		}
	})
}
