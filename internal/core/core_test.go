// Package core_test holds the rule that the core keeps to.
package core_test

import (
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// What the core may be built from: the standard library that computes, and pure
// libraries. Everything else that it comes to depend on must be looked at.
var pure = []string{
	"urgentparrot.example/internal/core", "cel.dev/cel-go", "cel.dev/expr", "github.com/antlr4-go/antlr", "github.com/goccy/go-yaml", "github.com/kljensen/snowball", "github.com/robfig/cron",
	"github.com/nyaruka/phonenumbers", "github.com/santhosh-tekuri/jsonschema", "golang.org/x/exp", "golang.org/x/sys/cpu", "golang.org/x/text", "google.golang.org/protobuf", "google.golang.org/genproto", "go.yaml.in/yaml",
}

// opening are packages that open a socket, a database or a program.
var opening = []string{"net", "net/http", "database/sql", "os/exec", "os/signal", "net/rpc", "net/smtp", "plugin"}

// The core computes: in its whole list of dependencies there is nothing that opens
// a socket, a database or a program, and no library that was not looked at.
func TestTheCoreStandsAlone(t *testing.T) {
	out, err := exec.Command("go", "list", "-deps", "-f", "{{.ImportPath}} {{.Standard}}", "./...").CombinedOutput()
	if err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		dependency, standard, _ := strings.Cut(line, " ")
		if slices.Contains(opening, dependency) {
			t.Errorf("the core depends on %s", dependency)
		}
		if standard == "false" && !slices.ContainsFunc(pure, func(p string) bool { return dependency == p || strings.HasPrefix(dependency, p+"/") }) {
			t.Errorf("the core depends on %s, which nobody has looked at", dependency)
		}
	}
}

// clocks are how code asks for the time, waits for it, or opens a file.
var clocks = regexp.MustCompile(`\btime\.(?:Now|Since|Until|Sleep|After|AfterFunc|NewTimer|NewTicker|Tick)\(|\bos\.|\bioutil\.|\bfilepath\.`)

// The core has no clock, file or environment of its own: what it decides depends on
// what it is given alone. Nor does it keep a function through which it could be
// led outside.
func TestTheCoreKnowsNoTimeAndNoFile(t *testing.T) {
	checked := 0
	err := filepath.WalkDir(".", func(path string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		source, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		checked++
		for n, line := range strings.Split(string(source), "\n") {
			code, _, _ := strings.Cut(line, "//")
			if found := clocks.FindString(code); found != "" {
				t.Errorf("%s:%d: %s", path, n+1, found)
			}
		}
		return nil
	})
	if err != nil || checked < 50 {
		t.Errorf("%d files were looked at, %v", checked, err)
	}
}
