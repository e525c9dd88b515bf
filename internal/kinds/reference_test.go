package kinds

import (
	"flag"
	"fmt"
	"os"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/flow"
)

var update = flag.Bool("update", false, "write the reference of flows anew")

// docs/flow-steps.md is made of the language itself. With -update it is written anew.
func TestTheReferenceOfFlowsIsOfTheLanguage(t *testing.T) {
	var b strings.Builder
	b.WriteString("# Triggers and steps of flows\n\nMade of the language itself by `go test ./internal/kinds -update`. [flows.md](flows.md) tells how they go together.\n\n")
	fields := func(list []flow.Field, indent string) string {
		var lines []string
		var tell func(list []flow.Field, indent string)
		tell = func(list []flow.Field, indent string) {
			for _, f := range list {
				about := f.About
				if len(f.Choices) > 0 {
					about += " One of: " + strings.Join(f.Choices, ", ") + "."
				}
				if f.Default != "" {
					about += " " + f.Default + " if it is left out."
				}
				kind := string(f.Type)
				if f.Required {
					kind += ", needed"
				}
				lines = append(lines, fmt.Sprintf("%s- `%s` (%s): %s", indent, f.Name, kind, about))
				tell(f.Of, indent+"  ")
			}
		}
		tell(list, indent)
		return strings.Join(lines, "\n")
	}
	b.WriteString("| trigger | fires when |\n|---|---|\n")
	for _, k := range Language.Triggers {
		fmt.Fprintf(&b, "| [`%s`](#%s) | %s%s |\n", k.Name, strings.ReplaceAll(k.Name, " ", "-"), k.About, waits(k.Missing))
	}
	b.WriteString("\n| step | what it does |\n|---|---|\n")
	for _, k := range Language.Steps {
		fmt.Fprintf(&b, "| [`%s`](#%s) | %s%s |\n", k.Name, k.Name, k.About, waits(k.Missing))
	}
	b.WriteString("\nEvery step may have `if` (it is skipped unless that holds) and `on_error` (steps that are taken when it fails for good). The main field may stand behind the name alone, and the others beside it: `say: Hello` is `say: { text: Hello }`.\n\n## Triggers\n")
	for _, k := range Language.Triggers {
		fmt.Fprintf(&b, "\n### %s\n\n%s%s\n\n```yaml\n%s\n```\n\n%s\n", k.Name, k.About, waits(k.Missing), k.Example, fields(k.Fields, ""))
	}
	b.WriteString("\n## Steps\n")
	for _, k := range Language.Steps {
		fmt.Fprintf(&b, "\n### %s\n\n%s%s\n\n```yaml\n%s\n```\n\n%s\n", k.Name, k.About, waits(k.Missing), k.Example, fields(k.Fields, ""))
		if k.Plain == nil || k.Run == nil || k.About == "" || k.Example == "" || k.Group == "" {
			t.Errorf("the step %s is not whole", k.Name)
		}
	}
	const file = "../../docs/flow-steps.md"
	if *update {
		if err := os.WriteFile(file, []byte(b.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	kept, err := os.ReadFile(file)
	if err != nil || string(kept) != b.String() {
		t.Errorf("%s is not what the language says; run go test ./internal/kinds -update (%v)", file, err)
	}
}

func waits(missing string) string {
	if missing == "" {
		return ""
	}
	return " Not yet: " + missing + "."
}
