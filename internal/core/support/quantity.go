package support

import (
	"regexp"
	"strconv"
	"strings"

	"urgentparrot.example/internal/core/text"
)

// A quantity is a number in a text with what it counts: an amount of money, a share, a
// time of day, a day of the year, a duration, a telephone number, or some things.
type quantity struct {
	kind  string // money, share, clock, day, minutes, days, months, call, or the unit; "" for a bare number
	value string
	shown string
	start int
}

// same reports whether one text's quantity is another's. A bare number may stand for one
// with a unit, as in the cells of tables; an amount, a share or a time may not.
func (q quantity) same(o quantity) bool {
	if q.kind == "dial" && (o.kind == "clock" || o.kind == "dial") {
		return onDial(q.value) == onDial(o.value)
	}
	return q.value == o.value && (q.kind == o.kind || q.kind == "" && !o.exact() || o.kind == "")
}

// onDial is a time as the hands of a clock show it, which do not tell morning and evening
// apart.
func onDial(clock string) string {
	hour, minute, _ := strings.Cut(clock, ":")
	n, _ := strconv.Atoi(hour)
	return strconv.Itoa(n%12) + ":" + minute
}

func (q quantity) exact() bool {
	return q.kind == "dial" || q.kind == "money" || q.kind == "share" || q.kind == "clock" || q.kind == "call"
}

const figure = `\d+(?:[,\x{a0}]\d{3})*(?:[.,]\d+)?`

// The order is that in which they are looked for: what one takes the others do not see.
var quantities = []struct {
	kind string
	form *regexp.Regexp
	read func(m []string) (kind, value string)
}{
	{"call", regexp.MustCompile(`\+?\(?\d[\d ()/-]{7,}\d`), func(m []string) (string, string) { return "call", digits(m[0]) }},
	{"day", regexp.MustCompile(`\b(\d{4})-(\d{2})-(\d{2})\b`), func(m []string) (string, string) {
		return "day", strings.TrimLeft(m[2], "0") + "-" + strings.TrimLeft(m[3], "0")
	}},
	{"money", regexp.MustCompile(`(?i)\b(\d+) (?:pounds?|euros?|dollars?) (\d{2})\b`), func(m []string) (string, string) { return "money", plain(m[1] + "." + m[2]) }},
	{"money", regexp.MustCompile(`[£$€¥]\s?(` + figure + `)|(?i)(` + figure + `)\s?(?:[£$€¥]|(?:pounds?|euros?|dollars?|livres?|libras?|pfund|sterling|sterline|crowns?|marks?|gbp|eur|usd)\b)`), func(m []string) (string, string) {
		return "money", plain(m[1] + m[2])
	}},
	{"pence", regexp.MustCompile(`(?i)\b(\d+)\s?(?:p|pence|cents?)\b`), func(m []string) (string, string) {
		n, _ := strconv.Atoi(m[1])
		return "money", plain(strconv.FormatFloat(float64(n)/100, 'f', -1, 64))
	}},
	{"dial", regexp.MustCompile(`(?i)\b(half past|quarter past|quarter to) (\d{1,2}|one|two|three|four|five|six|seven|eight|nine|ten|eleven|twelve)\b|\b(\d{1,2}|one|two|three|four|five|six|seven|eight|nine|ten|eleven|twelve) o(?:'|’)?clock\b`), dial},
	{"clock", regexp.MustCompile(`(?i)\b(\d{1,2})[:.](\d{2})(?:\s*(a\.?m\b|p\.?m\b))?|\b(\d{1,2})\s*(a\.?m\b|p\.?m\b|Uhr|h\b)|\b(noon|midday|midnight|mediodía|mittags?|midi|mitternacht|minuit)\b`), clock},
	{"share", regexp.MustCompile(`(?i)(` + figure + `)\s?(?:%|per ?cent\b|prozent\b|pour ?cent\b|por ciento\b)`), func(m []string) (string, string) { return "share", plain(m[1]) }},
	{"day", regexp.MustCompile(`(?i)\b(\d{1,2})(?:st|nd|rd|th|\.)?(?: of)? (` + monthNames + `)\b|\b(` + monthNames + `) (\d{1,2})(?:st|nd|rd|th)?\b`), func(m []string) (string, string) {
		return "day", months[strings.ToLower(m[2]+m[3])] + "-" + m[1] + m[4]
	}},
	{"", regexp.MustCompile(`(?i)\b(?:for|in|within|after|about|takes?|lasts?|than) an? (day|week|fortnight|month|year)\b`), func(m []string) (string, string) {
		if strings.EqualFold(m[1], "fortnight") {
			return "days", "14"
		}
		return counted([]string{"", "1", "", m[1]})
	}},
	{"", regexp.MustCompile(`(?i)\bhalf an hour\b|\ban hour and a half\b|\ban hour\b|\ba fortnight\b|\bhalf[- ]price\b|\btwice\b|\bquarter of an hour\b`), func(m []string) (string, string) {
		q := map[string][2]string{"half an hour": {"minutes", "30"}, "an hour and a half": {"minutes", "90"}, "an hour": {"minutes", "60"}, "a fortnight": {"days", "14"}, "quarter of an hour": {"minutes", "15"}, "twice": {"time", "2"}}[strings.ToLower(m[0])]
		if q[1] == "" {
			return "share", "50"
		}
		return q[0], q[1]
	}},
	{"", regexp.MustCompile(`(?i)\b(` + figure + `|two|three|four|five|six|seven|eight|nine|ten|eleven|twelve|fifteen|twenty|thirty|forty|fifty|sixty|hundred|dozen|zwei|drei|vier|fünf|deux|trois|quatre|cinq|dos|tres|cuatro|cinco|due|tre|quattro|cinque|twee|drie|vijf)(st|nd|rd|th)?\b(?:[ -]?([\p{L}]+))?`), counted},
}

