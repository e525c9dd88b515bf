package document

import (
	"errors"
	"fmt"
	"runtime"
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
	Piers []struct {
		Pier string `yaml:"pier"`
	} `yaml:"piers"`
}

func TestMistakesAreNamedByLineAndColumn(t *testing.T) {
	for _, c := range []struct {
		source, says string
		line         int
	}{
		{"boat: sandpiper\nseats: many\n", "a text stands here; a whole number is expected", 2},
		{"boat: sandpiper\nsaets: 80\n", `no key called "saets"; did you mean "seats"?`, 2},
		{"boat: sandpiper\nmaster:\n  nmae: Kim\n", `no key called "nmae"; did you mean "name"?`, 3},
		{"boat: sandpiper\ncolour: red\n", `no key called "colour" here; there are: boat, calls, master, piers, seats`, 2},
		{"boat: a\npiers:\n  - pier: b\n  - peir: c\n", `no key called "peir"; did you mean "pier"?`, 4},
		{"boat: a\nmaster:\n  seats: 4\n", `no key called "seats" here; there are: name`, 3},
		{"boat: [\n", "has no ] at its end", 1},
		{"boat: {a: b\n", "has no } at its end", 1},
		{"boat: a\n\tseats: 4\n", "indent with spaces", 2},
		{"boat: \"a\nseats: 4\n", "is not closed", 1},
		{"boat: a: b\n", "quotes", 1},
		{"boat: *a\n", "references (*a) are not taken", 1},
		{"boat: a\n seats: 4\n", "indented", 1},
		{"boat\nseats: 4\n", "", 1},
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
	_, bare := Tree("boat.yaml", []byte("boat: x\nsays:\n  - {{ seats }} seats\n  - calls: {{ name }}\n"))
	if err := bare.Err(); err == nil || err.Error() != "boat.yaml:3:5: a text that begins with {{ stands in quotes: \"{{ seats }} seats\"\nboat.yaml:4:12: a text that begins with {{ stands in quotes: \"{{ name }}\"" {
		t.Errorf("of texts that begin with an expression: %v", err)
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

// Whatever a document is, reading it takes little time and memory, and its mistake is
// told in few words.
func TestReadingIsBounded(t *testing.T) {
	const n = 100_000
	lines := func(line func(i int) string, n int) string {
		var b strings.Builder
		for i := range n {
			b.WriteString(line(i))
		}
		return b.String()
	}
	for name, source := range map[string]string{
		"lists in lists":   strings.Repeat("[", n),
		"blocks in blocks": strings.Repeat("{a: ", n/4),
		"mixed":            strings.Repeat("[{a: ", n/5),
		"items of items":   strings.Repeat("- ", n/2),
		"keys of keys":     strings.Repeat("? ", n/2),
		"deep":             lines(func(i int) string { return strings.Repeat(" ", i) + "a:\n" }, 400),
		"many keys":        lines(func(i int) string { return fmt.Sprintf("key%d: v\n", i) }, n/12),
		"many items":       "calls:\n" + strings.Repeat("- x\n", n/4),
		"doubling":         "a: &a [x, x]\n" + lines(func(i int) string { return fmt.Sprintf("b%d: &b%d [*a, *a]\n", i, i) }, 30),
		"one long key":     strings.Repeat("k", n) + ": v\n",
		"one long value":   "seats: " + strings.Repeat("v", n) + "\n",
		"one long quote":   "seats: \"" + strings.Repeat("v", n) + "\n",
		"tags":             strings.Repeat("!!a ", n/4),
		"names":            strings.Repeat("&a ", n/3),
		"documents":        strings.Repeat("---\n", n/4),
		"colons":           "boat: " + strings.Repeat("b: ", n/3),
		"not utf-8":        strings.Repeat("\xff\xfe: \x00\n", n/8),
	} {
		t.Run(name, func(t *testing.T) {
			var before, after runtime.MemStats
			runtime.ReadMemStats(&before)
			begun := time.Now()
			var b boat
			c := Decode("boat.yaml", []byte(source), &b)
			c.Wrong("$.seats", "how many?")
			took := time.Since(begun)
			runtime.ReadMemStats(&after)
			if used := (after.TotalAlloc - before.TotalAlloc) >> 20; used > 300 || took > 3*time.Second {
				t.Errorf("%d bytes took %s and %d MB", len(source), took, used)
			}
			if err := c.Err(); err == nil || len(err.Error()) > 1000 {
				t.Errorf("the mistake is told in %d bytes", len(fmt.Sprint(err)))
			}
		})
	}
}

func FuzzDecode(f *testing.F) {
	for _, seed := range []string{"boat: a\nseats: 4\n", "calls: [a, b]\nmaster: {name: x}\n", "boat: |\n  a\n", "- ? [{", "a: &b *c", "\t", "boat: \"\\u00"} {
		f.Add([]byte(seed))
	}
	f.Fuzz(func(t *testing.T, source []byte) {
		if len(source) > 1<<12 {
			return
		}
		begun := time.Now()
		var b boat
		c := Decode("boat.yaml", source, &b)
		c.Wrong("$.master.name", "who?")
		if took := time.Since(begun); took > 2*time.Second {
			t.Errorf("it took %s", took)
		}
		if c.Err() == nil || At("boat.yaml", source, "$.calls[0]", "which?") == nil {
			t.Error("no problem is told")
		}
	})
}
