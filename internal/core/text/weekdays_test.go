package text

import (
	"testing"
	"time"
)

// A text holds a day of the week that it names, short or whole, that lies in a range it names, also
// over the weekend, and each if it speaks of all; not one that only sounds like it.
func TestTextsHoldDaysOfTheWeek(t *testing.T) {
	for said, holds := range map[string]string{ // of each day from Sunday on
		"Mon-Fri 9:00-17:00":                     ".xxxxx.",
		"Tuesday to Saturday, from 11am":         "..xxxxx",
		"open Fri. – Mon.":                       "xx...xx",
		"Thurs until Sun":                        "x...xxx",
		"Closed on Wednesdays":                   "...x...",
		"Sat 8:00-12:30":                         "......x",
		"every day from 7am":                     "xxxxxxx",
		"weekdays from 6:30, weekends from 8":    "xxxxxxx",
		"on working days":                        ".xxxxx.",
		"at weekends":                            "x.....x",
		"Open on Easter Monday and Good Friday.": ".......",
		"the first Sunday of the month":          "x......",
		"in a week":                              ".......",
		"We sat in the sun and wed in the month": ".......",
		"":                                       ".......",
	} {
		for day := range time.Saturday + 1 {
			if got, want := DaysIn(said).Has(day), holds[day] == 'x'; got != want {
				t.Errorf("%q holds %s: %v", said, day, got)
			}
		}
	}
	for said, one := range map[string]bool{"open on Easter Monday": true, "bank holiday mondays": true, "on Mondays": false, "at Easter": false} {
		if IsOneDay(said) != one {
			t.Errorf("%q speaks of one day of the year: %v", said, !one)
		}
	}
	for word, want := range map[string]time.Weekday{"mondays": time.Monday, "wednesday": time.Wednesday, "sun": -1, "monday-ish": -1, "sundae": -1} {
		if day, is := Weekday(word); is != (want >= 0) || is && day != want {
			t.Errorf("%q: %s, %v", word, day, is)
		}
	}
}
