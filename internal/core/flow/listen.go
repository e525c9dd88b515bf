package flow

import (
	"cmp"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/text"
)

// A Read says what is taken out of free text, and how.
type Read struct {
	As      string // one of Reads, or record
	Choices []string
	Parts   []Wanted // of a record
}

// Reads are what can be taken out of free text.
var Reads = []string{"text", "name", "integer", "number", "boolean", "email", "phone", "date", "time", "datetime", "choice", "list"}

// Kind is the kind of the values.
func (rd Read) Kind() Kind {
	switch rd.As {
	case "integer", "number":
		return ANumber
	case "boolean":
		return AFlag
	case "date", "datetime":
		return ATime
	case "list":
		return AList
	case "record":
		return ARecord
	}
	return AText
}

// Telling reports whether a value of the kind is known by its form, wherever it stands.
func (rd Read) Telling() bool {
	switch rd.As {
	case "integer", "number", "email", "phone", "date", "time", "datetime", "choice":
		return true
	}
	return false
}

// Words names what is expected, for people.
func (rd Read) Words() string {
	switch rd.As {
	case "integer":
		return "a whole number"
	case "number":
		return "a number"
	case "boolean":
		return "yes or no"
	case "email":
		return "an e-mail address"
	case "phone":
		return "a telephone number"
	case "date":
		return "a day"
	case "time":
		return "a time of day"
	case "datetime":
		return "a day and a time"
	case "choice":
		return "one of: " + strings.Join(rd.Choices, ", ")
	case "list":
		return "a list"
	case "name":
		return "a name"
	case "record":
		var parts []string
		for _, p := range rd.Parts {
			parts = append(parts, cmp.Or(p.Label, p.Name))
		}
		return strings.Join(parts, ", ")
	}
	return "a text"
}

// ReadOf returns what a field of contacts takes.
func ReadOf(f contact.Field) Read {
	switch f.Type {
	case contact.Number:
		return Read{As: "number"}
	case contact.Date:
		return Read{As: "date"}
	case contact.Choice:
		return Read{As: "choice", Choices: f.Choices}
	case contact.Email:
		return Read{As: "email"}
	case contact.Phone:
		return Read{As: "phone"}
	case contact.Name:
		return Read{As: "name"}
	}
	return Read{As: "text"}
}

// A Hearing is what reading depends on beside the text.
type Hearing struct {
	Speech text.Speech
	Region string
	Now    time.Time
	Asked  bool // the text is the reply to a question for just this
}

// leadIn is what people put before what they were asked for.
var leadIn = regexp.MustCompile(`(?i)^\W*(?:(?:ok(?:ay)?|sure|yes|hi|hello|well|um+|er+|so)[,.! ]+)*(?:(?:my|our|the|his|her) (?:full |first )?name(?: is|'s|’s)|it(?:'|’)?s|it is|that(?:'|’)?s|that is|this is|i(?:'|’)?m|i am|we are|we(?:'|’)re|call me|they call me|name:?)\s+`)

// tailOff is what people put behind it.
var tailOff = regexp.MustCompile(`(?i)[,.! ]+(?:thanks?(?: you)?(?: very much| a lot)?|thx|cheers|ta|please)\W*$`)

// Hear takes a value out of a text: ok is false where it holds none, or more than one
// that may be meant. Times of day and days are those seen from now.
func (rd Read) Hear(said string, h Hearing) (value any, ok bool) {
	said = strings.TrimSpace(text.Plain(said))
	if said == "" {
		return nil, false
	}
	switch rd.As {
	case "integer", "number":
		return rd.figure(said, h)
	case "boolean":
		return h.Speech.YesOrNo(said)
	case "email":
		v := text.Email(text.WithoutOthers(said))
		if m := saidMail.FindStringSubmatch(said); v == "" && h.Asked && m != nil {
			v = text.Email(m[1] + "@" + strings.NewReplacer(" dot ", ".", " . ", ".").Replace(m[2]))
		}
		return v, v != ""
	case "phone":
		v := text.Phone(text.WithoutOthers(said), h.Region)
		return v, v != ""
	case "date":
		return day(said, h.Now)
	case "time":
		at, ok := text.SpokenClock(said, h.Asked)
		return at, ok
	case "datetime":
		d, dated := day(said, h.Now)
		at, timed := text.SpokenClock(said, false)
		if !dated || !timed {
			return nil, false
		}
		t, _ := time.Parse("15:04", at)
		on := d.(time.Time)
		return time.Date(on.Year(), on.Month(), on.Day(), t.Hour(), t.Minute(), 0, 0, on.Location()), true
	case "choice":
		return choose(said, rd.Choices, h)
	case "name":
		if v := text.Name(said); v != "" {
			return v, true
		}
		if !h.Asked || strings.HasSuffix(said, "?") {
			return nil, false
		}
		v := text.Squeeze(tailOff.ReplaceAllString(leadIn.ReplaceAllString(said, ""), ""))
		if v == "" || len(text.Words(v)) > 5 || strings.ContainsAny(v, "@0123456789") {
			return nil, false
		}
		return v, true
	case "list":
		if !h.Asked {
			return nil, false
		}
		var list []any
		for _, item := range regexp.MustCompile(`\s*(?:[,;\n]|\band\b|&)\s*`).Split(tailOff.ReplaceAllString(leadIn.ReplaceAllString(said, ""), ""), 100) {
			if item = strings.Trim(item, " .!-•"); item != "" {
				list = append(list, item)
			}
		}
		return list, len(list) > 0
	}
	if !h.Asked {
		return nil, false
	}
	return text.Squeeze(said), true
}