const monthNames = `january|february|march|april|may|june|july|august|september|october|november|december|januar|februar|märz|mai|juni|juli|oktober|dezember|janvier|février|mars|avril|juin|juillet|août|septembre|octobre|novembre|décembre|enero|febrero|marzo|abril|mayo|junio|julio|agosto|septiembre|octubre|noviembre|diciembre`

var months = func() map[string]string {
	known := map[string]string{}
	place := map[string]int{"januar": 1, "februar": 2, "märz": 3, "mai": 5, "juni": 6, "juli": 7, "oktober": 10, "dezember": 12, "mars": 3, "avril": 4, "juin": 6, "juillet": 7, "août": 8}
	names := strings.Split(monthNames, "|")
	for i, name := range names[:12] {
		place[name] = i + 1
	}
	for i, name := range []string{"janvier", "février", "mars", "avril", "mai", "juin", "juillet", "août", "septembre", "octobre", "novembre", "décembre"} {
		place[name] = i + 1
	}
	for i, name := range []string{"enero", "febrero", "marzo", "abril", "mayo", "junio", "julio", "agosto", "septiembre", "octubre", "noviembre", "diciembre"} {
		place[name] = i + 1
	}
	for name, n := range place {
		known[name] = strconv.Itoa(n)
	}
	return known
}()

var numberWords = map[string]string{
	"two": "2", "three": "3", "four": "4", "five": "5", "six": "6", "seven": "7", "eight": "8", "nine": "9", "ten": "10", "eleven": "11", "twelve": "12", "dozen": "12",
	"fifteen": "15", "twenty": "20", "thirty": "30", "forty": "40", "fifty": "50", "sixty": "60", "hundred": "100",
	"zwei": "2", "drei": "3", "vier": "4", "fünf": "5", "deux": "2", "trois": "3", "quatre": "4", "cinq": "5", "dos": "2", "tres": "3", "cuatro": "4", "cinco": "5",
	"due": "2", "tre": "3", "quattro": "4", "cinque": "5", "twee": "2", "drie": "3", "vijf": "5",
}

func counted(m []string) (kind, value string) {
	value = plain(m[1])
	if word, ok := numberWords[strings.ToLower(m[1])]; ok {
		value = word
	}
	if u, ok := text.UnitOf(strings.ToLower(m[3])); ok && m[2] == "" {
		if n, err := strconv.ParseFloat(value, 64); err == nil {
			return u.Kind, strconv.FormatFloat(n*u.Of, 'f', -1, 64)
		}
	}
	return "", value
}

func clock(m []string) (kind, value string) {
	switch strings.ToLower(m[6]) {
	case "":
	case "midnight", "mitternacht", "minuit":
		return "clock", "0:00"
	default:
		return "clock", "12:00"
	}
	hour, _ := strconv.Atoi(m[1] + m[4])
	minute := m[2]
	if minute == "" {
		minute = "00"
	}
	switch half := strings.ToLower(strings.ReplaceAll(m[3]+m[5], ".", "")); {
	case half == "pm" && hour < 12:
		hour += 12
	case half == "am" && hour == 12:
		hour = 0
	case half == "" && m[1] != "" && (hour > 23 || minute > "59"):
		return "", m[1] + "." + minute // a decimal number
	}
	return "clock", strconv.Itoa(hour) + ":" + minute
}

// dial reads "half past five" and "ten o'clock".
func dial(m []string) (kind, value string) {
	word := strings.ToLower(m[2] + m[3])
	hour, err := strconv.Atoi(word)
	if err != nil {
		hour, _ = strconv.Atoi(numberWords[word])
		if word == "one" {
			hour = 1
		}
	}
	minute := map[string]string{"": "00", "half past": "30", "quarter past": "15", "quarter to": "45"}[strings.ToLower(m[1])]
	if minute == "45" {
		hour += 11
	}
	return "dial", onDial(strconv.Itoa(hour) + ":" + minute)
}

