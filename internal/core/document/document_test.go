package document

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"
)

type boat struct {
	Boat   string   `yaml:"boat"`
	Seats  int      `yaml:"seats"`
	Calls  []string `yaml:"calls"`
	Master struct {
		Name string `yaml:"name"`
	} `yaml:"master"`
}

func TestMistakesAreNamedByLineAndColumn(t *testing.T) {
	for _, c := range []struct {
		source, says string
		line         int
	}{
		{"boat: sandpiper\nseats: many\n", "a text stands here; a whole number is expected", 2},
		{"boat: sandpiper\nsaets: 80\n", "there is no key called", 2},
		{"boat: sandpiper\nmaster:\n  nmae: Kim\n", "no key called", 3},
		{"boat: [\n", "", 0},
		{"boat: x\ncalls: yes\n", "a list is expected", 2},
		{"boat: x\nmaster: [a]\n", "a block of keys is expected", 2},
		{"boat: a\nboat: b\n", "there already, in line 1", 2},
		{strings.Repeat("#", Limit+1), "256 KiB", 0},
	} {
		var b boat
		err := Decode("boat.yaml", []byte(c.source), &b).Err()
		var problems Problems
		if !errors.As(err, &problems) || len(problems) != 1 || !strings.Contains(problems[0].Message, c.says) || c.line > 0 && problems[0].Line != c.line {
			t.Errorf("%.40q: %+v, want line %d and %q", c.source, problems, c.line, c.says)
		}
		if strings.Contains(fmt.Sprint(err), "document.boat") || strings.Contains(fmt.Sprint(err), "Go ") {
			t.Errorf("%.40q: the message speaks of Go: %v", c.source, err)
		}
	}
}

func TestProblemsStandWhereTheyBelong(t *testing.T) {
	var b boat
	c := Decode("boat.yaml", []byte("boat: sandpiper\ncalls:\n  - Hallow Point\n  - Atlantis\nmaster: {}\n"), &b)
	c.Wrong("$.calls[1]", "there is no pier called %s", b.Calls[1])
	c.Wrong("$.master.name", "who is the master?")
	c.Wrong("$.seats", "how many seats?")
	c.Name("$.boat", "Sand Piper")
	err := c.Err().(Problems)
	for i, line := range []int{4, 5, 1, 1} {
		if err[i].Line != line {
			t.Errorf("%v stands in line %d, want %d", err[i], err[i].Line, line)
		}
	}
	contains := strings.Contains(err.Error(), "boat.yaml:4:5: there is no pier called Atlantis\n")
	if !contains || !c.Failed() {
		t.Errorf("it reads %q", err)
	}
	if problems := At("boat.yaml", []byte("boat: x\nseats: 3\n"), "$.seats", "too few"); problems[0].Line != 2 {
		t.Errorf("later it stands at %+v", problems)
	}
	if problems := At("boat.yaml", []byte("boat: ["), "$.seats", "too few"); len(problems) != 1 {
		t.Errorf("of what cannot be read: %+v", problems)
	}
	for name, right := range map[string]bool{"front-desk": true, "a": true, "9": true, "": false, "-a": false, "A": false, "a_b": false, strings.Repeat("a", 41): false, "..": false, "ä": false} {
		c := &Checker{}
		if c.Name("$", name); c.Failed() == right {
			t.Errorf("%q is taken for a name: %v", name, !c.Failed())
		}
	}
}

// A look at some keys does not mind the others.
func TestPeekingReadsSomeKeys(t *testing.T) {
	var head struct {
		Boat string `yaml:"boat"`
	}
	if err := Peek("x", []byte("boat: sandpiper\nanything: [else]\n"), &head); err != nil || head.Boat != "sandpiper" {
		t.Errorf("%q, %v", head.Boat, err)
	}
	if err := Peek("x", []byte("boat: ["), &head); err == nil {
		t.Error("what cannot be read was taken")
	}
	kinds := []Kind{{Name: "boat", Plural: "boats"}, {Name: "pier", Plural: "piers"}}
	for name, want := range map[string]string{"pier": "pier", "boats": "boat", "ferry": ""} {
		if kind, ok := Find(kinds, name); kind.Name != want || ok != (want != "") {
			t.Errorf("%s finds %q", name, kind.Name)
		}
	}
}

// A document of hostile depth is refused, or read, but never for long.
func TestHostileDocumentsTakeNoTime(t *testing.T) {
	for what, source := range map[string]string{
		"deep lists": strings.Repeat("[", 500), "deep maps": strings.Repeat("{a: ", 500), "anchors": "a: &a [x]\nb: *a\n",
		"many keys": func() string {
			var b strings.Builder
			for i := range 2000 {
				fmt.Fprintf(&b, "k%d: 1\n", i)
			}
			return b.String()
		}(),
	} {
		begun := time.Now()
		var b boat
		if err := Decode("x", []byte(source), &b).Err(); err == nil {
			t.Errorf("%s: taken", what)
		}
		if took := time.Since(begun); took > 5*time.Second {
			t.Errorf("%s: took %s", what, took)
		}
	}
}

// A kind of documents is a name, what is checked, and what it refers to.
func ExampleKind() {
	pier := Kind{
		Name: "pier", Plural: "piers", Title: "Piers", About: "Where boats call.",
		Example: "pier: brackwater\nharbour: mainland\n", Shapes: []any{pierDocument{}},
		Parse: func(file string, source []byte) (Document, error) {
			var p pierDocument
			c := Decode(file, source, &p)
			if !c.Failed() && p.Harbour == "" {
				c.Wrong("$.harbour", "say which harbour the pier is in")
			}
			return p, c.Err()
		},
	}
	d, err := pier.Parse("brackwater.yaml", []byte(pier.Example))
	fmt.Println(d.Named(), d.Refers()[0].Kind, d.Refers()[0].Name, err)
	_, err = pier.Parse("brackwater.yaml", []byte("pier: brackwater\n"))
	fmt.Println(err)
	// Output:
	// brackwater harbour mainland <nil>
	// brackwater.yaml:1:5: say which harbour the pier is in
}

type pierDocument struct {
	Pier    string `yaml:"pier"`
	Harbour string `yaml:"harbour"`
}

func (p pierDocument) Named() string { return p.Pier }
func (p pierDocument) Refers() []Reference {
	return []Reference{{Path: "$.harbour", Kind: "harbour", Name: p.Harbour}}
}
