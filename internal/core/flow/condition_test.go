package flow

import "testing"

// Conditions are said as people would, and what has no words stands as it is written.
func TestConditionsAreSaidInWords(t *testing.T) {
	for condition, words := range map[string]string{
		"!replied":                               "not replied",
		"replied && stay.contains('over night')": "replied and stay contains “over night”",
		"event.reason == 'anger && doubt' && complaints > 3": "event.reason is “anger && doubt” and complaints is more than 3",
		"party_size >= 8 && party_size <= 400":               "party_size is from 8 to 400",
		"party_size >= 8 && people <= 400":                   "party_size is at least 8 and people is at most 400",
		"day >= now - duration('24h')":                       "day is not before 1 day ago",
		"now > visit + duration('90m')":                      "now is after 1 hour and 30 minutes after visit",
		"contact.phone.hasValue()":                           "contact.phone is known",
		"contact.name.orValue('') == ''":                     "contact.name is empty",
		"contact.stage in ['lead', 'enquiry']":               "contact.stage is “lead” or “enquiry”",
		"tag in contact.tags":                                "tag is in contact.tags",
		"(a || b) && !(c || d) && big == true":               "(a or b) and not (c or d) and big",
		"(a && b) == false":                                  "(a and b) is no",
		"double(item['People']) > 60":                        "“People” of item is more than 60",
		"size(items) > 0":                                    "the length of items is more than 0",
		"items.exists(i, i.price > 2.5)":                     "items.exists(i, i.price > 2.5)",
		"a ? b : c":                                          "a ? b : c",
		"people  %":                                          "people %",
	} {
		if said := InWords(condition); said != words {
			t.Errorf("%s is said as %q, not %q", condition, said, words)
		}
	}
}
