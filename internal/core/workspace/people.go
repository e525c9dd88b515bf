package workspace

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/text"
)

// A Person is one of the business's own people.
type Person struct {
	Name    string   `yaml:"person"`
	Title   string   `yaml:"name"`    // as customers and colleagues see them
	Address string   `yaml:"address"` // the mail address where they are told
	Teams   []string `yaml:"teams"`
}

// Named is document.Document's.
func (p Person) Named() string { return p.Name }

// Refers is document.Document's.
func (p Person) Refers() (refers []document.Reference) {
	for i, team := range p.Teams {
		refers = append(refers, document.Reference{Path: fmt.Sprintf("$.teams[%d]", i), Kind: "team", Name: team})
	}
	return refers
}

// ParsePerson reads a person. The error is document.Problems.
func ParsePerson(file string, source []byte) (Person, error) {
	var p Person
	c := document.Decode(file, source, &p)
	if c.Failed() {
		return p, c.Err()
	}
	c.Name("$.person", p.Name)
	if p.Title == "" {
		c.Wrong("$.name", "say how %s is called", p.Name)
	}
	if p.Address != text.Email(p.Address) || p.Address == "" {
		c.Wrong("$.address", "%q is not a mail address; write it like robin@example.org", p.Address)
	}
	return p, c.Err()
}

// How the people of a team are called.
const (
	CallAll  = "all"      // everybody at once
	CallTurn = "in order" // the first, who passes it on
)

// A Team is some people who answer together. Who is in it stands with each
// person; the team says who is called first.
type Team struct {
	Name  string   `yaml:"team"`
	Title string   `yaml:"title"`
	Call  string   `yaml:"call"`  // all, or in order
	Order []string `yaml:"order"` // people; those who are not named come after them, by name
	Hours string   `yaml:"hours"` // when the team is there; always, if none are named
}

// Named is document.Document's.
func (t Team) Named() string { return t.Name }

// Refers is document.Document's. That the people of its order are there is not
// asked for: they refer to the team.
func (t Team) Refers() []document.Reference {
	if t.Hours == "" {
		return nil
	}
	return []document.Reference{{Path: "$.hours", Kind: "hours", Name: t.Hours}}
}

// ParseTeam reads a team. The error is document.Problems.
func ParseTeam(file string, source []byte) (Team, error) {
	t := Team{Call: CallAll}
	c := document.Decode(file, source, &t)
	if c.Failed() {
		return t, c.Err()
	}
	c.Name("$.team", t.Name)
	if t.Call != CallAll && t.Call != CallTurn {
		c.Wrong("$.call", "%q is not known here; it is all or in order", t.Call)
	}
	for i, name := range t.Order {
		c.Name(fmt.Sprintf("$.order[%d]", i), name)
	}
	if t.Title == "" {
		t.Title = t.Name
	}
	return t, c.Err()
}

// Members returns those of all people who are in the team, in the order in which
// they are called.
func (t Team) Members(people []Person) []Person {
	var members []Person
	for _, p := range people {
		if slices.Contains(p.Teams, t.Name) {
			members = append(members, p)
		}
	}
	place := func(p Person) int {
		if at := slices.Index(t.Order, p.Name); at >= 0 {
			return at
		}
		return len(t.Order)
	}
	slices.SortStableFunc(members, func(a, b Person) int {
		if d := place(a) - place(b); d != 0 {
			return d
		}
		return strings.Compare(a.Name, b.Name)
	})
	return members
}

// Called returns those whom the team calls, now.
func (t Team) Called(people []Person) []Person {
	called := t.Members(people)
	if t.Call == CallTurn {
		called = called[:min(1, len(called))]
	}
	return called
}

// Hours are when people are there.
type Hours struct {
	Name     string              `yaml:"hours"`
	Title    string              `yaml:"title"`
	Zone     string              `yaml:"zone"`     // the workspace's time zone, if ""
	Week     map[string][]string `yaml:"week"`     // by weekday ("monday"): times like "09:00-17:30"
	Holidays []string            `yaml:"holidays"` // days without hours: "2026-12-25", or "12-25" for each year

	zone *time.Location
	week [7][]span
}