// Open are the parts of a record that are still to come.
func (rd Read) Open(have map[string]any) (open []Wanted) {
	for _, p := range rd.Parts {
		if _, there := have[p.Name]; !there {
			open = append(open, p)
		}
	}
	return open
}

// Gather takes parts of a record out of a text, beside those that there are. What has no
// form by which it is known wherever it stands is taken only where it alone is asked for.
func (rd Read) Gather(said string, have map[string]any, h Hearing) (more map[string]any) {
	open := rd.Open(have)
	more = maps.Clone(have)
	if more == nil {
		more = map[string]any{}
	}
	for _, p := range open {
		own := h
		if own.Asked = h.Asked && len(open) == 1; !own.Asked && !p.As.Telling() && p.As.As != "name" {
			continue
		}
		if value, ok := p.As.Hear(said, own); ok {
			more[p.Name] = value
		}
	}
	return more
}

// saidMail is an address as it is said: "ada at example dot org".
var saidMail = regexp.MustCompile(`(?i)([\w.+\-]+)\s*(?:\bat\b|\(at\)|\[at\])\s*([\w\-]+(?:(?:\.| dot | \. )[\w\-]+)+)`)

// figure reads a number: the only one, or the one that a correction in the text ends with.
func (rd Read) figure(said string, h Hearing) (any, bool) {
	list := h.Speech.Figures(said)
	if rd.As == "integer" {
		list = slices.DeleteFunc(list, func(f text.Figure) bool { return f.Value != float64(int64(f.Value)) })
	}
	if len(list) > 1 {
		// "30, no sorry, 32"; "32 not 30"
		last := list[len(list)-1]
		between := " " + strings.ToLower(said[list[len(list)-2].End:last.Start]) + " "
		for _, mark := range h.Speech.Correct {
			if contains(between, mark) {
				return last.Value, true
			}
		}
		if contains(between, "not") {
			return list[0].Value, true
		}
		first := list[0].Value
		for _, f := range list {
			if f.Value != first {
				return nil, false
			}
		}
	}
	if len(list) == 0 {
		return nil, false
	}
	return list[0].Value, true
}

var inDays = regexp.MustCompile(`(?i)\bin (\w+) (day|week)s?\b`)
var nextDay = regexp.MustCompile(`(?i)\bnext (monday|tuesday|wednesday|thursday|friday|saturday|sunday)\b`)
var slashed = regexp.MustCompile(`\b(\d{1,2})[./](\d{1,2})[./](\d{4}|\d{2})\b`)

// day reads a day, seen from now.
func day(said string, now time.Time) (any, bool) {
	today := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, now.Location())
	if contains(said, "day after tomorrow") {
		return today.AddDate(0, 0, 2), true
	}
	if m := inDays.FindStringSubmatch(said); m != nil {
		if n, ok := text.SpeechOf("en").Numbers[strings.ToLower(m[1])]; ok || text.IsTime(m[1]) {
			if !ok {
				n, _ = strconv.ParseFloat(m[1], 64)
			}
			if strings.EqualFold(m[2], "week") {
				n *= 7
			}
			return today.AddDate(0, 0, int(min(n, 3660))), true
		}
	}
	if m := slashed.FindStringSubmatch(said); m != nil {
		d, _ := strconv.Atoi(m[1])
		mo, _ := strconv.Atoi(m[2])
		y, _ := strconv.Atoi(m[3])
		if y < 100 {
			y += 2000
		}
		on := time.Date(y, time.Month(mo), d, 0, 0, 0, 0, now.Location())
		return on, on.Day() == d && int(on.Month()) == mo
	}
	d, ok := text.Date(said, now)
	if ok && nextDay.MatchString(said) && d.Sub(today) < 24*time.Hour {
		d = d.AddDate(0, 0, 7) // "next Friday", said on a Friday
	}
	return d, ok
}

// choose reads one of some choices: by its words, by those of them that no other has, by
// its number where that was asked for, or nearly spelt.
func choose(said string, choices []string, h Hearing) (any, bool) {
	var found []string
	for _, c := range choices {
		if contains(said, c) {
			found = append(found, c)
		}
	}
	if len(found) > 1 { // "not the small one but the large one"
		slices.SortFunc(found, func(a, b string) int { return len(b) - len(a) })
		if whole := found[0]; !slices.ContainsFunc(found[1:], func(c string) bool { return !contains(whole, c) }) {
			return whole, true // the longest holds the others
		}
		return nil, false
	}
	if len(found) == 1 {
		return found[0], true
	}
	if !h.Asked {
		return nil, false
	}
	for i, ordinal := range []string{"first", "second", "third", "fourth", "fifth"} {
		if i < len(choices) && contains(said, ordinal) {
			return choices[i], true
		}
	}
	if n, ok := (Read{As: "integer"}).figure(said, h); ok && len(text.Words(said)) <= 3 {
		if at := int(n.(float64)); at >= 1 && at <= len(choices) {
			return choices[at-1], true
		}
	}
	best, second, chosen := 0.0, 0.0, ""
	for _, c := range choices {
		score := 0.0
		for w := range text.EachWord(c) {
			if len(w.Folded) < 3 {
				continue
			}
			for v := range text.EachWord(said) {
				if len(v.Folded) >= 3 && text.Distance(w.Folded, v.Folded) <= len(w.Folded)/4 {
					score++
				}
			}
		}
		switch {
		case score > best:
			best, second, chosen = score, best, c
		case score > second:
			second = score
		}
	}
	return chosen, best > 0 && best > second
}
