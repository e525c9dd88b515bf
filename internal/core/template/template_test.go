package template

import (
	"strings"
	"testing"
	"time"
)

var ada = Values{
	Contact: map[string]string{"name": "Ada Brill", "first_name": "Ada"}, Bot: "Pip", Workspace: "Brackwater Ferries",
	Question: "is {{ bot }} free?", Channel: "website", Arguments: map[string]any{"to": "Gannet Holm", "seats": 3.0},
	Result: map[string]any{"departures": []any{map[string]any{"leaves": "08:10"}, map[string]any{"leaves": "12:30"}}},
	Now:    time.Date(2026, 11, 25, 9, 30, 0, 0, time.UTC),
}

func TestTextsAreFilled(t *testing.T) {
	for source, want := range map[string]string{
		"Hello {{ contact.first_name.orValue('there') }}!":                       "Hello Ada!",
		"{{ contact.phone.hasValue() ? 'known' : 'unknown' }}":                   "unknown",
		"To {{ arguments.to }} for {{ arguments.seats }}":                        "To Gannet Holm for 3",
		"{{ result.departures[1].leaves }}, {{ size(result.departures) }} boats": "12:30, 2 boats",
		"at {{ now }}":      "at 2026-11-25 09:30",
		"plain } text } {":  "plain } text } {",
		"{{ question }}":    "is {{ bot }} free?", // what a customer wrote is not read as an expression
		"{{ bot }}{{ bot }": "",
		"":                  "",
	} {
		text, err := Parse(source)
		if strings.HasSuffix(source, "{{ bot }") {
			if err == nil || !strings.Contains(err.Error(), "no }}") {
				t.Errorf("%q: %v", source, err)
			}
			continue
		}
		if err != nil {
			t.Errorf("%q: %v", source, err)
			continue
		}
		if got, err := text.Fill(ada); err != nil || got != want {
			t.Errorf("%q became %q, %v; want %q", source, got, err, want)
		}
	}
}

// A mistake is told when a text is written, or where it shows; it never stops the
// turn for long, and never fills the memory.
func TestExpressionsAreBounded(t *testing.T) {
	for source, says := range map[string]string{"bott": "undeclared", "contact.first_name +": "Syntax", "size(1)": "no matching overload", "bot + 1": "no matching overload"} {
		if _, err := Compile(source); err == nil || !strings.Contains(err.Error(), says) || !strings.Contains(err.Error(), source) {
			t.Errorf("%q: %v, want one that says %q", source, err, says)
		}
	}
	long := "[1,2,3,4,5,6,7,8,9,10]"
	hungry := long
	for range 7 {
		hungry = long + ".map(x, " + hungry + ")"
	}
	for _, source := range []string{"size(" + hungry + ")", "result.departures[7].leaves", "result.nothing.at.all", "arguments.away"} {
		e, err := Compile(source)
		if err != nil {
			t.Errorf("%.40q: %v", source, err)
			continue
		}
		begun := time.Now()
		if value, err := e.Value(ada); err == nil {
			t.Errorf("%.40q gives %v", source, value)
		}
		if took := time.Since(begun); took > 5*time.Second {
			t.Errorf("%.40q took %s", source, took)
		}
	}
	if e, err := Compile("bot"); err != nil {
		t.Error(err)
	} else if _, err := e.Holds(ada); err == nil || !strings.Contains(err.Error(), "not a condition") {
		t.Errorf("a name is no condition: %v", err)
	}
}

// FuzzTemplate fills whatever somebody writes into a text: it is refused or filled, in
// little time, and never with more than a text holds.
func FuzzTemplate(f *testing.F) {
	for _, seed := range []string{"Hello {{ contact.first_name.orValue('') }}!", "{{ now }}", "{{ 1/0 }}", "{{ [1,2].map(x, [x].map(y, y)) }}", "{{", "}}", "{{ 'a' * 3 }}", "{{ arguments.x.y }}", "{{ result[0] }}", "{{ \"\\u0000\" }}"} {
		f.Add(seed)
	}
	v := Values{Contact: map[string]string{"name": "Ada"}, Bot: "Pip", Workspace: "Ferries", Question: "boat?", Channel: "web", Arguments: map[string]any{"x": 1.5}, Result: []any{map[string]any{"a": "b"}}}
	f.Fuzz(func(t *testing.T, source string) {
		if len(source) > 1_000 {
			return
		}
		begun := time.Now()
		parsed, err := Parse(source)
		if err == nil {
			parsed.Fields()
			_, err = parsed.Fill(v)
		}
		if took := time.Since(begun); took > 2*time.Second {
			t.Errorf("%q took %s", source, took)
		}
		if err != nil && len(err.Error()) > 1_000 {
			t.Errorf("the mistake in %q is told in %d bytes", source, len(err.Error()))
		}
	})
}
