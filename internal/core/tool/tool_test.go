package tool

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/template"
	"urgentparrot.example/internal/core/workspace"
)

const timetable = `tool: timetable
title: Next boats
connection: timetable
path: /departures
when: [When is the next boat?]
arguments:
  type: object
  required: [to]
  additionalProperties: false
  properties:
    to: { type: string, enum: [Gannet Holm, Hallow Point] }
    after: { type: string, pattern: "^[0-2][0-9]:[0-5][0-9]$" }
comes_from:
  to: { ask: "Where to?" }
result: { type: object, required: [departures], properties: { departures: { type: array, items: { type: string } } } }
say:
  - if: "size(result.departures) == 0"
    text: "No boat to {{ arguments.to }}."
  - text: "At {{ result.departures[0] }}."
sorry: I cannot reach the timetable.
`

func TestAToolKeepsToItsSchemas(t *testing.T) {
	boats, err := Parse("timetable.yaml", []byte(timetable))
	if err != nil {
		t.Fatal(err)
	}
	if boats.Method != "GET" || boats.Tries != 3 || boats.Timeout != workspace.Duration(3*time.Second) {
		t.Errorf("without settings it is called %d times by %s for %v", boats.Tries, boats.Method, boats.Timeout)
	}
	for _, c := range []struct {
		arguments map[string]any
		right     bool
	}{
		{map[string]any{"to": "Gannet Holm"}, true},
		{map[string]any{"to": "Gannet Holm", "after": "09:30"}, true},
		{map[string]any{"to": "the moon"}, false},
		{map[string]any{}, false},
		{map[string]any{"to": "Gannet Holm", "after": "soon"}, false},
		{map[string]any{"to": "Gannet Holm", "admin": true}, false},
	} {
		if err := boats.CheckArguments(c.arguments); (err == nil) != c.right {
			t.Errorf("%v: %v", c.arguments, err)
		}
	}
	for _, wrong := range []any{nil, []any{}, map[string]any{"departures": "soon"}, map[string]any{"departures": []any{3.0}}} {
		if boats.CheckResult(wrong) == nil {
			t.Errorf("a result of %v was taken", wrong)
		}
	}
	for said, departures := range map[string][]any{"No boat to Gannet Holm.": {}, "At 08:10.": {"08:10", "12:30"}} {
		result := map[string]any{"departures": departures}
		if got, err := boats.Fill(template.Values{Arguments: map[string]any{"to": "Gannet Holm"}, Result: result}); err != nil || got != said {
			t.Errorf("it says %q, %v; want %q", got, err, said)
		}
	}
}

// What is wrong in a tool is named by its place; a schema can fetch nothing; and nothing of
// another way stands in it unread.
func TestMistakesInToolsAreNamed(t *testing.T) {
	for _, c := range []struct{ source, says string }{
		{strings.Replace(timetable, "path: /departures", "path: departures", 1), "begin with a /"},
		{strings.Replace(timetable, "title: Next boats", "timeout: 10h", 1), "50ms to 30s"},
		{strings.Replace(timetable, "title: Next boats", "tries: 99", 1), "1 to 5"},
		{strings.Replace(timetable, "comes_from:\n  to: { ask: \"Where to?\" }\n", "", 1), `"to" is required`},
		{strings.Replace(timetable, "size(result.departures) == 0", "size(", 1), "in \"size(\""},
		{strings.Replace(timetable, "{ type: string, enum: [Gannet Holm, Hallow Point] }", `{ "$ref": "file:///etc/passwd" }`, 1), "stand on its own"},
		{strings.Replace(timetable, "{ type: string, enum: [Gannet Holm, Hallow Point] }", `{ "$ref": "http://169.254.169.254/latest" }`, 1), "stand on its own"},
		{strings.Replace(timetable, "sorry: I cannot reach the timetable.", "sory: x", 1), "sory"},
		{timetable + "does: magic\n", "is not known here; it is request, mcp, find row"},
		{timetable + "where: { Item: x }\n", `belongs to a tool that does "find row"`},
		{timetable + "body: { a: 1 }\n", "a request with GET has no body"},
		{timetable + "headers: { authorization: Bearer x }\n", "set by the service"},
		{timetable + "headers: { \"X Y\": z }\n", "not the name of a header"},
		{timetable + "query: { to: \"{{ arguments.to\" }\n", "has no }}"},
		{timetable + "pick: \"result.\"\n", "in \"result.\""},
		{strings.Replace(timetable, "to: { ask: \"Where to?\" }", "to: { fixed: Gannet Holm, ask: x }", 1), "comes from nowhere else"},
		{strings.Replace(timetable, "to: { ask: \"Where to?\" }", "to: { verified: true }", 1), "which field of the contact"},
		{strings.Replace(timetable, "to: { ask: \"Where to?\" }", "to: { ask: x, words: { Mars: [red] } }", 1), `"Mars" is none of the values`},
		{strings.Replace(timetable, "to: { ask: \"Where to?\" }", "to: { ask: x }\n  pier: { ask: y }", 1), `have no "pier"`},
		{"tool: rows\ndoes: find row\nsheet: s\nwhen: [x]\nsorry: x\nsay: [{ text: x }]\n", "which columns a row is found by"},
		{"tool: m\ndoes: mcp\nconnection: c\nwhen: [x]\nsorry: x\nsay: [{ text: x }]\n", "which of the server's tools"},
	} {
		_, err := Parse("t.yaml", []byte(c.source))
		if err == nil || !strings.Contains(err.Error(), c.says) || !strings.HasPrefix(err.Error(), "t.yaml:") {
			t.Errorf("%s\nis wrong: %v; want %q", c.source, err, c.says)
		}
	}
}

