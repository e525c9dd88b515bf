// Package core_test holds the rule that the core keeps to.
package core_test

import (
	"os/exec"
	"strings"
	"testing"
)

// The core computes: it knows nothing of the outer rooms, and of no library that
// opens a socket or a database.
func TestTheCoreStandsAlone(t *testing.T) {
	out, err := exec.Command("go", "list", "-deps", "./...").CombinedOutput()
	if err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	for _, dependency := range strings.Fields(string(out)) {
		for _, outer := range []string{
			"net/http", "database/sql", "github.com/gin-gonic/gin", "modernc.org/sqlite", "urgentparrot.example/client",
		} {
			if dependency == outer {
				t.Errorf("the core depends on %s", dependency)
			}
		}
		if room, ok := strings.CutPrefix(dependency, "urgentparrot.example/internal/"); ok && room != "core" && !strings.HasPrefix(room, "core/") {
			t.Errorf("the core depends on the room %s", room)
		}
	}
	direct, err := exec.Command("go", "list", "-f", `{{range .Imports}}{{.}} {{end}}`, "./...").CombinedOutput()
	if err != nil {
		t.Fatalf("%v: %s", err, direct)
	}
	for _, name := range strings.Fields(string(direct)) {
		if name == "os" || name == "net" || name == "os/exec" || name == "io/fs" {
			t.Errorf("the core imports %s", name)
		}
	}
}
