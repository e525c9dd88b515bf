package triggers

import (
	"time"

	"github.com/robfig/cron/v3"

	"urgentparrot.example/internal/core/flow"
)

var schedule = &flow.TriggerKind{
	Name: Schedule, Main: "at", NoContact: true,
	About:   "At times of a calendar: a cron expression of five fields, in the workspace's time zone or another.",
	Example: "- schedule: \"0 20 * * *\"",
	Fields: []flow.Field{
		{Name: "at", Label: "At these times (cron)", Type: flow.Words, Required: true, About: "Minute, hour, day of the month, month, day of the week: \"0 20 * * *\" is every day at 20:00."},
		{Name: "zone", Label: "Time zone", Type: flow.Name, Kind: "zone", About: "The time zone."},
	},
	Event: func(*flow.Checking, *flow.Trigger) map[string]flow.Given {
		return map[string]flow.Given{"at": {Kind: flow.ATime, Always: true}}
	},
	Check: func(c *flow.Checking, t *flow.Trigger) {
		if !t.Has("at") {
			return
		}
		times, err := Parse(t.Raw("at"))
		if err != nil {
			c.Wrong(t.Args["at"].At, "%q is no time of a calendar: write minute, hour, day, month and weekday, as in \"30 7 * * 1-5\" (half past seven on working days)", t.Raw("at"))
			return
		}
		if times.Next(time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)).IsZero() {
			c.Wrong(t.Args["at"].At, "%q never comes: there is no such day", t.Raw("at"))
		}
	},
	Plain: func(t *flow.Trigger) string {
		if t.Has("zone") {
			return spoken(t.Raw("at")) + " in " + t.Raw("zone")
		}
		return spoken(t.Raw("at"))
	},
	Sample: func(_ *flow.Trigger, now time.Time) map[string]any {
		return map[string]any{"at": now.Format(time.RFC3339Nano)}
	},
	Fits: func(*flow.Matching, *flow.Trigger) (bool, string) { return true, "" },
}

// Parse reads a cron expression of five fields. A time that the clocks leave out in spring
// is taken at the next that there is; one that they repeat in autumn is taken once.
func Parse(expression string) (cron.Schedule, error) {
	return cron.NewParser(cron.Minute | cron.Hour | cron.Dom | cron.Month | cron.Dow).Parse(expression)
}

// Next is the next time of a schedule after a time, in its zone, or in that of after;
// false if there is none in five years.
func Next(t *flow.Trigger, after time.Time) (time.Time, bool) {
	if zone, err := time.LoadLocation(t.Raw("zone")); err == nil && t.Has("zone") {
		after = after.In(zone)
	}
	times, err := Parse(t.Raw("at"))
	if err != nil {
		return time.Time{}, false
	}
	next := times.Next(after)
	// The hour that is repeated in autumn counts once.
	if !next.IsZero() && next.Sub(after) < 2*time.Hour && sameClock(next, after) && after.Second() == 0 && after.Nanosecond() == 0 {
		next = times.Next(next)
	}
	return next, !next.IsZero()
}

func sameClock(a, b time.Time) bool {
	return a.Format("2006-01-02 15:04") == b.Format("2006-01-02 15:04")
}