const booking = `tool: book
connection: desk
method: POST
path: "/boats/{{ arguments.boat }}/seats"
query: { day: "{{ arguments.?day }}" }
headers: { X-Office: "{{ workspace }}" }
body:
  seats: "{{ arguments.seats }}"
  note: "for {{ contact.name.orValue('nobody') }}"
  day: "{{ arguments.?day }}"
  extras: ["{{ arguments.?dog }}", window]
success: "status == 201 && result.ok"
pick: result.booking
when: [book seats]
arguments:
  type: object
  required: [boat, seats, email]
  properties:
    boat: { type: string }
    seats: { type: integer }
    day: { type: string, format: date }
    dog: { type: string }
    email: { type: string }
    office: { type: integer }
comes_from:
  boat: { ask: Which boat? }
  seats: { ask: How many?, default: 1 }
  email: { memory: email, verified: true }
  office: { fixed: 3 }
result: { type: object, required: [number] }
say: [{ text: "Booked: {{ result.number }}." }]
sorry: Not now.
`

// Where a detail comes from is what the builder said: what is fixed or must be verified
// cannot be said by a customer, nor made up by a model.
func TestDetailsComeFromWhereTheBuilderSays(t *testing.T) {
	book, err := Parse("book.yaml", []byte(booking))
	if err != nil {
		t.Fatal(err)
	}
	known := contact.Memory{"email": {Field: "email", Value: "ada@example.org", Verified: true}}
	claimed := contact.Memory{"email": {Field: "email", Value: "eve@example.org"}}
	for _, c := range []struct {
		what    string
		said    map[string]any
		memory  contact.Memory
		want    string
		missing string
	}{
		{"what was said, fixed, remembered and holds otherwise", map[string]any{"boat": "Tern"}, known, `{"boat":"Tern","email":"ada@example.org","office":3,"seats":1}`, ""},
		{"what was said goes before a default", map[string]any{"boat": "Tern", "seats": 4.0}, known, `{"boat":"Tern","email":"ada@example.org","office":3,"seats":4}`, ""},
		{"what is fixed or verified is not taken from anybody", map[string]any{"boat": "Tern", "office": 9, "email": "eve@example.org"}, known, `{"boat":"Tern","email":"ada@example.org","office":3,"seats":1}`, ""},
		{"a claim is not verified", map[string]any{"boat": "Tern"}, claimed, "", "email"},
		{"what nobody said", nil, known, "", "boat"},
		{"what the schema does not have stays, for it to refuse", map[string]any{"boat": "Tern", "admin": true}, known, `{"admin":true,"boat":"Tern","email":"ada@example.org","office":3,"seats":1}`, ""},
	} {
		arguments, missing := book.Settle(c.said, c.memory)
		raw, _ := json.Marshal(arguments)
		switch {
		case c.missing != "" && (missing == nil || missing.Name != c.missing):
			t.Errorf("%s: %v is missing, want %s", c.what, missing, c.missing)
		case c.missing == "" && (missing != nil || string(raw) != c.want):
			t.Errorf("%s: %s, missing %v; want %s", c.what, raw, missing, c.want)
		}
	}
}

