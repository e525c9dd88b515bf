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

// A time of the calendar is said in plain words where it has some.
func TestSchedulesAreSaidInWords(t *testing.T) {
	for cron, words := range map[string]string{
		"0 20 * * *": "it is 20:00", "30 7 * * 1-5": "it is 07:30 on a day from Monday to Friday", "0 9 * * 1": "it is 09:00 on a Monday", "0 9 * * mon,thu,7": "it is 09:00 on a Monday, Thursday or Sunday",
		"0 9 1 * *": "it is 09:00 on the 1st of a month", "0 9 13 * *": "it is 09:00 on the 13th of a month", "0 9 22 * *": "it is 09:00 on the 22nd of a month", "0 18 24 12 *": "it is 18:00 on 24 December",
		"0 * * * *": "an hour begins", "15 * * * *": "it is 15 minutes past the hour", "*/10 * * * *": "another 10 minutes have passed", "0 8,12,18 * * *": "it is 08:00, 12:00 or 18:00",
		"0 8-18 * * *": "the time 0 8-18 * * * of the calendar comes", "0 9 1 * 1": "the time 0 9 1 * 1 of the calendar comes", "*/10 8 * * *": "the time */10 8 * * * of the calendar comes", "nonsense": "the time nonsense of the calendar comes",
	} {
		if got := spoken(cron); got != words {
			t.Errorf("%s: %q, not %q", cron, got, words)
		}
	}
}
