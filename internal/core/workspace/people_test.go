package workspace

import (
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/document"
)

func TestHoursSayWhenPeopleAreThere(t *testing.T) {
	h, err := ParseHours("office.yaml", []byte(`hours: office
zone: Europe/London
week:
  monday: ["13:00-17:30", "08:00-12:00"]
  friday: ["20:00-24:00"]
holidays: ["12-25", "2026-12-28"]
`))
	if err != nil {
		t.Fatal(err)
	}
	london, err := time.LoadLocation("Europe/London")
	if err != nil {
		t.Fatal(err)
	}
	at := func(month time.Month, day, hour, minute int) time.Time {
		return time.Date(2026, month, day, hour, minute, 0, 0, london)
	}
	for _, c := range []struct {
		at, next time.Time // next is the zero time if it is at
		open     bool
	}{
		{at(11, 23, 8, 0), time.Time{}, true}, // a Monday
		{at(11, 23, 12, 0), at(11, 23, 13, 0), false},
		{at(11, 23, 17, 29), time.Time{}, true},
		{at(11, 23, 17, 30), at(11, 27, 20, 0), false},
		{at(11, 27, 23, 59), time.Time{}, true},
		{at(11, 28, 0, 0), at(11, 30, 8, 0), false},
		{at(12, 25, 21, 0), at(1, 1, 20, 0).AddDate(1, 0, 0), false}, // Christmas, a Friday; then a Monday that is a holiday
		{at(7, 6, 8, 0), time.Time{}, true},                          // in summer
	} {
		if got := h.Open(c.at); got != c.open {
			t.Errorf("%s: open is %v", c.at, got)
		}
		want := c.next
		if c.open {
			want = c.at
		}
		if got := h.Next(c.at); !got.Equal(want) {
			t.Errorf("%s: next is %s, want %s", c.at, got, want)
		}
		if got := h.Open(c.at.UTC()); got != c.open {
			t.Errorf("%s: the zone of the question counts", c.at)
		}
	}
	never, err := ParseHours("x", []byte("hours: x\nweek: { monday: [] }\n"))
	if err != nil || !never.Next(at(1, 1, 0, 0)).IsZero() {
		t.Errorf("hours without any begin at %s, %v", never.Next(at(1, 1, 0, 0)), err)
	}
}

func TestTeamsCallTheirPeopleInOrder(t *testing.T) {
	people := []Person{
		{Name: "ada", Address: "ada@example.org", Teams: []string{"crew"}},
		{Name: "bob", Address: "bob@example.org"},
		{Name: "kim", Address: "kim@example.org", Teams: []string{"night", "crew"}},
		{Name: "robin", Address: "robin@example.org", Teams: []string{"crew"}},
	}
	names := func(t Team) (names []string) {
		for _, p := range t.Members(people) {
			names = append(names, p.Name)
		}
		return names
	}
	if got := strings.Join(names(Team{Name: "crew", Order: []string{"robin", "gone"}}), " "); got != "robin ada kim" {
		t.Errorf("the crew is %s", got)
	}
	if got := Team.Called(Team{Name: "crew", Call: CallTurn, Order: []string{"kim"}}, people); len(got) != 1 || got[0].Address != "kim@example.org" {
		t.Errorf("first called is %v", got)
	}
	if got := Team.Called(Team{Name: "crew", Call: CallAll}, people); len(got) != 3 {
		t.Errorf("called are %v", got)
	}
	if got := Team.Called(Team{Name: "nobody"}, people); len(got) != 0 {
		t.Errorf("of nobody called are %v", got)
	}
}

func TestPeopleTeamsAndHoursAreChecked(t *testing.T) {
	parse := map[string]func(string) error{
		"person":   func(s string) error { _, err := ParsePerson("x", []byte(s)); return err },
		"team":     func(s string) error { _, err := ParseTeam("x", []byte(s)); return err },
		"hours":    func(s string) error { _, err := ParseHours("x", []byte(s)); return err },
		"settings": func(s string) error { _, err := ParseSettings("x", []byte(s)); return err },
	}
	for _, c := range []struct{ kind, source, says string }{
		{"person", "person: Robin Tarn\nname: R\naddress: r@example.org\n", "not a name"},
		{"person", "person: robin\naddress: r@example.org\n", "say how robin is called"},
		{"person", "person: robin\nname: R\naddress: Robin <r@example.org>\n", "not a mail address"},
		{"person", "person: robin\nname: R\naddress: r@example.org\nphone: 1\n", "no key called"},
		{"team", "team: crew\ncall: sometimes\n", "all or in order"},
		{"team", "team: crew\norder: [Robin Tarn]\n", "not a name"},
		{"hours", "hours: x\n", "on which weekdays"},
		{"hours", "hours: x\nweek: { someday: [] }\n", "not a weekday"},
		{"hours", "hours: x\nweek: { monday: [\"9 to 5\"] }\n", "part of a day"},
		{"hours", "hours: x\nweek: { monday: [\"17:00-09:00\"] }\n", "part of a day"},
		{"hours", "hours: x\nzone: Brackwater\nweek: { monday: [] }\n", "not a time zone"},
		{"hours", "hours: x\nweek: { monday: [] }\nholidays: [\"25 December\"]\n", "not a day"},
		{"settings", "settings: x\nfields: [{ field: Name }]\n", "small letters, digits and _"},
		{"settings", "settings: x\nfields: [{ field: a }, { field: a }]\n", "there twice"},
		{"settings", "settings: x\nfields: [{ field: first_name }]\n", "its name is taken"},
		{"settings", "settings: x\nfields: [{ field: a, type: colour }]\n", "not a type of field"},
		{"settings", "settings: x\nfields: [{ field: a, type: choice }]\n", "lists its choices"},
		{"settings", "settings: x\nfields: [{ field: a, type: text, choices: [b] }]\n", "and no other"},
		{"settings", "settings: x\nstages: [{ stage: a }, { stage: a }]\n", "there twice"},
		{"settings", "settings: x\ntags: [a, a]\n", "there twice"},
		{"settings", "settings: x\ntags: [\"a b\"]\n", "not a name"},
	} {
		err := parse[c.kind](c.source)
		if problems, ok := err.(document.Problems); !ok || !strings.Contains(err.Error(), c.says) || problems[0].Line == 0 {
			t.Errorf("%q: %v, want one that says %q, with its place", c.source, err, c.says)
		}
	}
	s, err := ParseSettings("x", []byte("settings: x\nfields: [{ field: shoe_size, type: number, sensitive: true }]\nstages: [{ stage: new }]\n"))
	if err != nil || len(s.Fields) != 1 || s.Fields[0].Label != "shoe_size" || !s.Fields[0].Sensitive || s.Stages[0].Label != "new" {
		t.Errorf("settings are %+v, %v", s, err)
	}
	if s, err := ParseSettings("x", []byte("settings: x\n")); err != nil || len(s.Fields) != 3 || s.Fields[1].Type != contact.Email {
		t.Errorf("without fields there are %+v, %v", s.Fields, err)
	}
	if r := FieldKnown("$", "shoe_size"); r.Unfit(s) != "" || r.Unfit(DefaultSettings("x")) == "" || FieldKnown("$", contact.FirstName).Unfit(s) != "" {
		t.Error("a field that is declared is not known, or another one is")
	}
}
