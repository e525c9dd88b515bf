package workspace

import (
	"testing"
	"time"

	"urgentparrot.example/internal/core/contact"
)

// Quiet hours are the customer's: the channel's own, or the workspace's, in the zone of the
// contact where that is known.
func TestQuietHoursAreTheCustomers(t *testing.T) {
	at := func(s string) time.Time {
		when, err := time.Parse("2006-01-02 15:04", s)
		if err != nil {
			t.Fatal(err)
		}
		return when
	}
	fields := append(contact.Standard(), contact.Field{Name: "lives", Label: "Lives", Type: contact.Zone})
	house := Quiet{From: "20:00", To: "08:00"}
	for _, c := range []struct {
		what       string
		channel    Quiet
		field      string
		value      string
		at, speaks string
	}{
		{"by day", Quiet{}, "", "", "2026-11-27 12:00", "2026-11-27 12:00"},
		{"in the evening", Quiet{}, "", "", "2026-11-27 20:00", "2026-11-28 08:00"},
		{"in the night", Quiet{}, "", "", "2026-11-28 03:30", "2026-11-28 08:00"},
		{"at their end", Quiet{}, "", "", "2026-11-28 08:00", "2026-11-28 08:00"},
		{"a channel's own, over noon", Quiet{From: "12:00", To: "13:00"}, "", "", "2026-11-27 12:30", "2026-11-27 13:00"},
		{"a channel's own take the place of the workspace's", Quiet{From: "12:00", To: "13:00"}, "", "", "2026-11-27 22:00", "2026-11-27 22:00"},
		{"a channel without any", Quiet{From: "00:00", To: "00:00"}, "", "", "2026-11-27 22:00", "2026-11-27 22:00"},
		{"it is night where they live", Quiet{}, "lives", "Australia/Sydney", "2026-11-27 12:00", "2026-11-27 21:00"},
		{"it is day where they live", Quiet{}, "lives", "America/New_York", "2026-11-27 22:00", "2026-11-27 22:00"},
		{"a number of one zone", Quiet{}, "phone", "+12125550123", "2026-11-27 12:00", "2026-11-27 13:00"},
		{"a number of places with one time", Quiet{}, "phone", "+447700900101", "2026-11-27 20:00", "2026-11-28 08:00"},
		{"a number of a country with many", Quiet{}, "phone", "+18005550123", "2026-11-27 20:30", "2026-11-28 08:00"},
		{"a number of nowhere", Quiet{}, "phone", "+99900000000", "2026-11-27 20:30", "2026-11-28 08:00"},
		{"a zone of nowhere", Quiet{}, "lives", "Brackwater", "2026-11-27 20:30", "2026-11-28 08:00"},
	} {
		s := Settings{Quiet: house, Fields: fields}
		m := contact.Memory{}
		if c.field != "" {
			m = m.With(contact.Fact{Field: c.field, Value: c.value})
		}
		if got := s.QuietFor(Channel{Quiet: c.channel}, m)(at(c.at)); !got.Equal(at(c.speaks)) {
			t.Errorf("%s: at %s it speaks at %s, not %s", c.what, c.at, got.Format("2006-01-02 15:04"), c.speaks)
		}
	}
	// On the night on which clocks go back, the hours end at eight all the same.
	london, err := time.LoadLocation("Europe/London")
	if err != nil {
		t.Fatal(err)
	}
	if got := house.Until(time.Date(2026, 10, 24, 22, 0, 0, 0, london)); got.Sub(time.Date(2026, 10, 24, 22, 0, 0, 0, london)) != 11*time.Hour {
		t.Errorf("they end at %s", got)
	}
}
