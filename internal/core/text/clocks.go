package text

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
)

var clockTime = regexp.MustCompile(`(?i)\b(?:(\d{1,2})(?::|\.)(\d{2})\s*(am|pm)?|(\d{1,2})\s*(am|pm)|(noon|midday))\b`)

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

// hourSaid is an hour that a word before it makes one: "after three", "around 5".
var hourSaid = regexp.MustCompile(`(?i)\b(?:after|from|around|about|at|by|past|since|not before|no earlier than) ((?:half past |half |quarter past |quarter to )?(?:\d{1,2}|one|two|three|four|five|six|seven|eight|nine|ten|eleven|twelve))\b(?: (?:people|of us|adults?|children|kids|persons?|bikes?|bicycles?|tickets?|days?|weeks?|hours?|minutes?|years?|pounds?|euros?|kilos?))?`)

// partsOfDay are when parts of the day begin, as people mean them who ask for something
// "in the afternoon".
var partsOfDay = []struct{ word, from string }{
	{"lunchtime", "12:00"}, {"lunch time", "12:00"}, {"afternoon", "12:00"}, {"evening", "17:00"}, {"tonight", "17:00"}, {"tonite", "17:00"}, {"morning", "06:00"},
}

// TimeOfDay returns the time of day from which something is wanted, as "15:04": "after
// three", "around 5", "half past four", "in the afternoon" (from noon). Of hours without a
// half of the day, one to five are those after noon.
func TimeOfDay(s string) (string, bool) {
	if at, ok := SpokenClock(s, false); ok {
		return at, true
	}
	for _, m := range hourSaid.FindAllStringSubmatch(s, 4) {
		if !strings.HasSuffix(strings.ToLower(m[0]), strings.ToLower(m[1])) {
			continue // so many of something
		}
		if at, ok := SpokenClock(m[1], true); ok {
			return at, true
		}
	}
	folded := Fold(s)
	for _, part := range partsOfDay {
		if strings.Contains(folded, part.word) && !strings.Contains(folded, "good "+part.word) {
			return part.from, true
		}
	}
	return "", false
}

// IsPartOfDay reports whether a folded word names a part of the day.
func IsPartOfDay(folded string) bool {
	return slices.ContainsFunc(partsOfDay, func(p struct{ word, from string }) bool { return p.word == folded })
}