func digits(s string) string {
	return strings.Map(func(r rune) rune {
		if r < '0' || r > '9' {
			return -1
		}
		return r
	}, s)
}

// plain writes a number without signs for thousands and without zeros that say nothing.
func plain(s string) string {
	if i := strings.LastIndexAny(s, ".,"); i >= 0 && len(s)-i-1 != 3 {
		s = digits(s[:i]) + "." + s[i+1:]
		s = strings.TrimSuffix(strings.TrimRight(s, "0"), ".")
	} else {
		s = digits(s)
	}
	if s = strings.TrimLeft(s, "0"); s == "" || s[0] == '.' {
		s = "0" + s
	}
	return s
}

// inDigits are the kinds that are written in digits only.
var inDigits = map[string]bool{"call": true, "day": true, "money": true, "pence": true, "share": true}

// quantitiesOf returns the quantities of a text, in no order.
func quantitiesOf(s string) (found []quantity) {
	left := []byte(s)
	digit := strings.ContainsAny(s, "0123456789")
	for _, q := range quantities {
		if !digit && inDigits[q.kind] {
			continue
		}
		for _, at := range q.form.FindAllSubmatchIndex(left, -1) {
			m := make([]string, len(at)/2)
			for i := range m {
				if at[2*i] >= 0 {
					m[i] = string(left[at[2*i]:at[2*i+1]])
				}
			}
			if q.kind == "call" && len(digits(m[0])) < 9 {
				continue
			}
			kind, value := q.read(m)
			end := at[1]
			if len(at) > 7 && at[6] >= 0 && q.kind == "" { // the unit belongs to others too
				end = at[6]
			}
			found = append(found, quantity{kind, value, strings.TrimSpace(s[at[0]:at[1]]), at[0]})
			for i := at[0]; i < end; i++ {
				left[i] = '.'
			}
		}
	}
	return found
}

// days are the days and feasts that a text names, with those that lie within a range.
func daysOf(s string) map[string]bool {
	found := map[string]bool{}
	last, lastEnd := -1, 0
	for _, w := range text.Words(s) {
		at, ok := weekdays[strings.TrimSuffix(w.Folded, "s")]
		if !ok {
			at, ok = weekdays[w.Folded]
		}
		switch {
		case ok:
			if last >= 0 && ranging.MatchString(s[lastEnd:w.Start]) {
				for d := last; d != at; d = (d + 1) % 7 {
					found[dayNames[d]] = true
				}
			}
			found[dayNames[at]] = true
			last, lastEnd = at, w.End
		case w.Folded == "weekday" || w.Folded == "weekdays":
			for _, d := range dayNames[:5] {
				found[d] = true
			}
		case w.Folded == "weekend" || w.Folded == "weekends":
			found["saturday"], found["sunday"] = true, true
		case w.Folded == "daily":
			for _, d := range dayNames {
				found[d] = true
			}
		case isFeast(w.Folded):
			found[strings.TrimSuffix(w.Folded, "s")] = true
		}
	}
	if everyDay.MatchString(s) {
		for _, d := range dayNames {
			found[d] = true
		}
	}
	return found
}

// isFeast reports whether a folded word names a feast, a month or a season.
func isFeast(folded string) bool {
	return text.IsFeast(folded) || text.IsFeast(strings.TrimSuffix(folded, "s")) || seasons[strings.TrimSuffix(folded, "s")]
}

var (
	ranging  = regexp.MustCompile(`(?i)^\s*(?:to|through|until|till|–|-|bis|à|a|al)\s*$`)
	everyDay = regexp.MustCompile(`(?i)\b(?:every day|seven days a week|all week|each day)\b`)
	dayNames = []string{"monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"}
	seasons  = text.Set("holiday january february march april june july august september october november december spring summer autumn winter")
	weekdays = map[string]int{}
)

func init() {
	for _, list := range []string{"monday tuesday wednesday thursday friday saturday sunday", "mon tue wed thu fri sat sun", "montag dienstag mittwoch donnerstag freitag samstag sonntag", "lundi mardi mercredi jeudi vendredi samedi dimanche", "lunes martes miercoles jueves viernes sabado domingo", "maandag dinsdag woensdag donderdag vrijdag zaterdag zondag", "lunedi martedi mercoledi giovedi venerdi sabato domenica"} {
		for i, name := range strings.Fields(list) {
			weekdays[name] = i
		}
	}
	delete(weekdays, "sun") // shines
	delete(weekdays, "sat")
	delete(weekdays, "wed")
	delete(weekdays, "mar")
}
