package text

import (
	"regexp"
	"strconv"
	"strings"
	"time"
)

var (
	isoDate   = regexp.MustCompile(`\b(\d{4})-(\d{2})-(\d{2})\b`)
	dayMonth  = regexp.MustCompile(`(?i)\b(\d{1,2})(?:st|nd|rd|th)?(?: of)? (` + monthNames + `)\b`)
	monthDay  = regexp.MustCompile(`(?i)\b(` + monthNames + `) (\d{1,2})(?:st|nd|rd|th)?\b`)
	figures   = regexp.MustCompile(`\b(\d{1,2})[/.](\d{1,2})(?:[/.](\d{4}|\d{2}))?\b`)
	dayAlone  = regexp.MustCompile(`(?i)\b(?:on )?the (\d{1,2})(?:st|nd|rd|th)\b`)
	inSoMany  = regexp.MustCompile(`(?i)\bin (a|an|one|two|three|four|five|six|seven|ten|\d{1,2}) (day|week|fortnight)s?\b`)
	weekOn    = regexp.MustCompile(`(?i)\b(?:a week (?:on |from )?(tomorrow|` + weekdayNames + `)|(` + weekdayNames + `) week)\b`)
	aWeekday  = regexp.MustCompile(`(?i)\b(next |this |coming |on )?(` + weekdayNames + `)s?\b`)
	onWeekday = regexp.MustCompile(`(?i)\b(next|this|coming|on|by|until|till) (mon|tues?|weds?|thu|thurs?|fri|sat|sun)\b`)
	months    = map[string]time.Month{}
	weekdays  = map[string]time.Weekday{}
)

const (
	monthNames   = `january|february|march|april|may|june|july|august|september|october|november|december|jan|feb|mar|apr|jun|jul|aug|sept|sep|oct|nov|dec`
	weekdayNames = `monday|tuesday|wednesday|thursday|friday|saturday|sunday`
)

func init() {
	for m := time.January; m <= time.December; m++ {
		name := strings.ToLower(m.String())
		months[name], months[name[:3]] = m, m
	}
	months["sept"] = time.September
	for d := time.Sunday; d <= time.Saturday; d++ {
		weekdays[strings.ToLower(d.String())] = d
	}
}

// Date returns the day that s speaks of, seen from now and in now's zone: "today", "the day
// after tomorrow", "in three days", a weekday (the next one, today included), "next Friday"
// (that of the week after this one, which begins on Monday), "a week on Friday", "3 June",
// "Dec 24", "the 5th", "24/12" (the day first; the next one) or an ISO date.
func Date(s string, now time.Time) (time.Time, bool) {
	today := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, now.Location())
	if m := isoDate.FindString(s); m != "" {
		d, err := time.ParseInLocation(time.DateOnly, m, now.Location())
		return d, err == nil
	}
	if m := dayMonth.FindStringSubmatch(s); m != nil {
		return dayOf(today, m[1], months[strings.ToLower(m[2])], "")
	}
	if m := monthDay.FindStringSubmatch(s); m != nil {
		return dayOf(today, m[2], months[strings.ToLower(m[1])], "")
	}
	if m := figures.FindStringSubmatch(s); m != nil && !isClock(m[0]) {
		if month, _ := strconv.Atoi(m[2]); month >= 1 && month <= 12 {
			return dayOf(today, m[1], time.Month(month), m[3])
		}
	}
	folded := Fold(s)
	switch {
	case strings.Contains(folded, "day after tomorrow"):
		return today.AddDate(0, 0, 2), true
	case strings.Contains(folded, "weekend") && !strings.Contains(folded, "weekends"):
		saturday := today.AddDate(0, 0, daysTo(now, time.Saturday))
		if strings.Contains(folded, "next weekend") {
			saturday = saturday.AddDate(0, 0, 7)
		}
		return saturday, true
	}
	if m := inSoMany.FindStringSubmatch(s); m != nil {
		many, err := strconv.Atoi(m[1])
		if err != nil {
			many = int(max(1, speeches["en"].Numbers[strings.ToLower(m[1])])) // "a", "an": one
		}
		return today.AddDate(0, 0, many*map[string]int{"day": 1, "week": 7, "fortnight": 14}[strings.ToLower(m[2])]), true
	}
	if m := weekOn.FindStringSubmatch(s); m != nil {
		if strings.EqualFold(m[1], "tomorrow") {
			return today.AddDate(0, 0, 8), true
		}
		return today.AddDate(0, 0, 7+daysTo(now, weekdays[strings.ToLower(m[1]+m[2])])), true
	}
	for _, w := range Words(s) {
		switch w.Folded {
		case "today", "tonight", "tonite":
			return today, true
		case "tomorrow", "tomorow", "tommorow", "tommorrow", "tmrw", "tmr", "tomoz", "2moro":
			return today.AddDate(0, 0, 1), true
		}
	}
	if m := aWeekday.FindStringSubmatch(s); m != nil {
		return weekdayOf(now, today, m[1], weekdays[strings.ToLower(m[2])]), true
	}
	if m := onWeekday.FindStringSubmatch(s); m != nil { // "sat" and "sun" alone are other words
		for name, day := range weekdays {
			if strings.HasPrefix(name, strings.ToLower(m[2])[:3]) {
				return weekdayOf(now, today, m[1], day), true
			}
		}
	}
	if m := dayAlone.FindStringSubmatch(s); m != nil {
		day, _ := strconv.Atoi(m[1])
		d := time.Date(today.Year(), today.Month(), day, 0, 0, 0, 0, today.Location())
		if d.Before(today) {
			d = time.Date(today.Year(), today.Month()+1, day, 0, 0, 0, 0, today.Location())
		}
		return d, d.Day() == day && day > 0
	}
	return time.Time{}, false
}

