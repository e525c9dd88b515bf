package schema_test

import (
	"errors"
	"math"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/schema"
)

// ferry is what a tool takes to look up a boat.
var ferry = map[string]any{
	"type": "object", "required": []any{"to"}, "additionalProperties": false,
	"properties": map[string]any{
		"to":    map[string]any{"type": "string", "enum": []any{"Little Sorrel", "Hallow Point"}},
		"day":   map[string]any{"type": "string", "format": "date"},
		"seats": map[string]any{"type": "integer", "minimum": 1, "maximum": 40},
		"mail":  map[string]any{"type": "string", "format": "email"},
		"stops": map[string]any{"type": "array", "items": map[string]any{"type": "object", "required": []any{"pier"}}},
	},
}

// What does not fit is named by its field, and why is said in words, whatever types Go has for
// the value.
func TestWhatDoesNotFitIsNamed(t *testing.T) {
	s, err := schema.Compile(ferry)
	if err != nil {
		t.Fatal(err)
	}
	type boat struct {
		To    string `json:"to"`
		Seats int    `json:"seats"`
	}
	for name, c := range map[string]struct {
		value      any
		field, why string
	}{
		"a right one":          {map[string]any{"to": "Hallow Point", "seats": 3, "day": "2026-11-28"}, "", ""},
		"of a type of its own": {boat{"Little Sorrel", 2}, "", ""},
		"a whole float":        {map[string]any{"to": "Hallow Point", "seats": 3.0}, "", ""},
		"what is missing":      {map[string]any{"seats": 3}, "to", "missing"},
		"what is not known":    {map[string]any{"to": "Hallow Point", "deck": "upper"}, "deck", "not known"},
		"none of the values":   {map[string]any{"to": "the moon"}, "to", "Little Sorrel"},
		"half a seat":          {map[string]any{"to": "Hallow Point", "seats": 2.5}, "seats", "integer"},
		"too many seats":       {map[string]any{"to": "Hallow Point", "seats": 41}, "seats", "40"},
		"no date":              {map[string]any{"to": "Hallow Point", "day": "tomorrow"}, "day", "date"},
		"no address":           {map[string]any{"to": "Hallow Point", "mail": "ada at example"}, "mail", "email"},
		"deep within":          {map[string]any{"to": "Hallow Point", "stops": []any{map[string]any{"pier": "A"}, map[string]any{}}}, "stops.1.pier", "missing"},
		"another kind":         {"Hallow Point", "", "object"},
		"nothing":              {nil, "", "object"},
	} {
		err := s.Check(c.value)
		var misfit *schema.Misfit
		switch {
		case c.why == "" && err != nil:
			t.Errorf("%s: %v", name, err)
		case c.why == "":
		case !errors.As(err, &misfit) || misfit.Field != c.field || !strings.Contains(misfit.Why, c.why):
			t.Errorf("%s: it says %v, not that of %q %q", name, err, c.field, c.why)
		}
	}
	if err := s.Check(map[string]any{"to": "Hallow Point", "seats": math.Inf(1)}); err == nil || errors.As(err, new(*schema.Misfit)) {
		t.Errorf("what is no JSON: %v", err)
	}
}

// A schema fetches nothing, and one that is no schema is refused; without one all fits.
func TestSchemasStandOnTheirOwn(t *testing.T) {
	for name, c := range map[string]struct {
		source any
		says   string
	}{
		"another's":       {map[string]any{"$ref": "https://schemas.example/boat.json"}, "must stand on its own"},
		"a file's":        {map[string]any{"$ref": "file:///etc/passwd"}, "must stand on its own"},
		"no type":         {map[string]any{"type": "boat"}, "boat"},
		"no schema":       {"to", "to"},
		"what is no JSON": {map[string]any{"const": math.NaN()}, "NaN"},
	} {
		if _, err := schema.Compile(c.source); err == nil || !strings.Contains(err.Error(), c.says) && name != "no schema" && name != "no type" {
			t.Errorf("%s: %v", name, err)
		}
	}
	own, err := schema.Compile(map[string]any{"$ref": "#/$defs/pier", "$defs": map[string]any{"pier": map[string]any{"type": "string"}}})
	if err != nil || own.Check("A") != nil || own.Check(1) == nil {
		t.Errorf("a schema that refers to itself: %v", err)
	}
	if all, err := schema.Compile(nil); err != nil || all.Check(func() {}) != nil {
		t.Error("without a schema not all fits")
	}
}
