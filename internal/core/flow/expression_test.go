package flow

import (
	"fmt"
	"reflect"
	"strings"
	"testing"
	"time"

	"cel.dev/cel-go/common/types"
)

// What a flow of a ferry office may use: some values are there for sure, others may be missing.
func office(t *testing.T) *environment {
	t.Helper()
	e, err := newEnvironment(map[string]variable{
		"people": {kind: ANumber}, "stay": {kind: AText}, "day": {kind: ATime}, "now": {kind: ATime}, "paid": {kind: AFlag},
		"items": {kind: AList}, "item": {kind: ARecord}, "contact.email": {kind: AText, optional: true}, "contact.visits": {kind: ANumber, optional: true},
	}, "en", "Europe/Paris", []string{"office"})
	if err != nil {
		t.Fatal(err)
	}
	return e
}

// sure is what is there whichever way was taken.
var sure = scope{}.with("people", "stay", "day", "now", "paid", "items", "item")

// filled are values of these; those of missing are not there.
func filled(missing ...string) map[string]any {
	zone, _ := time.LoadLocation("Europe/Paris")
	values := map[string]any{
		"people": 12.0, "stay": "Over Night", "paid": true, "now": time.Date(2026, 11, 28, 9, 0, 0, 0, zone), "day": time.Date(2026, 12, 1, 18, 30, 0, 0, zone),
		"items": []any{map[string]any{"name": "van", "price": 30.0}, map[string]any{"name": "dog", "price": 0.0}}, "item": map[string]any{"name": "van", "Price a day": "25.90"},
		"contact.email": types.OptionalOf(types.String("ada@example.org")), "contact.visits": types.OptionalOf(types.Double(3)),
		"conversation": map[string]string{"customer": "I want a refund for two vans\n"}, "workspace": map[string]bool{"office": true},
	}
	for _, name := range missing {
		values[name] = types.OptionalNone
	}
	return values
}

// Expressions count, compare and take texts, times and lists apart, in the workspace's zone; whole
// numbers and others are one kind; what may be missing has what stands for it.
func TestExpressionsAreWorkedOut(t *testing.T) {
	e := office(t)
	for source, want := range map[string]any{
		"people + 1":                   13.0,
		"people / 5":                   2.4,
		"people >= 8 && people <= 400": true,
		"people in [2, 12]":            true,
		"size(stay)":                   10.0,
		"stay.lowerAscii().contains('over night')":    true,
		"stay.substring(0, 4) + '!'":                  "Over!",
		"items[0].name":                               "van",
		"items.filter(i, i.price > 0).map(i, i.name)": []any{"van"},
		"size(items) == 2 ? 'both' : 'some'":          "both",
		"double(item['Price a day']) * 2":             51.8,
		"day.getHours()":                              18.0,
		"day.getDate()":                               1.0,
		"day - now > duration('24h')":                 true,
		"day > time('2026-12-01 18:00')":              true,
		"time('2026-12-01') < day":                    true,
		"contact.email.orValue('none')":               "ada@example.org",
		"contact.visits.orValue(0) > 2":               true,
		"contact.email.hasValue()":                    true,
		"conversation.said('refund')":                 true,
		"conversation.said('van')":                    true,
		"conversation.said('fund')":                   false,
		"workspace.open('office')":                    true,
		"{'seats': people, 'paid': paid}":             map[string]any{"seats": 12.0, "paid": true},
	} {
		x, fault := e.compile(source, sure)
		if fault != nil {
			t.Errorf("%s: %v", source, fault)
			continue
		}
		if got, err := x.eval(filled()); err != nil || !reflect.DeepEqual(got, want) {
			t.Errorf("%s is %v (%v), not %v", source, got, err, want)
		}
	}
	for source, want := range map[string]any{"contact.email.orValue('none')": "none", "contact.visits.orValue(0) > 2": false, "contact.email.hasValue()": false} {
		if x, fault := e.compile(source, sure); fault != nil {
			t.Errorf("%s: %v", source, fault)
		} else if got, err := x.eval(filled("contact.email", "contact.visits")); err != nil || got != want {
			t.Errorf("%s is %v (%v) where it is missing, not %v", source, got, err, want)
		}
	}
	if x, fault := e.compile("contact.email + '!'", sure.with("contact.email")); fault != nil {
		t.Errorf("what is sure to be there is not used bare: %v", fault)
	} else if got, err := x.eval(filled()); err != nil || got != "ada@example.org!" {
		t.Errorf("what is sure to be there is %v (%v)", got, err)
	}
}

// What is wrong with an expression is said in words, with its place and what may be meant.
func TestMistakesInExpressionsAreSaid(t *testing.T) {
	e := office(t)
	for source, want := range map[string]struct {
		at    int
		words string
	}{
		"people > 2 and paid":         {11, "for and write &&"},
		"people = 2":                  {7, "for = write =="},
		"day > now + 3d":              {13, "for 3d write duration('72h')"},
		"people >":                    {8, "it ends too early"},
		"people + stay":               {7, "+ does not go with a number and a text"},
		"persons > 2":                 {0, "persons"},
		"contact.email + '!'":         {7, "contact.email"},
		strings.Repeat("1 + ", 1_100): {0, "at most 4000 characters"},
	} {
		_, fault := e.compile(source, sure)
		switch {
		case fault == nil:
			t.Errorf("%s is taken", source)
		case !strings.Contains(fault.words, want.words):
			t.Errorf("%s: %q, and not %q", source, fault.words, want.words)
		case fault.offset < want.at-2 || fault.offset > want.at+2:
			t.Errorf("%s: at %d, not at %d", source, fault.offset, want.at)
		}
	}
}

// What goes wrong when an expression is worked out is said, and no work is without end.
func TestExpressionsThatFail(t *testing.T) {
	e := office(t)
	many := make([]any, 3_000)
	for i := range many {
		many[i] = float64(i)
	}
	for source, want := range map[string]string{
		"time(stay) > now":                                "is no time; write it like 2026-12-01",
		"item['Colour'] == 'red'":                         "no such key",
		"double(stay) > 1":                                fmt.Sprintf("%q", "double(stay) > 1"),
		"items.exists(a, items.exists(b, a + b == -1.0))": "takes too much work",
	} {
		x, fault := e.compile(source, sure)
		if fault != nil {
			t.Errorf("%s: %v", source, fault)
			continue
		}
		values := filled()
		if strings.Contains(source, "exists") {
			values["items"] = many
		}
		if got, err := x.eval(values); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s comes to %v (%v), and does not say %q", source, got, err, want)
		}
	}
}

// What is known after two ways is what both know; a way that does not come here says nothing.
func TestWhatIsKnownAfterTwoWays(t *testing.T) {
	left, right := scope{}.with("name", "email", ""), scope{"email": true, "phone": true}
	if both := meet(left, right); !reflect.DeepEqual(both, scope{"email": true}) {
		t.Errorf("both know %v", both)
	}
	if one := meet(nil, right); !reflect.DeepEqual(one, right) {
		t.Errorf("one way knows %v", one)
	}
	if one := meet(left, nil); !one.has("name") || one.has("phone") || one.has("") {
		t.Errorf("the other knows %v", one)
	}
}
