package library

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"urgentparrot.example/internal/reading"
)

// A folder of documents that somebody else has set answers that business's customers, as they type:
// a web page, a handbook in Markdown, a text with prices in a row, a table, and questions in bold
// letters. What does not stand there is not said.
func TestAFolderAnswersItsCustomers(t *testing.T) {
	const folder = "testdata/strangers"
	raw, err := os.ReadFile(filepath.Join(folder, "questions.txt"))
	if err != nil {
		t.Fatal(err)
	}
	businesses := map[string]Desk{}
	for at, line := range strings.Split(string(raw), "\n") {
		if line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		cells := strings.SplitN(line, "|", 3)
		name, asked := strings.TrimSpace(cells[0]), strings.TrimSpace(cells[1])
		how, want, _ := strings.Cut(strings.TrimSpace(cells[2]), " ")
		desk, ok := businesses[name]
		if !ok {
			read, err := ReadFolder(t.Context(), reading.Here{}, filepath.Join(folder, name), "", nil)
			if err != nil || len(read.Failed) > 0 || read.Files == 0 {
				t.Fatalf("%s: %v, %v", name, err, read.Failed)
			}
			desk = read.Desk
			businesses[name] = desk
		}
		a := desk.Ask(t.Context(), asked)
		answered := a.Decision.Trace.Code == "answered"
		said := a.Words[strings.Index(a.Words, "assistant. ")+len("assistant. "):]
		if so := map[string]bool{
			"=": answered && said == want,
			"~": answered && strings.Contains(said, want),
			"?": strings.Contains(said, want),
			"-": !answered || want != "" && !strings.Contains(said, want),
		}[how]; !so || how == "-" && want != "" && answered && strings.Contains(said, want) {
			t.Errorf("line %d, %s: %q\n [%s] %s\n wanted %s %s", at+1, name, asked, a.Decision.Trace.Code, said, how, want)
		}
		if answered && len(a.Citations) == 0 {
			t.Errorf("%q is answered from nowhere", asked)
		}
	}
	if len(businesses) < 7 {
		t.Errorf("of %d businesses only was asked", len(businesses))
	}
}

// A folder without anything to read says what it may hold; what cannot be read is named, and the rest
// is read all the same. Files that are hidden are left alone.
func TestAFolderSaysWhatItCouldNotRead(t *testing.T) {
	folder := t.TempDir()
	if _, err := ReadFolder(t.Context(), reading.Here{}, folder, "", nil); err == nil || !strings.Contains(err.Error(), "Markdown") {
		t.Errorf("of an empty folder is said: %v", err)
	}
	for name, content := range map[string]string{"a.md": "# Rafts\n\nA raft costs £9 an hour.", "broken.pdf": "no PDF", ".hidden.md": "# Secret\n\nThe safe is open.", "sub/b.txt": "OARS\nOars are lent for nothing."} {
		file := filepath.Join(folder, name)
		if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(file, []byte(content), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	encoded := 0
	read, err := ReadFolder(t.Context(), reading.Here{}, folder, filepath.Join(folder, "..", "kept"), func(done, all int) { encoded = done })
	if err != nil || read.Files != 2 || read.Passages != 2 || encoded != 2 || len(read.Failed) != 1 || read.Failed["broken.pdf"] == "" {
		t.Fatalf("%v: %+v, %d encoded", err, read, encoded)
	}
	if a := read.Desk.Ask(t.Context(), "how much is a raft"); !strings.Contains(a.Words, "£9 an hour") || len(a.Citations) != 1 || a.Citations[0].Source != "a.md" {
		t.Errorf("it says %q, from %+v", a.Words, a.Citations)
	}
	if a := read.Desk.Ask(t.Context(), "is the safe open?"); strings.Contains(a.Words, "safe is open") {
		t.Errorf("what is hidden is said: %q", a.Words)
	}
	// What was encoded before is taken from where it was kept.
	again, err := ReadFolder(t.Context(), reading.Here{}, folder, filepath.Join(folder, "..", "kept"), nil)
	if a := again.Desk.Ask(t.Context(), "how much is a raft"); err != nil || !strings.Contains(a.Words, "£9 an hour") {
		t.Errorf("again: %v, %q", err, a.Words)
	}
}