// A span is a part of a day, in minutes from its beginning.
type span struct{ from, until int }

// Named is document.Document's.
func (h Hours) Named() string { return h.Name }

// Refers is document.Document's.
func (h Hours) Refers() []document.Reference { return nil }

// ParseHours reads hours. The error is document.Problems.
func ParseHours(file string, source []byte) (Hours, error) {
	var h Hours
	c := document.Decode(file, source, &h)
	if c.Failed() {
		return h, c.Err()
	}
	c.Name("$.hours", h.Name)
	if h.Zone != "" {
		zone, err := time.LoadLocation(h.Zone)
		if err != nil {
			c.Wrong("$.zone", "%q is not a time zone; write one like Europe/London", h.Zone)
		}
		h.zone = zone
	}
	if len(h.Week) == 0 {
		c.Wrong("$.week", "say on which weekdays, and from when to when: monday: [\"09:00-17:30\"]")
	}
	for name, times := range h.Week {
		day := slices.IndexFunc(weekdays, func(d string) bool { return d == name })
		if day < 0 {
			c.Wrong("$.week."+name, "%q is not a weekday; the weekdays are: %s", name, strings.Join(weekdays, ", "))
			continue
		}
		for i, written := range times {
			s, ok := readSpan(written)
			if !ok {
				c.Wrong(fmt.Sprintf("$.week.%s[%d]", name, i), "%q is not a part of a day; write it like \"09:00-17:30\"", written)
			}
			h.week[day] = append(h.week[day], s)
		}
		slices.SortFunc(h.week[day], func(a, b span) int { return a.from - b.from })
	}
	for i, day := range h.Holidays {
		_, whole := time.Parse(time.DateOnly, day)
		if _, yearly := time.Parse("01-02", day); whole != nil && yearly != nil {
			c.Wrong(fmt.Sprintf("$.holidays[%d]", i), "%q is not a day; write \"2026-12-25\", or \"12-25\" for each year", day)
		}
	}
	if h.Title == "" {
		h.Title = h.Name
	}
	return h, c.Err()
}

var weekdays = []string{"sunday", "monday", "tuesday", "wednesday", "thursday", "friday", "saturday"}

func readSpan(written string) (span, bool) {
	from, until, ok := strings.Cut(written, "-")
	begins, err := time.Parse("15:04", strings.TrimSpace(from))
	if until = strings.TrimSpace(until); until == "24:00" && err == nil && ok {
		return span{begins.Hour()*60 + begins.Minute(), 24 * 60}, true
	}
	ends, failed := time.Parse("15:04", until)
	s := span{begins.Hour()*60 + begins.Minute(), ends.Hour()*60 + ends.Minute()}
	return s, ok && err == nil && failed == nil && s.from < s.until
}

// in returns a time in the zone of the hours, or as it is.
func (h Hours) in(at time.Time) time.Time {
	if h.zone == nil {
		return at
	}
	return at.In(h.zone)
}

func (h Hours) isHoliday(day time.Time) bool {
	return slices.Contains(h.Holidays, day.Format(time.DateOnly)) || slices.Contains(h.Holidays, day.Format("01-02"))
}

// Open reports whether it is within the hours. at is in the workspace's zone.
func (h Hours) Open(at time.Time) bool {
	at = h.in(at)
	minute := at.Hour()*60 + at.Minute()
	return !h.isHoliday(at) && slices.ContainsFunc(h.week[at.Weekday()], func(s span) bool { return s.from <= minute && minute < s.until })
}

// Next returns the first time from at on that is within the hours: at itself, or
// when they next begin; zero if they do not begin within a year.
func (h Hours) Next(at time.Time) time.Time {
	if h.Open(at) {
		return at
	}
	at = h.in(at)
	for ahead := range 366 {
		day := time.Date(at.Year(), at.Month(), at.Day()+ahead, 0, 0, 0, 0, at.Location())
		if h.isHoliday(day) {
			continue
		}
		for _, s := range h.week[day.Weekday()] {
			begins := time.Date(day.Year(), day.Month(), day.Day(), s.from/60, s.from%60, 0, 0, day.Location())
			if !begins.Before(at) {
				return begins
			}
		}
	}
	return time.Time{}
}
