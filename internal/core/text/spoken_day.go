package text

import (
	"fmt"
	"strings"
	"time"
)

// calendars are the names of days, from Sunday, and months of the languages, by ISO 639-1
// code, and how a day is said: its weekday is {w}, its day {d}, its month {m}.
var calendars = map[string]struct{ weekdays, months, day string }{
	"en": {"Sunday Monday Tuesday Wednesday Thursday Friday Saturday", "January February March April May June July August September October November December", "{w} {d} {m}"},
	"es": {"domingo lunes martes miércoles jueves viernes sábado", "enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre diciembre", "{w} {d} de {m}"},
	"fr": {"dimanche lundi mardi mercredi jeudi vendredi samedi", "janvier février mars avril mai juin juillet août septembre octobre novembre décembre", "{w} {d} {m}"},
	"sv": {"söndag måndag tisdag onsdag torsdag fredag lördag", "januari februari mars april maj juni juli augusti september oktober november december", "{w} {d} {m}"},
	"no": {"søndag mandag tirsdag onsdag torsdag fredag lørdag", "januar februar mars april mai juni juli august september oktober november desember", "{w} {d}. {m}"},
	"ru": {"воскресенье понедельник вторник среда четверг пятница суббота", "января февраля марта апреля мая июня июля августа сентября октября ноября декабря", "{w}, {d} {m}"},
	"hu": {"vasárnap hétfő kedd szerda csütörtök péntek szombat", "január február március április május június július augusztus szeptember október november december", "{m} {d}., {w}"},
}

// farAway is how far from now a day is said with its year.
const farAway = 300 * 24 * time.Hour

// SpokenDay says a day as people of a language do, "Tuesday 1 December", seen from now, with
// the time of day unless that is midnight. In a language without names for days it is
// written as 2026-12-01.
func SpokenDay(language string, t, now time.Time) string {
	c, ok := calendars[language]
	said := t.Format(time.DateOnly)
	if ok {
		said = strings.NewReplacer("{w}", strings.Fields(c.weekdays)[t.Weekday()], "{d}", fmt.Sprint(t.Day()), "{m}", strings.Fields(c.months)[t.Month()-1]).Replace(c.day)
		if t.Sub(now).Abs() > farAway {
			said += fmt.Sprintf(" %d", t.Year())
		}
	}
	if t.Hour() != 0 || t.Minute() != 0 {
		said += ", " + t.Format("15:04")
	}
	return said
}
