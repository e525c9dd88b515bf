package text

import (
	"regexp"
	"strconv"
	"strings"
	"time"
)

// A Feast is a day of every year that a text names by its name ("boxing day") or by its date.
type Feast struct {
	Span
	first, last int // days of a leap year, from 1
}

// Those whose date is the same each year. What stands further up is looked for first.
var dated = []struct {
	named       *regexp.Regexp
	month       time.Month
	first, last int
}{
	{regexp.MustCompile(`(?i)\bchristmas eve\b`), time.December, 24, 24},
	{regexp.MustCompile(`(?i)\bchristmas day\b`), time.December, 25, 25},
	{regexp.MustCompile(`(?i)\bboxing day\b`), time.December, 26, 26},
	{regexp.MustCompile(`(?i)\b(?:christmas|xmas)\b`), time.December, 24, 26},
	{regexp.MustCompile(`(?i)\b(?:new year(?:'|’)?s? eve|hogmanay)\b`), time.December, 31, 31},
	{regexp.MustCompile(`(?i)\bnew year(?:'|’)?s? day\b`), time.January, 1, 1},
	{regexp.MustCompile(`(?i)\bhallowe(?:'|’)?en\b`), time.October, 31, 31},
	{regexp.MustCompile(`(?i)\bvalentine(?:'|’)?s(?: day)?\b`), time.February, 14, 14},
}

// Feasts returns the feasts of a fixed date that an English text names.
func Feasts(s string) (found []Feast) {
	for _, f := range dated {
		for _, m := range f.named.FindAllStringIndex(s, -1) {
			if at := (Span{m[0], m[1]}); !overlaps(found, at) {
				found = append(found, Feast{at, dayOfYear(f.month, f.first), dayOfYear(f.month, f.last)})
			}
		}
	}
	return found
}

func overlaps(found []Feast, at Span) bool {
	for _, f := range found {
		if at.Start < f.End && f.Start < at.End {
			return true
		}
	}
	return false
}

var (
	dayNamed = `(\d{1,2})(?:st|nd|rd|th)?`
	calendar = regexp.MustCompile(`(?i)(?:\b` + dayNamed + `(?:\s*(?:,|to|and|or|until|[-–—])\s*` + dayNamed + `)?\s+(?:of\s+)?(` + monthNames + `)\b|\b(` + monthNames + `)\s+` + dayNamed + `\b(?:\s*(?:to|and|until|[-–—])\s*` + dayNamed + `\b)?)`)
	listed   = regexp.MustCompile(`(?i)\d\w*\s*(?:,|and|or)\s*\d`)
	reaches  = regexp.MustCompile(`(?i)^[\s.,]*(?:\d{4}\s*)?(?:to|until|till|through|and|[-–—])\s*(?:the\s+)?$`)
)

// Dates reports whether an English text names the date of the feast, or two dates between which
// it lies: "closed on 25 December", "from 18 December to 3 January".
func (f Feast) Dates(s string) bool {
	if !strings.ContainsAny(s, "0123456789") {
		return false
	}
	end, before := 0, 0 // of the date before; 0: there is none
	for _, m := range calendar.FindAllStringSubmatchIndex(s, -1) {
		part := func(group int) string {
			if m[2*group] < 0 {
				return ""
			}
			return s[m[2*group]:m[2*group+1]]
		}
		month := months[strings.ToLower(part(3)+part(4))]
		first, last := part(1)+part(5), part(2)+part(6)
		from := dayOfYear(month, atoi(first))
		to := from
		if last != "" {
			to = dayOfYear(month, atoi(last))
		}
		if listed.MatchString(s[m[0]:m[1]]) { // "24 and 26 December"
			if f.within(from, from) || f.within(to, to) {
				return true
			}
		} else if f.within(from, to) {
			return true
		}
		if between := s[end:m[0]]; end > 0 && reaches.MatchString(between) {
			both := strings.Contains(strings.ToLower(between), "and") // "between ... and ...", or one and the other
			if (!both || strings.Contains(strings.ToLower(s[:end]), "between")) && f.within(before, to) {
				return true
			}
		}
		end, before = m[1], from
	}
	return false
}

// within reports whether some day of the feast lies between two days of the year, which may
// stand on both sides of its end.
func (f Feast) within(from, to int) bool {
	if from <= to {
		return f.last >= from && f.first <= to
	}
	return f.last >= from || f.first <= to
}

func dayOfYear(month time.Month, day int) int {
	return time.Date(2000, month, day, 0, 0, 0, 0, time.UTC).YearDay()
}

func atoi(digits string) int {
	n, _ := strconv.Atoi(digits) // of two digits at most
	return n
}
