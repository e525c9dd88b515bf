package triggers

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"urgentparrot.example/internal/core/flow"
)

// spoken says when a cron expression comes, behind "when": "it is 09:00 on a Monday". One
// that has no plain words stands as it is written.
func spoken(cron string) string {
	otherwise := "the time " + cron + " of the calendar comes"
	f := strings.Fields(cron)
	if len(f) != 5 {
		return otherwise
	}
	minute, hour, day, month, weekday := f[0], f[1], f[2], f[3], f[4]
	on, ok := spokenDay(day, month, weekday)
	if !ok {
		return otherwise
	}
	m, fixed := whole(minute)
	every, steps := strings.CutPrefix(minute, "*/")
	switch h, at := whole(hour); {
	case fixed && at:
		return fmt.Sprintf("it is %02d:%02d%s", h, m, on)
	case fixed && hour == "*" && m == 0:
		return "an hour begins" + on
	case fixed && hour == "*":
		return fmt.Sprintf("it is %d minutes past the hour%s", m, on)
	case steps && hour == "*" && every != "":
		return "another " + every + " minutes have passed" + on
	case fixed:
		var hours []string
		for part := range strings.SplitSeq(hour, ",") {
			h, ok := whole(part)
			if !ok {
				return otherwise
			}
			hours = append(hours, fmt.Sprintf("%02d:%02d", h, m))
		}
		return "it is " + flow.Or(hours) + on
	}
	return otherwise
}

// spokenDay says on which days, "" for every day.
func spokenDay(day, month, weekday string) (on string, ok bool) {
	d, dated := whole(day)
	m, monthly := whole(month)
	switch {
	case day == "*" && month == "*" && weekday == "*":
		return "", true
	case day == "*" && month == "*":
		return spokenWeekdays(weekday)
	case dated && month == "*" && weekday == "*":
		return " on the " + ordinal(d) + " of a month", true
	case dated && monthly && weekday == "*" && m >= 1 && m <= 12:
		return fmt.Sprintf(" on %d %s", d, time.Month(m)), true
	}
	return "", false
}

func spokenWeekdays(weekday string) (on string, ok bool) {
	name := func(s string) (string, bool) {
		for d := time.Sunday; d <= time.Saturday; d++ {
			if n, number := whole(s); number && n%7 == int(d) || strings.EqualFold(s, d.String()[:3]) {
				return d.String(), true
			}
		}
		return "", false
	}
	if first, last, ranged := strings.Cut(weekday, "-"); ranged {
		from, ok := name(first)
		to, ok2 := name(last)
		return " on a day from " + from + " to " + to, ok && ok2
	}
	var days []string
	for part := range strings.SplitSeq(weekday, ",") {
		d, ok := name(part)
		if !ok {
			return "", false
		}
		days = append(days, d)
	}
	return " on a " + flow.Or(days), true
}

func whole(s string) (int, bool) {
	n, err := strconv.Atoi(s)
	return n, err == nil && n >= 0
}

func ordinal(n int) string {
	switch {
	case n%100 >= 11 && n%100 <= 13:
	case n%10 == 1:
		return fmt.Sprintf("%dst", n)
	case n%10 == 2:
		return fmt.Sprintf("%dnd", n)
	case n%10 == 3:
		return fmt.Sprintf("%drd", n)
	}
	return fmt.Sprintf("%dth", n)
}
