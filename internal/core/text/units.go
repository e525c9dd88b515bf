package text

import "strings"

// A Unit is what durations and measures are counted in: its kind, and how many of the smallest
// of that kind one has.
type Unit struct {
	Kind string // minutes, days, months, metres or grams
	Of   float64
}

// units are those that words stand for, in the languages of the stemmers and some beside.
var units = map[string]Unit{}

func init() {
	for kind, words := range map[string]map[float64]string{
		"minutes": {1: "minute minutes min mins minuten minuto minutos minuti minuut", 60: "hour hours hr hrs stunde stunden heure heures hora horas ora ore uur"},
		"days":    {1: "day days tag tage tagen jour jours día días dia dias giorno giorni dag dagen", 7: "week weeks woche wochen semaine semaines semana semanas settimana settimane weken"},
		"months":  {1: "month months monat monate monaten mois mes meses mese mesi maand maanden", 12: "year years yr yrs jahr jahre jahren an ans année années año años anno anni jaar"},
		"metres":  {1: "metre metres meter meters m", 0.01: "cm centimetre centimetres", 1000: "km kilometre kilometres kilometer kilometers", 1609: "mile miles"},
		"grams":   {1000: "kg kgs kilo kilos kilogram kilograms", 1: "g gram grams"},
	} {
		for of, list := range words {
			for _, word := range strings.Fields(list) {
				units[word] = Unit{kind, of}
			}
		}
	}
}

// UnitOf returns the unit that a word in small letters stands for, false for other words.
func UnitOf(word string) (Unit, bool) {
	u, ok := units[word]
	return u, ok
}
