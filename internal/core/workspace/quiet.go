package workspace

import (
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/document"
)

// Quiet are the hours in which nothing is sent that no customer waits for. They are the
// customer's: read in the contact's time zone where that is known, else in the workspace's.
type Quiet struct {
	From string `yaml:"from"` // "20:00"; "" for none; the same as To for none at all
	To   string `yaml:"to"`   // "08:00"
}

// Until returns when something may be sent, at or after a time in its zone.
func (q Quiet) Until(at time.Time) time.Time {
	from, err := time.Parse("15:04", q.From)
	to, err2 := time.Parse("15:04", q.To)
	if err != nil || err2 != nil || q.From == q.To {
		return at
	}
	on := func(t time.Time, day int) time.Time {
		return time.Date(at.Year(), at.Month(), at.Day()+day, t.Hour(), t.Minute(), 0, 0, at.Location())
	}
	for day := -1; day <= 0; day++ {
		begins, ends := on(from, day), on(to, day)
		if !ends.After(begins) {
			ends = on(to, day+1)
		}
		if !at.Before(begins) && at.Before(ends) {
			return ends
		}
	}
	return at
}

// check notes what is wrong with quiet hours.
func (q Quiet) check(c *document.Checker) {
	_, from := time.Parse("15:04", q.From)
	_, to := time.Parse("15:04", q.To)
	if q != (Quiet{}) && (from != nil || to != nil) {
		c.Wrong("$.quiet", "quiet hours are from and to, as in { from: \"20:00\", to: \"08:00\" }")
	}
}

// QuietFor returns what tells when something that a contact does not wait for may be said
// to them on a channel, at or after a time: at the end of the channel's quiet hours, or of
// the workspace's where the channel has none of its own. The time it tells is in the zone
// of the one it is given.
func (s Settings) QuietFor(ch Channel, m contact.Memory) func(at time.Time) time.Time {
	quiet := s.Quiet
	if ch.Quiet != (Quiet{}) {
		quiet = ch.Quiet
	}
	return func(at time.Time) time.Time {
		if quiet == (Quiet{}) {
			return at
		}
		if zone := s.Fields.Zone(m, at); zone != nil {
			return quiet.Until(at.In(zone)).In(at.Location())
		}
		return quiet.Until(at)
	}
}
