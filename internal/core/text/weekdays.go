package text

import (
	"regexp"
	"strings"
	"time"
)

// weekdaySaid is how English texts name a day of the week, short or whole.
const weekdaySaid = `(mon|tue|wed|thu|fri|sat|sun)(?:s|rs?|sday|nesday|rsday|urday|day)?s?`

var (
	dayRange  = regexp.MustCompile(`(?i)\b` + weekdaySaid + `\.?\s*(?:to|until|till|through|thru|[-–—])\s*` + weekdaySaid + `\b`)
	dayShort  = regexp.MustCompile(`\b(Mon|Tue|Wed|Thu|Fri|Sat|Sun)(?:s|rs?)?\b`)
	dayWhole  = regexp.MustCompile(`(?i)\b(mon|tue|wed|thu|fri|sat|sun)(?:sday|nesday|rsday|urday|day)s?\b`)
	everyDay  = regexp.MustCompile(`(?i)\b(?:every day|daily|each day|(?:seven|7) days)\b`)
	shortDays = []string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"} // as time.Weekday counts
)

func weekdayShort(short string) time.Weekday {
	for i, day := range shortDays {
		if strings.EqualFold(day, short) {
			return time.Weekday(i)
		}
	}
	return -1
}

// Weekday returns the day of the week that a folded English word names in whole ("mondays"), and
// whether it names one.
func Weekday(folded string) (time.Weekday, bool) {
	m := dayWhole.FindStringSubmatch(folded)
	if m == nil || len(m[0]) != len(folded) {
		return 0, false
	}
	return weekdayShort(m[1]), true
}

// HoldsDay reports whether an English text names a day of the week: by itself, shortened ("Sat"),
// within a range ("Mon-Fri", "Tuesday to Sunday"), or with all others ("daily").
func HoldsDay(s string, day time.Weekday) bool {
	for _, m := range dayRange.FindAllStringSubmatch(s, -1) {
		first, last := weekdayShort(m[1]), weekdayShort(m[2])
		if (day-first+7)%7 <= (last-first+7)%7 {
			return true
		}
	}
	for _, named := range []*regexp.Regexp{dayShort, dayWhole} {
		for _, m := range named.FindAllStringSubmatch(s, -1) {
			if weekdayShort(m[1]) == day {
				return true
			}
		}
	}
	return everyDay.MatchString(s)
}
