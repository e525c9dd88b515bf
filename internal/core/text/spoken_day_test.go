package text

import (
	"strings"
	"testing"
	"time"
)

// A day is said as people of the language say it, with its year where that is not clear, and
// the time where it is one.
func TestDaysAreSaidAsPeopleSayThem(t *testing.T) {
	now := time.Date(2026, 11, 26, 9, 0, 0, 0, time.UTC)
	for _, c := range []struct{ language, at, said string }{
		{"en", "2026-12-01 00:00", "Tuesday 1 December"}, {"en", "2026-12-01 15:30", "Tuesday 1 December, 15:30"}, {"en", "2028-02-29 00:00", "Tuesday 29 February 2028"},
		{"es", "2026-12-01 00:00", "martes 1 de diciembre"}, {"fr", "2026-08-15 00:00", "samedi 15 août"}, {"sv", "2026-12-06 00:00", "söndag 6 december"},
		{"no", "2026-05-17 00:00", "søndag 17. mai"}, {"ru", "2026-12-01 00:00", "вторник, 1 декабря"}, {"hu", "2026-12-01 09:05", "december 1., kedd, 09:05"},
		{"de", "2026-12-01 00:00", "2026-12-01"},
	} {
		at, err := time.Parse("2006-01-02 15:04", c.at)
		if err != nil {
			t.Fatal(err)
		}
		if got := SpokenDay(c.language, at, now); got != c.said {
			t.Errorf("%s in %s: %q, not %q", c.at, c.language, got, c.said)
		}
	}
	for language, c := range calendars {
		if len(strings.Fields(c.weekdays)) != 7 || len(strings.Fields(c.months)) != 12 {
			t.Errorf("%s has %d days and %d months", language, len(strings.Fields(c.weekdays)), len(strings.Fields(c.months)))
		}
	}
	for language := range speeches {
		if _, ok := calendars[language]; !ok {
			t.Errorf("%s has words for yes and no, and none for days", language)
		}
	}
}
