package triggers

import (
	"testing"
	"time"

	"urgentparrot.example/internal/core/flow"
)

// A schedule keeps to its zone through summer time: an hour that is left out is taken at the
// next that there is, or the day after; one that is repeated counts once.
func TestSchedulesKeepToTheirZone(t *testing.T) {
	london, err := time.LoadLocation("Europe/London")
	if err != nil {
		t.Fatal(err)
	}
	at := func(s string) time.Time {
		v, err := time.ParseInLocation("2006-01-02 15:04", s, london)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	trigger := func(at, zone string) *flow.Trigger {
		args := flow.Args{"at": {Text: at}}
		if zone != "" {
			args["zone"] = &flow.Arg{Text: zone}
		}
		return &flow.Trigger{Args: args}
	}
	for _, c := range []struct{ at, zone, after, next string }{
		{"0 20 * * *", "", "2026-11-26 19:59", "2026-11-26 20:00"}, {"0 20 * * *", "", "2026-11-26 20:00", "2026-11-27 20:00"},
		{"0 20 * * *", "", "2026-03-28 20:30", "2026-03-29 20:00"}, {"30 7 * * 1-5", "", "2026-11-27 08:00", "2026-11-30 07:30"},
		{"30 1 * * *", "", "2026-10-25 00:00", "2026-10-25 01:30"}, {"0 9 * * *", "America/New_York", "2026-11-26 00:00", "2026-11-26 14:00"},
	} {
		next, ok := Next(trigger(c.at, c.zone), at(c.after))
		if got := next.In(london).Format("2006-01-02 15:04"); !ok || got != c.next {
			t.Errorf("%s (%s) after %s comes %s, not %s", c.at, c.zone, c.after, got, c.next)
		}
	}
	// Through a whole year every day has one half past one, or in spring none.
	days := map[string]int{}
	for now := at("2026-01-01 00:00"); now.Before(at("2027-01-01 00:00")); {
		next, ok := Next(trigger("30 1 * * *", ""), now)
		if !ok || !next.After(now) {
			t.Fatalf("after %s comes %s", now, next)
		}
		days[next.In(london).Format(time.DateOnly)]++
		now = next
	}
	for day, times := range days {
		if times != 1 {
			t.Errorf("on %s it comes %d times", day, times)
		}
	}
	if len(days) < 364 {
		t.Errorf("it comes on %d days", len(days))
	}
	if _, ok := Next(trigger("0 0 31 2 *", ""), at("2026-01-01 00:00")); ok {
		t.Error("the 31st of February comes")
	}
}
