package workspace

import (
	"strings"
	"testing"
)

// Which messages deserve an answer is told by sender, subject, words and what they are about,
// and the others are told why not.
func TestWhatDeservesAnAnswer(t *testing.T) {
	like := func(said string, examples []string) float64 { // as like as they share their first word
		for _, e := range examples {
			if strings.EqualFold(strings.Fields(e + " x")[0], strings.Fields(said + " y")[0]) {
				return 0.9
			}
		}
		return 0.1
	}
	shop := Letter{From: "The Shop <news@shop.example>", Subject: "Spring OFFER", Text: "Look at this. Buy it now."}
	ada := Letter{From: "Ada <ada@example.org>", Subject: "Dogs", Text: "Good morning. Refund me my ticket."}
	for _, c := range []struct {
		about       string
		filter      Filter
		shop, adaIs string // what is said of each
	}{
		{"no filter", Filter{}, "", ""},
		{"never of a sender", Filter{Never: []Case{{From: []string{"@shop.example"}}}}, `never answers what comes from "@shop.example"`, ""},
		{"never of a subject, whatever its letters", Filter{Never: []Case{{Subject: []string{"offer", "sale"}}}}, `has in its subject "offer" or "sale"`, ""},
		{"all of a case must fit", Filter{Never: []Case{{From: []string{"ada"}, Subject: []string{"offer"}}}}, "", ""},
		{"only what is about something", Filter{Only: []Case{{About: []string{"Refund please"}}}}, `only answers what says something like "Refund please"`, ""},
		{"one of several is enough", Filter{Only: []Case{{Text: []string{"boat"}}, {Subject: []string{"dogs"}}}}, `has in its text "boat", or what has in its subject "dogs"`, ""},
		{"never goes before only", Filter{Only: []Case{{Subject: []string{"dogs"}}}, Never: []Case{{From: []string{"example.org"}}}}, "only answers", "never answers"},
	} {
		for who, l := range map[string]Letter{"the shop": shop, "Ada": ada} {
			want := c.adaIs
			if who == "the shop" {
				want = c.shop
			}
			if got := c.filter.Silent(l, like); want == "" && got != "" || !strings.Contains(got, want) {
				t.Errorf("%s: of %s is said %q, want %q", c.about, who, got, want)
			}
		}
	}
}