// daysTo counts the days to the next of a weekday, today included.
func daysTo(now time.Time, day time.Weekday) int { return (int(day) - int(now.Weekday()) + 7) % 7 }

// weekdayOf is the weekday that is meant, by the word before it.
func weekdayOf(now, today time.Time, before string, day time.Weekday) time.Time {
	if strings.EqualFold(strings.TrimSpace(before), "next") {
		toMonday := (int(time.Monday)-int(now.Weekday())+6)%7 + 1 // of the next week
		return today.AddDate(0, 0, toMonday+(int(day)+6)%7)
	}
	return today.AddDate(0, 0, daysTo(now, day))
}

// dayOf is a day of a month: of the year that is given, else the next one from today.
func dayOf(today time.Time, day string, month time.Month, year string) (time.Time, bool) {
	n, _ := strconv.Atoi(day)
	y, _ := strconv.Atoi(year)
	if y > 0 && y < 100 {
		y += 2000
	}
	d := time.Date(max(y, 0), month, n, 0, 0, 0, 0, today.Location())
	if y == 0 {
		if d = time.Date(today.Year(), month, n, 0, 0, 0, 0, today.Location()); d.Before(today) {
			d = d.AddDate(1, 0, 0)
		}
	}
	return d, d.Day() == n && n > 0
}

// isClock reports whether figures with a dot are rather a time: "15.30".
func isClock(s string) bool {
	hour, minute, dotted := strings.Cut(s, ".")
	if !dotted || strings.Contains(minute, ".") {
		return false
	}
	m, _ := strconv.Atoi(minute)
	h, _ := strconv.Atoi(hour)
	return len(minute) == 2 && h < 24 && m < 60
}

// Number returns the number that a word is in digits, false for other words: "nan" and
// "inf", which some readers of numbers take, are none.
func Number(word string) (float64, bool) {
	const most = 15 // digits, which a number holds exactly
	if word == "" || len(word) > most || strings.Trim(word, "0123456789") != "" {
		return 0, false
	}
	n, err := strconv.ParseFloat(word, 64)
	return n, err == nil
}

// IsTime reports whether a folded word names a day or a time, or is a number:
// "friday", "tomorrow", "3pm", "30".
func IsTime(folded string) bool {
	if folded == "" {
		return false
	}
	if folded[0] >= '0' && folded[0] <= '9' {
		return true
	}
	switch folded {
	case "today", "tonight", "tomorrow", "noon", "midday":
		return true
	}
	_, weekday := weekdays[strings.TrimSuffix(folded, "s")]
	_, month := months[folded]
	return weekday || month
}

// feasts are days of the year that have names, and are unlike others.
var feasts = Set("christmas easter halloween ramadan eid diwali hanukkah thanksgiving whitsun whitsuntide lent carnival hogmanay")

// IsFeast reports whether a folded word names a feast.
func IsFeast(folded string) bool { return feasts[folded] }
