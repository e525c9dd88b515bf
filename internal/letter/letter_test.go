package letter

import (
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
	"unicode/utf8"
)

var update = flag.Bool("update", false, "write what is understood of the mails in testdata")

// told is what was understood of a mail, for people.
func told(l Letter) string {
	var b strings.Builder
	line := func(what, value string) {
		if value != "" {
			fmt.Fprintf(&b, "%s: %s\n", what, value)
		}
	}
	people := func(list []Person) string {
		var names []string
		for _, p := range list {
			names = append(names, p.String())
		}
		return strings.Join(names, ", ")
	}
	line("id", l.ID)
	line("belongs to", strings.Join(l.References, " "))
	line("from", l.From.String())
	line("answers go to", l.ReplyTo.String())
	line("to", people(l.To))
	line("copy", people(l.Copy))
	line("subject", l.Subject)
	if !l.At.IsZero() {
		line("at", l.At.Format(time.RFC3339))
	}
	line("silent", l.Silent)
	if l.Report != nil {
		line("report", fmt.Sprintf("%+v", *l.Report))
	}
	if l.Forwarded {
		line("forwarded", "yes")
	}
	for _, f := range l.Files {
		line("file", fmt.Sprintf("%q, %s, %d bytes, inline %v", f.Name, f.Type, len(f.Bytes), f.Inline))
	}
	for _, p := range l.Problems {
		line("problem", p)
	}
	for _, part := range [][2]string{{"text", l.Text}, {"quoted", l.Quoted}, {"signature", l.Signature}} {
		if text := part[1]; text != "" {
			if len(text) > 2000 {
				text = text[:2000] + fmt.Sprintf("... (%d bytes)", len(text))
			}
			fmt.Fprintf(&b, "\n== %s\n%s\n", part[0], text)
		}
	}
	return b.String()
}

// Of each mail of the corpus is understood what its golden file says: character sets,
// broken and nested parts, files, quotes and signatures of many programs and languages, what
// wants no answer, and delivery reports.
func TestMailsAreUnderstood(t *testing.T) {
	files, err := filepath.Glob("testdata/*.eml")
	if err != nil || len(files) < 60 {
		t.Fatalf("there are %d mails, %v", len(files), err)
	}
	for _, file := range files {
		raw, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		got, golden := told(Read(raw)), strings.TrimSuffix(file, ".eml")+".golden"
		if *update {
			if err := os.WriteFile(golden, []byte(got), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		if want, err := os.ReadFile(golden); err != nil || got != string(want) {
			t.Errorf("%s is understood as\n%s\nbut should be\n%s (%v)", file, got, want, err)
		}
	}
}

// A mail of more than is read is cut, and said to be.
func TestAMailTooLargeIsCut(t *testing.T) {
	raw := []byte("From: ada@example.org\r\nSubject: big\r\nMessage-ID: <big@example.org>\r\n\r\nIs there room for a canoe?\r\n" + strings.Repeat("canoe ", 6<<20))
	begun := time.Now()
	l := Read(raw)
	if len(l.Problems) == 0 || !strings.HasPrefix(l.Text, "Is there room") || utf8.RuneCountInString(l.Text) > mostText || time.Since(begun) > 20*time.Second {
		t.Errorf("%d runes, %q, in %s", utf8.RuneCountInString(l.Text), l.Problems, time.Since(begun))
	}
}

// Whatever arrives is read without harm: all that is kept is valid, bounded text.
func FuzzRead(f *testing.F) {
	files, _ := filepath.Glob("testdata/*.eml")
	for _, file := range files {
		if raw, err := os.ReadFile(file); err == nil && len(raw) < 20_000 {
			f.Add(raw)
		}
	}
	f.Fuzz(func(t *testing.T, raw []byte) {
		l := Read(raw)
		for what, s := range map[string]string{"text": l.Text, "quoted": l.Quoted, "signature": l.Signature, "subject": l.Subject, "id": l.ID, "from": l.From.String(), "silent": l.Silent} {
			if !utf8.ValidString(s) || strings.ContainsRune(s, 0) {
				t.Errorf("the %s is no clean text: %q", what, s)
			}
		}
		if len(l.Files) > mostFiles || len(l.References) > mostThread || len(l.To) > mostPeople {
			t.Errorf("too much is kept: %d files, %d references, %d people", len(l.Files), len(l.References), len(l.To))
		}
		for _, file := range l.Files {
			if file.Name == "" || strings.ContainsAny(file.Name, "/\\\n\x00") || file.Name == ".." {
				t.Errorf("a file is called %q", file.Name)
			}
		}
		if again := Read(raw); told(again) != told(l) || again.Hash() != l.Hash() {
			t.Error("read again, it is another mail")
		}
	})
}
