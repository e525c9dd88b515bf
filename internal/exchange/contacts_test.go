package exchange_test

import (
	"bytes"
	"fmt"
	"reflect"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/exchange"
)

// fields are what a small business keeps of its contacts.
var fields = contact.Fields{
	{Name: "name", Label: "Name", Type: contact.Name},
	{Name: "email", Label: "E-mail", Type: contact.Email},
	{Name: "phone", Label: "Telephone", Type: contact.Phone},
	{Name: "seat_wish", Label: "Where they like to sit", Type: "text"},
}

// people have names and details that other programs stumble over.
var people = []exchange.Person{
	{Details: map[string]string{"name": "Ada Example", "email": "ada@example.org", "phone": "+447700900150", "seat_wish": "by the window; \"not\" at the back,\nplease"}, Stage: "regular", Tags: []string{"early bird", "group"}, Handles: []exchange.Handle{{Channel: "text", Address: "+447700900150"}}},
	{Details: map[string]string{"name": "'t Lamm, Óscar"}, Tags: []string{"dog"}},
	{Details: map[string]string{"email": "only@example.org", "seat_wish": "=HYPERLINK(\"http://bad.example\")"}},
	{Details: map[string]string{"name": "Wei 王", "phone": "01632 960 518"}},
}

// What is written in a format is read again as it was, as far as the format can say it, and no
// spreadsheet runs what somebody called themselves.
func TestContactsSurviveTheirFormats(t *testing.T) {
	for _, f := range exchange.Formats {
		var file bytes.Buffer
		if err := exchange.Write(&file, f, people, fields); err != nil {
			t.Fatal(err)
		}
		if guessed := exchange.Guess(file.Bytes()); guessed != f {
			t.Errorf("%s is taken for %s", f, guessed)
		}
		if f == exchange.CSV && strings.Contains(file.String(), ",\"=") {
			t.Errorf("a spreadsheet would run it:\n%s", file.String())
		}
		got, left, err := exchange.Read(f, append([]byte("\uFEFF"), file.Bytes()...), fields)
		if err != nil || len(left) > 0 || len(got) != len(people) {
			t.Fatalf("%s: %d people, %q is left, %v\n%s", f, len(got), left, err, file.String())
		}
		for i, p := range got {
			want := people[i]
			if f == exchange.VCard { // which has no word for stage and handles, and wants a name
				if want.Stage, want.Handles = "", nil; want.Details["name"] == "" {
					delete(p.Details, "name")
				}
			}
			if p.Line == 0 {
				t.Errorf("%s: nothing says where %v stands", f, p.Details)
			}
			if p.Line = 0; !reflect.DeepEqual(p, want) {
				t.Errorf("%s:\n got %+v\nwant %+v", f, p, want)
			}
		}
	}
}

// Files of other programs are read by what their columns and properties mean; what has no place
// is named, and where it is broken is said.
func TestFilesOfOtherProgramsAreRead(t *testing.T) {
	one := func(details ...string) (list []exchange.Person) {
		p := exchange.Person{Details: map[string]string{}}
		for i := 0; i < len(details); i += 2 {
			p.Details[details[i]] = details[i+1]
		}
		return []exchange.Person{p}
	}
	for name, c := range map[string]struct {
		file string
		want []exchange.Person
		left []string
		err  string
	}{
		"labels and semicolons":  {"Name;E-MAIL;Shoe size;Shoe size\nAda;ada@example.org;38;39\n;;40;\n", one("name", "Ada", "email", "ada@example.org"), []string{"Shoe size"}, ""},
		"tabs":                   {"name\tTelephone\nAda\t01632 960 518\n", one("name", "Ada", "phone", "01632 960 518"), nil, ""},
		"no column of ours":      {"Shoe size,Hat\n38,red\n", nil, nil, "none of the columns is a field"},
		"nothing":                {"", nil, nil, "the file is empty"},
		"a quote without end":    {"name\n\"Ada\n", nil, nil, "cannot be read"},
		"an old vCard":           {"BEGIN:VCARD\r\nVERSION:2.1\r\nN:Example;Ada\r\nTEL;CELL:01632 960 518\r\nEND:VCARD\r\n", one("name", "Ada Example", "phone", "01632 960 518"), nil, ""},
		"a vCard of a telephone": {"BEGIN:VCARD\r\nVERSION:2.1\r\nN;CHARSET=UTF-8;QUOTED-PRINTABLE:=C3=93scar;Zo=\r\n=C3=AB;;;\r\nEND:VCARD\r\n", one("name", "Zoë Óscar"), nil, ""},
		"a folded vCard":         {"BEGIN:VCARD\r\nVERSION:3.0\r\nFN:Ada Exa\r\n mple\r\nEMAIL;TYPE=WORK:work@example.org\r\nEMAIL;TYPE=PREF:ada@example.org\r\nEND:VCARD\r\n", one("name", "Ada Example", "email", "ada@example.org"), nil, ""},
		"a card that is torn":    {"BEGIN:VCARD\r\nVERSION:4.0\r\nFN:Ada\r\n", nil, nil, "card 1 cannot be read"},
		"a bare list":            {`[{"details":{"E-mail":"ada@example.org","hat":"red"}},{"details":{}}]`, one("email", "ada@example.org"), []string{"hat"}, ""},
		"a list of other things": {`{"items":[{"details":"Ada"}]}`, nil, nil, "cannot be read"},
		"too many":               {"name\n" + strings.Repeat("Ada\n", exchange.Most+5), nil, nil, fmt.Sprintf("more than %d people", exchange.Most)},
	} {
		got, left, err := exchange.Read(exchange.Guess([]byte(c.file)), []byte(c.file), fields)
		if c.err != "" {
			if err == nil || !strings.Contains(err.Error(), c.err) {
				t.Errorf("%s: it says %v, not %q", name, err, c.err)
			}
			continue
		}
		for i := range got {
			got[i].Line = 0
		}
		if err != nil || !reflect.DeepEqual(got, c.want) || !reflect.DeepEqual(left, c.left) {
			t.Errorf("%s: got %+v, %q is left, %v; want %+v, %q", name, got, left, err, c.want, c.left)
		}
	}
}
