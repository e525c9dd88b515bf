package form

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/workspace"
)

var now = time.Date(2026, 11, 26, 9, 0, 0, 0, time.UTC)

// enquiry is a form that asks for one thing of each kind.
func enquiry(t *testing.T) (workspace.Form, workspace.Settings) {
	t.Helper()
	f, err := workspace.ParseForm("f", []byte(`form: enquiry
fields:
  - { field: who, label: Your name, as: name, required: true, save: name }
  - { field: mail, label: E-mail, as: email, save: email }
  - { field: mobile, label: Telephone, as: phone, save: phone }
  - { field: people, label: How many, as: integer, required: true }
  - { field: day, label: The day, as: date }
  - { field: at, label: The time, as: time }
  - { field: island, label: Island, as: choice, choices: [Little Sorrel, Gannet Holm], save: island }
  - { field: back, label: And back, as: boolean }
  - { field: with, label: With, as: list }
  - { field: words, label: Anything else, long: true }
`))
	if err != nil {
		t.Fatal(err)
	}
	s := workspace.DefaultSettings("main")
	s.Fields = append(contact.Standard(), contact.Field{Name: "island", Label: "Island", Type: contact.Choice, Choices: []string{"Little Sorrel", "Gannet Holm"}})
	return f, s
}

// What people type is cleaned to what the field asks for; what cannot be is kept as it was
// said, and marked; only what was understood is claimed of the contact.
func TestWhatIsTypedIsCleaned(t *testing.T) {
	f, settings := enquiry(t)
	for _, c := range []struct{ field, typed, kept, fact string }{
		{"who", "  ada   moss ", "ada moss", "name ada moss"}, {"who", "my name is Ada Moss, thanks", "Ada Moss", "name Ada Moss"}, {"who", "12345", "~12345", ""},
		{"mail", "my mail is ada at example.org", "ada@example.org", "email ada@example.org"}, {"mail", "ADA@Example.ORG", "ada@example.org", "email ada@example.org"}, {"mail", "ask my wife", "~ask my wife", ""},
		{"mobile", "07700 900123", "+447700900123", "phone +447700900123"}, {"mobile", "the usual", "~the usual", ""},
		{"people", "about thirty", "30", ""}, {"people", "30, no sorry 32", "32", ""}, {"people", "2.5", "~2.5", ""}, {"people", "a lot", "~a lot", ""},
		{"day", "tomorrow", "2026-11-27", ""}, {"day", "24/12/2026", "2026-12-24", ""}, {"day", "whenever", "~whenever", ""},
		{"at", "half past four", "16:30", ""}, {"at", "9", "09:00", ""}, {"at", "later", "~later", ""},
		{"island", "gannet holm please", "Gannet Holm", "island Gannet Holm"}, {"island", "the second", "Gannet Holm", "island Gannet Holm"}, {"island", "Atlantis", "~Atlantis", ""},
		{"back", "yes please", "true", ""}, {"back", "no", "false", ""}, {"back", "on", "~on", ""},
		{"with", "two dogs, a pram and Tom", "[two dogs a pram Tom]", ""},
		{"words", "one\n\ntwo", "one two", ""}, {"words", "<b>bold</b>", "<b>bold</b>", ""},
	} {
		typed := map[string]string{"who": "Ada Moss", "people": "2"}
		typed[c.field] = c.typed
		e, err := Clean(f, typed, settings, now)
		if err != nil {
			t.Errorf("%s of %q: %v", c.field, c.typed, err)
			continue
		}
		want, doubtful := strings.CutPrefix(c.kept, "~")
		if got := fmt.Sprint(e.Values[c.field]); got != want || slices.Contains(e.Doubtful, c.field) != doubtful {
			t.Errorf("%s of %q is %q, doubtful: %v; not %q", c.field, c.typed, got, e.Doubtful, c.kept)
		}
		claimed := ""
		for _, fact := range e.Facts {
			if fact.Verified {
				t.Errorf("%s of %q is verified", c.field, c.typed)
			}
			if field, _ := fieldOf(f, c.field); field.To == fact.Field {
				claimed = fact.Field + " " + fact.Value
			}
		}
		if claimed != c.fact {
			t.Errorf("%s of %q claims %q, not %q", c.field, c.typed, claimed, c.fact)
		}
	}
}

func fieldOf(f workspace.Form, name string) (workspace.FormField, bool) {
	at := slices.IndexFunc(f.Fields, func(field workspace.FormField) bool { return field.Name == name })
	return f.Fields[at], at >= 0
}

// What a form needs is named where it lacks, all at once and always in the same words; what it
// does not ask for is left out, and what is too long is not taken.
func TestWhatLacksIsNamed(t *testing.T) {
	f, settings := enquiry(t)
	for what, c := range map[string]struct {
		typed map[string]string
		says  string
	}{
		"nothing":     {nil, "How many is needed; Your name is needed"},
		"spaces":      {map[string]string{"who": " \t", "people": "3"}, "Your name is needed"},
		"too long":    {map[string]string{"who": "Ada", "people": "3", "words": strings.Repeat("x", 5001)}, "Anything else has more than 5000 characters"},
		"all of it":   {map[string]string{"who": "Ada", "people": "3", "words": strings.Repeat("é", 5000)}, ""},
		"and another": {map[string]string{"who": "Ada", "people": "3", "colour": "red"}, ""},
	} {
		for range 5 {
			e, err := Clean(f, c.typed, settings, now)
			var missing Missing
			if (err == nil) != (c.says == "") || err != nil && (!errors.As(err, &missing) || err.Error() != c.says) {
				t.Errorf("%s: %v, not %q", what, err, c.says)
			}
			if _, there := e.Values["colour"]; there {
				t.Errorf("%s: a field that the form does not have is kept", what)
			}
		}
	}
}
