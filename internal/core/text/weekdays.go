package text

import (
	"regexp"
	"slices"
	"strings"
	"time"
)

// weekdaySaid is how English texts name a day of the week, short or whole.
const weekdaySaid = `(mon|tue|wed|thu|fri|sat|sun)(?:s|rs?|sday|nesday|rsday|urday|day)?s?`

var (
	dayRange  = regexp.MustCompile(`(?i)\b` + weekdaySaid + `\.?\s*(?:to|until|till|through|thru|[-–—])\s*` + weekdaySaid + `\b`)
	dayShort  = regexp.MustCompile(`\b(Mon|Tue|Wed|Thu|Fri|Sat|Sun)(?:s|rs?)?\b`)
	dayWhole  = regexp.MustCompile(`(?i)\b(mon|tue|wed|thu|fri|sat|sun)(?:sday|nesday|rsday|urday|day)s?\b`)
	weekDays  = regexp.MustCompile(`(?i)\b(?:week|work|working )days?\b`)
	weekends  = regexp.MustCompile(`(?i)\bweek-?ends?\b`)
	oneDay    = regexp.MustCompile(`(?i)\b(?:easter|whit|good|ash|shrove|palm|maundy|bank holiday)\s+` + weekdaySaid + `\b`)
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

// IsOneDay reports whether an English text speaks of one day of the year by its day of the week:
// "Easter Monday".
func IsOneDay(s string) bool { return oneDay.MatchString(s) }

// Weekdays is a set of days of the week.
type Weekdays uint8

// Has reports whether a day is among them.
func (w Weekdays) Has(day time.Weekday) bool { return w&(1<<day) != 0 }

const eachDay Weekdays = 1<<7 - 1

// DaysIn returns the days of the week that an English text names: by themselves, shortened ("Sat"),
// within a range ("Mon-Fri", "Tuesday to Sunday", "weekdays"), or all of them ("daily"). One of the
// year is none ("Easter Monday").
func DaysIn(s string) (days Weekdays) {
	lower := strings.ToLower(s)
	if !strings.Contains(lower, "dai") && !strings.Contains(lower, "day") && !strings.Contains(lower, "week") && !slices.ContainsFunc(shortDays, func(day string) bool { return strings.Contains(lower, day) }) {
		return 0 // most texts name none
	}
	if everyDay.MatchString(s) {
		return eachDay
	}
	s = oneDay.ReplaceAllString(s, "")
	if weekDays.MatchString(s) {
		days |= eachDay &^ (1<<time.Saturday | 1<<time.Sunday)
	}
	if weekends.MatchString(s) {
		days |= 1<<time.Saturday | 1<<time.Sunday
	}
	for _, m := range dayRange.FindAllStringSubmatch(s, -1) {
		first, last := weekdayShort(m[1]), weekdayShort(m[2])
		for day := first; ; day = (day + 1) % 7 {
			if days |= 1 << day; day == last {
				break
			}
		}
	}
	for _, named := range []*regexp.Regexp{dayShort, dayWhole} {
		for _, m := range named.FindAllStringSubmatch(s, -1) {
			days |= 1 << weekdayShort(m[1])
		}
	}
	return days
}
