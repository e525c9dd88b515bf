package steps_test

import (
	"flag"
	"fmt"
	"os"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/document"
)

var update = flag.Bool("update", false, "write what is found now into the golden file")

// What the checker says to each mistake stands in testdata/checks.golden; "fine" is a flow
// without one. With -update it is written anew, to be read through.
func TestTheCheckerNamesEachMistake(t *testing.T) {
	source, err := os.ReadFile("testdata/checks.txt")
	if err != nil {
		t.Fatal(err)
	}
	d := ferries(t)
	other, err := language.Parse("other", []byte("flow: other\nwhen:\n  - message: { contains: [Thanks] }\nsteps:\n  - say: Hello\n"))
	if err != nil {
		t.Fatal(err)
	}
	d["flow/other"] = other
	var got strings.Builder
	cases := strings.Split("\n"+string(source), "\n== ")[1:]
	for _, one := range cases {
		title, body, _ := strings.Cut(one, "\n")
		if !strings.HasPrefix(strings.TrimPrefix(body, "- "), "flow: ") && !strings.HasPrefix(body, "#") {
			body = "flow: t\nwhen: by hand\nspeak_on: website\nsteps:\n  " + strings.ReplaceAll(body, "\n", "\n  ") + "\n"
		}
		body = strings.ReplaceAll(body, "LONG", strings.Repeat("1 == 1 && ", 500)+"true")
		body = strings.ReplaceAll(body, "DEEP", deep(12))
		fmt.Fprintf(&got, "== %s\n", title)
		found := check(d, body)
		for _, f := range found {
			kind := "error"
			if f.Warning {
				kind = "warning"
			}
			fmt.Fprintf(&got, "%s %d:%d %s\n", kind, f.Line, f.Column, f.Message)
		}
		if len(found) == 0 {
			fmt.Fprintln(&got, "fine")
		}
	}
	const golden = "testdata/checks.golden"
	if *update {
		if err := os.WriteFile(golden, []byte(got.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	want, _ := os.ReadFile(golden)
	gotLines, wantLines := strings.Split(got.String(), "\n"), strings.Split(string(want), "\n")
	for i, line := range gotLines {
		if i >= len(wantLines) || line != wantLines[i] {
			t.Fatalf("line %d of %s: it says\n%s\nand not\n%s", i+1, golden, line, wantLines[min(i, len(wantLines)-1)])
		}
	}
	if len(cases) < 50 || len(gotLines) != len(wantLines) {
		t.Errorf("%d cases, %d lines of %d", len(cases), len(gotLines), len(wantLines))
	}
}

func deep(n int) string {
	if n == 0 {
		return `[ { say: x } ]`
	}
	return `[ { loop: { at_most: 2, steps: ` + deep(n-1) + ` } } ]`
}

func check(d directory, source string) []document.Finding {
	return language.Look("flow", []byte(source), d)
}
