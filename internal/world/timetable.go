package world

import (
	"net/http"
	"time"
)

// A Timetable tells when the boats leave.
type Timetable struct {
	Trouble Trouble

	now  func() time.Time
	zone *time.Location
}

// A Departure is one boat on one day.
type Departure struct {
	From    string `json:"from"`
	To      string `json:"to"`
	Date    string `json:"date"`
	Day     string `json:"day"` // today, tomorrow, or on Friday 27 November
	Leaves  string `json:"leaves"`
	Arrives string `json:"arrives"`
	Boat    string `json:"boat"`
}

const mainland = "Brackwater"

// routes are the crossings from the mainland; the boat goes back as soon as it
// has landed and turned round.
var routes = map[string]struct {
	minutes int
	boat    string
	leaves  []string
}{
	"Little Sorrel": {25, "Little Tern", []string{"06:50", "08:10", "09:30", "11:00", "12:30", "14:00", "15:30", "17:00", "18:30", "20:00"}},
	"Hallow Point":  {45, "Sandpiper", []string{"07:15", "09:45", "12:15", "14:45", "17:15", "19:45"}},
	"Gannet Holm":   {80, "Grey Heron", []string{"07:40", "12:00", "16:20"}},
}

// turnRound is how long a boat lies at an island.
const turnRound = 15 * time.Minute

// Next returns the next two boats from a time on, within a week.
func (t *Timetable) Next(from, to string, after time.Time) []Departure {
	island, back := to, false
	if to == mainland {
		island, back = from, true
	}
	route, ok := routes[island]
	if !ok || from == to || !back && from != mainland {
		return []Departure{}
	}
	found := []Departure{}
	crossing := time.Duration(route.minutes) * time.Minute
	today := t.now().In(t.zone).Format(time.DateOnly)
	tomorrow := t.now().In(t.zone).AddDate(0, 0, 1).Format(time.DateOnly)
	for day := range 7 {
		date := after.AddDate(0, 0, day).Format(time.DateOnly)
		for _, clock := range route.leaves {
			leaves, err := time.ParseInLocation("2006-01-02 15:04", date+" "+clock, t.zone)
			if err != nil {
				continue
			}
			if back {
				leaves = leaves.Add(crossing + turnRound)
			}
			if leaves.Before(after) {
				continue
			}
			d := Departure{From: from, To: to, Date: date, Day: "on " + leaves.Format("Monday 2 January"), Leaves: leaves.Format("15:04"), Arrives: leaves.Add(crossing).Format("15:04"), Boat: route.boat}
			switch date {
			case today:
				d.Day = "today"
			case tomorrow:
				d.Day = "tomorrow"
			}
			if found = append(found, d); len(found) == 2 {
				return found
			}
		}
	}
	return found
}

// ends returns the first or the last boat of the day on which the next one leaves.
func (t *Timetable) ends(from, to string, after time.Time, last bool) []Departure {
	next := t.Next(from, to, after)
	if len(next) == 0 {
		return next
	}
	day, one := next[0].Date, next[:1]
	if !last {
		return one
	}
	for next[0].Date == day {
		one = next[:1]
		leaves, err := time.ParseInLocation("2006-01-02 15:04", next[0].Date+" "+next[0].Leaves, t.zone)
		if next = t.Next(from, to, leaves.Add(time.Minute)); err != nil || len(next) == 0 {
			break
		}
	}
	return one
}

// ServeHTTP serves GET /departures?from=&to=&date=&after=&which=, which being first or last.
func (t *Timetable) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if t.Trouble.strikes(w, r) {
		return
	}
	if r.URL.Path != "/departures" {
		http.NotFound(w, r)
		return
	}
	from, to := r.FormValue("from"), r.FormValue("to")
	if from == "" {
		from = mainland
	}
	after := t.now().In(t.zone)
	if date := r.FormValue("date"); date != "" && date != after.Format(time.DateOnly) {
		day, err := time.ParseInLocation(time.DateOnly, date, t.zone)
		if err != nil {
			http.Error(w, "date must be like 2026-11-24", http.StatusBadRequest)
			return
		}
		after = day
	}
	if clock := r.FormValue("after"); clock != "" {
		at, err := time.Parse("15:04", clock)
		if err != nil {
			http.Error(w, "after must be like 15:04", http.StatusBadRequest)
			return
		}
		then := time.Date(after.Year(), after.Month(), after.Day(), at.Hour(), at.Minute(), 0, 0, t.zone)
		if then.After(after) {
			after = then
		}
	}
	departures := t.Next(from, to, after)
	if r.FormValue("which") != "" {
		departures = t.ends(from, to, after, r.FormValue("which") == "last")
	}
	writeJSON(w, http.StatusOK, map[string]any{"departures": departures})
}