// A request is filled as it is written: values keep their kind, what was not said is left
// out, and no value leads anywhere else.
func TestARequestIsFilled(t *testing.T) {
	book, err := Parse("book.yaml", []byte(booking))
	if err != nil {
		t.Fatal(err)
	}
	values := func(arguments map[string]any) template.Values {
		return template.Values{Arguments: arguments, Workspace: "Brackwater", Contact: map[string]string{}}
	}
	p, err := book.Prepare(values(map[string]any{"boat": "Grey Heron/..?x#", "seats": 3.0}))
	if err != nil {
		t.Fatal(err)
	}
	if p.Path != "/boats/Grey%20Heron%2F..%3Fx%23/seats" || string(p.Body) != `{"extras":["window"],"note":"for nobody","seats":3}` || p.Headers["X-Office"] != "Brackwater" {
		t.Errorf("%+v %s", p, p.Body)
	}
	if p, err = book.Prepare(values(map[string]any{"boat": "T", "seats": 1, "day": "2026-11-27", "dog": "Rex"})); err != nil || p.Path != "/boats/T/seats?day=2026-11-27" || !strings.Contains(string(p.Body), `"extras":["Rex","window"]`) {
		t.Errorf("%+v %s %v", p, p.Body, err)
	}
	for _, bad := range []map[string]any{{"boat": "..", "seats": 1}, {"seats": 1}} {
		if p, err := book.Prepare(values(bad)); err == nil {
			t.Errorf("%v became %s", bad, p.Path)
		}
	}
	for _, c := range []struct {
		result any
		status int
		want   string
	}{
		{map[string]any{"ok": true, "booking": map[string]any{"number": "B7"}}, 201, "map[number:B7]"},
		{map[string]any{"ok": false, "booking": map[string]any{"number": "B7"}}, 201, "did not succeed"},
		{map[string]any{"ok": true, "booking": map[string]any{"number": "B7"}}, 200, "did not succeed"},
		{map[string]any{"ok": true}, 201, "is not there"},
		{map[string]any{"ok": true, "booking": map[string]any{}}, 201, "does not fit"},
		{"<html>", 201, "cannot be told"},
	} {
		v := values(nil)
		v.Result, v.Status = c.result, c.status
		got, err := book.Read(v)
		if said := fmt.Sprint(got, err); !strings.Contains(said, c.want) {
			t.Errorf("%v with %d is read as %s; want %s", c.result, c.status, said, c.want)
		}
	}
	if book.Reads() || book.Repeatable() {
		t.Error("a booking reads, or may be made twice")
	}
}

// What an outside system says of itself becomes a tool that stands, and asks a person before
// it changes anything.
func TestADraftIsATool(t *testing.T) {
	for _, d := range []Draft{
		{Name: "getTides", Title: "High water", Connection: "c", Method: "GET", Path: "/tides/{pier}", InQuery: []string{"day", "odd-name"}, ReadsOnly: true, Arguments: map[string]any{
			"type": "object", "required": []any{"pier"}, "properties": map[string]any{"pier": map[string]any{"type": "string", "description": "the pier."}, "day": map[string]any{"type": "string"}, "odd-name": map[string]any{"type": "string"}},
		}, Result: map[string]any{"type": "object", "required": []any{"high"}, "properties": map[string]any{"high": map[string]any{"type": "string"}}}},
		{Name: "book", Connection: "c", Method: "POST", Path: "/b", InBody: []string{"seats"}, Arguments: map[string]any{"type": "object", "required": []any{"seats"}, "properties": map[string]any{"seats": map[string]any{"type": "integer"}}}},
		{Name: "do_it", Description: "Does: it # really", Connection: "c", MCPTool: "do_it", Arguments: map[string]any{"type": "object"}},
		{Name: "日本", Connection: "c", Method: "DELETE", Path: "/x"},
	} {
		d.Name = NameOf(d.Name)
		made, err := Parse("d.yaml", []byte(d.Text()))
		if err != nil {
			t.Errorf("%v\n%s", err, d.Text())
			continue
		}
		if made.Approval == d.ReadsOnly || made.Reads() != d.ReadsOnly {
			t.Errorf("%s: approval %v, reads %v", made.Name, made.Approval, made.Reads())
		}
	}
}
