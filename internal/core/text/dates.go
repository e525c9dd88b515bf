package text

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"time"
)

var (
	isoDate   = regexp.MustCompile(`\b(\d{4})-(\d{2})-(\d{2})\b`)
	dayMonth  = regexp.MustCompile(`(?i)\b(\d{1,2})(?:st|nd|rd|th)?(?: of)? (january|february|march|april|may|june|july|august|september|october|november|december)\b`)
	clockTime = regexp.MustCompile(`(?i)\b(?:(\d{1,2})(?::|\.)(\d{2})\s*(am|pm)?|(\d{1,2})\s*(am|pm)|(noon|midday))\b`)
	months    = map[string]time.Month{}
	weekdays  = map[string]time.Weekday{}
)

func init() {
	for m := time.January; m <= time.December; m++ {
		months[strings.ToLower(m.String())] = m
	}
	for d := time.Sunday; d <= time.Saturday; d++ {
		weekdays[strings.ToLower(d.String())] = d
	}
}

// Date returns the day that s speaks of, seen from now and in now's zone:
// "today", "tomorrow", a weekday (the next one, today included), "3 June" (the
// next one) or an ISO date.
func Date(s string, now time.Time) (time.Time, bool) {
	today := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, now.Location())
	if m := isoDate.FindString(s); m != "" {
		d, err := time.ParseInLocation(time.DateOnly, m, now.Location())
		return d, err == nil
	}
	if m := dayMonth.FindStringSubmatch(s); m != nil {
		day, _ := strconv.Atoi(m[1])
		d := time.Date(now.Year(), months[strings.ToLower(m[2])], day, 0, 0, 0, 0, now.Location())
		if d.Before(today) {
			d = d.AddDate(1, 0, 0)
		}
		return d, d.Day() == day
	}
	for _, w := range Words(s) {
		switch w.Folded {
		case "today", "tonight":
			return today, true
		case "tomorrow":
			return today.AddDate(0, 0, 1), true
		}
		if day, ok := weekdays[strings.TrimSuffix(w.Folded, "s")]; ok {
			return today.AddDate(0, 0, (int(day)-int(now.Weekday())+7)%7), true
		}
	}
	return time.Time{}, false
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

// Clock returns the time of day that s speaks of as "15:04": "3pm", "15.30",
// "9:05 am", "noon".
func Clock(s string) (string, bool) {
	m := clockTime.FindStringSubmatch(s)
	if m == nil {
		return "", false
	}
	if m[6] != "" {
		return "12:00", true
	}
	hour, _ := strconv.Atoi(m[1] + m[4])
	minute, _ := strconv.Atoi(m[2])
	switch half := strings.ToLower(m[3] + m[5]); {
	case half == "pm" && hour < 12:
		hour += 12
	case half == "am" && hour == 12:
		hour = 0
	}
	if hour > 23 || minute > 59 {
		return "", false
	}
	return time.Date(0, 1, 1, hour, minute, 0, 0, time.UTC).Format("15:04"), true
}

// spokenTime is a time of day as people say it: "half past four", "quarter to nine in the
// evening", "4ish", "seven o'clock", "8 tonight".
var spokenTime = regexp.MustCompile(`(?i)\b(?:(half past|half|quarter past|a quarter past|quarter to|a quarter to) )?(\d{1,2}|one|two|three|four|five|six|seven|eight|nine|ten|eleven|twelve)(?: ?(ish|o['’ ]?clock))?(?: (in the morning|in the afternoon|in the evening|this morning|this afternoon|this evening|at night|tonight))?\b`)

// afternoon is the last hour that is one of the afternoon where nobody says which: "at 4".
const afternoon = 5

// SpokenClock returns the time of day that s speaks of as "15:04", in figures or in words.
// Where a time was asked for, a bare hour will do. From one to five nobody means the night,
// unless they say so.
func SpokenClock(s string, asked bool) (string, bool) {
	if at, ok := Clock(s); ok {
		return at, true
	}
	if strings.Contains(Fold(s), "midnight") {
		return "00:00", true
	}
	for _, m := range spokenTime.FindAllStringSubmatch(s, 4) {
		before, part := strings.ToLower(m[1]), strings.ToLower(m[4])
		if before == "" && m[3] == "" && part == "" && !asked {
			continue
		}
		hour, err := strconv.Atoi(m[2])
		if err != nil {
			hour = int(speeches["en"].Numbers[strings.ToLower(m[2])])
		}
		minute := 0
		switch {
		case strings.HasPrefix(before, "half"):
			minute = 30
		case strings.HasSuffix(before, "quarter past"):
			minute = 15
		case strings.HasSuffix(before, "quarter to"):
			minute = 45 - 60
		}
		late := strings.HasSuffix(part, "afternoon") || strings.HasSuffix(part, "evening") || strings.HasSuffix(part, "night")
		if hour < 12 && late || part == "" && hour >= 1 && hour <= afternoon {
			hour += 12
		}
		if at := hour*60 + minute; hour < 24 && at >= 0 {
			return fmt.Sprintf("%02d:%02d", at/60, at%60), true
		}
	}
	return "", false
}

// feasts are days of the year that have names, and are unlike others.
var feasts = Set("christmas easter halloween ramadan eid diwali hanukkah thanksgiving whitsun whitsuntide lent carnival hogmanay")

// IsFeast reports whether a folded word names a feast.
func IsFeast(folded string) bool { return feasts[folded] }
