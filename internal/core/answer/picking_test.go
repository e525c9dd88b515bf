package answer

import (
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/core/knowledge"
)

// tailor is a shop whose prices are a list, whose headings name several things, and whose hours
// have a line a day.
var tailor = knowledge.Document{Sections: []knowledge.Section{
	{Trail: []string{"Thimble Lane", "Prices"}, Text: "- Zip, trousers: £12\n- Zip, coat: £24\n- Hem, trousers: £9\n- Hem, curtains: from £15 a metre\n- Lining, coat: £48\n- Taking in a dress: £30, more for silk\n- Leather patch: £7"},
	{Trail: []string{"Thimble Lane", "How long does it take?"}, Text: "Most zips and hems are done by the next day. A lining takes a week. In May, when everybody marries, add three days."},
	{Trail: []string{"Thimble Lane", "Ordering and cancelling"}, Text: "Come in with the piece, or describe it by e-mail. We ask for a fifth of the price as a deposit. Cancel before we have cut the cloth, and you get it back; after that we keep it."},
	{Trail: []string{"Thimble Lane", "Hours"}, Text: "- Tue-Fri 9.00-17.30\n- Sat 9.00-13.00\n- Closed Sundays and Mondays"},
	{Trail: []string{"Thimble Lane", "Fittings"}, Text: "On Saturdays it is busy, and a fitting has to be booked. Bring the shoes that you will wear."},
	{Trail: []string{"Thimble Lane", "Notice"}, Text: "A wedding dress needs six weeks' notice. Other dresses need ten days."},
	{Trail: []string{"Thimble Lane", "Bringing it"}, Text: "Pieces can be dropped off in the box by the door at any hour, and picked up while we are open."},
}}

// Of a list of prices those are said that hold the most of what is asked about, whatever else the
// customer tells; all of them where none does.
func TestThePricesThatAreAskedForAreSaid(t *testing.T) {
	f := finder(t, tailor.Passages())
	areAnswered(t, f, plainly, map[string]string{
		"how much is a new zip":                     "- Zip, trousers: £12\n- Zip, coat: £24",
		"what do you charge for a leather patch":    "Leather patch: £7",
		"how much to hem curtains?":                 "Hem, curtains: from £15 a metre",
		"the lining of my coat is torn, how much":   "Lining, coat: £48",
		"what would it cost to take in a dress":     "Taking in a dress: £30, more for silk",
		"what are your prices?":                     strings.TrimSpace(tailor.Sections[0].Text),
		"how much notice do you need for a wedding": "A wedding dress needs six weeks' notice.",
	})
}

// Where a price is asked for, what tells one goes before what is only about the same, and what tells
// none does not make the other less likely.
func TestAPriceGoesFirstWhereItIsAskedFor(t *testing.T) {
	f := finder(t, tailor.Passages())
	for asked, want := range map[string]string{"how much to do a zip": "Prices", "how long does a zip take": "How long does it take?"} {
		found := f.Find(t.Context(), Whole(asked), "")
		if first := found.Candidates[0]; first.Trail[1] != want {
			t.Errorf("%q: %q is first, then %q", asked, first.Trail, found.Candidates[1].Trail)
		}
		if found.Likely < likelyHeading {
			t.Errorf("%q: that it is among the first three is likely with %.2f", asked, found.Likely)
		}
	}
	for asked, isPrice := range map[string]bool{"how much?": true, "a zip, how much": true, "how much to mend it?": true, "how much extra is silk": true, "how much notice?": false, "how much time": false, "how much cloth do I bring": false} {
		if fact, _ := factWanted(asked); (fact == money) != isPrice {
			t.Errorf("%q asks for a price: %v", asked, !isPrice)
		}
	}
}

// Below a heading that names several things the answer need not come first.
func TestBelowAHeadingOfSeveralThings(t *testing.T) {
	f := finder(t, tailor.Passages())
	areAnswered(t, f, plainly, map[string]string{"how can i cancel": "Cancel before we have cut the cloth, and you get it back; after that we keep it."})
}

// A line for the day that is asked about is trusted, if nothing else holds all that was asked.
func TestTheLineForADayIsTrusted(t *testing.T) {
	f := finder(t, tailor.Passages())
	f.Scope.Now = time.Date(2026, 11, 28, 10, 0, 0, 0, time.UTC) // a Saturday
	for asked, want := range map[string]string{"what time do you close saturday": "Sat 9.00-13.00", "when do you close today": "Sat 9.00-13.00", "when do you open on thursdays": "Tue-Fri 9.00-17.30"} {
		first := f.Find(t.Context(), Whole(asked), "").Candidates[0]
		if first.Words(0) != want || first.Confidence < namedDay {
			t.Errorf("%q is answered by %q with %.2f", asked, first.Words(0), first.Confidence)
		}
	}
	if first := f.Find(t.Context(), Whole("what time do you open for alpacas on saturday"), "").Candidates[0]; first.Confidence >= namedDay {
		t.Errorf("alpacas are let in on Saturday with %.2f: %q", first.Confidence, first.Words(0))
	}
}

// What holds of one day of the year is not said of others, nor one day of the week of another, though
// a line that names others says something of it. Of what has a place and what has none both are said.
func TestWhatHoldsOfOneDayIsNotSaidOfOthers(t *testing.T) {
	f := finder(t, knowledge.Document{Sections: []knowledge.Section{
		{Trail: []string{"Mill", "Opening times"}, Text: "- May to August\n- Wednesday to Sunday, 10.00 to 17.00\n- September to April\n- Saturday and Sunday, 11.00 to 15.00\n\nLast grinding an hour before closing. Open on Easter Monday."},
		{Trail: []string{"Mill", "Things you carry"}, Text: "Coats and bags larger than a loaf go on the hooks. There is no place for trunks. Umbrellas are lent at the door."},
		{Trail: []string{"Mill", "Parties"}, Text: "Children bake bread on their birthday, £95 for eight, Saturdays only. The barn can be hired for weddings."},
		{Trail: []string{"Mill", "In the yard"}, Text: "Aprons can be hired for £1. The pump is for washing hands. Barrows stay in the shed. Blessings of the dough are given by Mother Oda, by appointment."},
	}}.Passages())
	hours := "- May to August\n- Wednesday to Sunday, 10.00 to 17.00\n- September to April\n- Saturday and Sunday, 11.00 to 15.00"
	areAnswered(t, f, plainly, map[string]string{
		"when are you open":                             hours,
		"are you open on mondays":                       hours,
		"are you open on easter monday?":                "Open on Easter Monday.",
		"can we have a birthday on a sunday":            "Children bake bread on their birthday, £95 for eight, Saturdays only.",
		"can i get a blessing":                          "Blessings of the dough are given by Mother Oda, by appointment.",
		"is there somewhere to put my bags and a trunk": "Coats and bags larger than a loaf go on the hooks. There is no place for trunks.",
	})
}

// An age is one before a question too.
func TestAnAgeIsSaidBeforeAQuestion(t *testing.T) {
	f := finder(t, knowledge.Document{Sections: []knowledge.Section{
		{Trail: []string{"Mill", "Tickets"}, Text: "- Adults £6\n- Seniors (over 65) £4\n- Children 5 to 15 £3\n- Under 5 free"},
		{Trail: []string{"Mill", "Opening times"}, Text: "The mill is open from ten until five."},
	}}.Passages())
	areAnswered(t, f, plainly, map[string]string{
		"my mum is 71 what does she pay for a ticket": "Seniors (over 65) £4",
		"im 67 do i get a cheaper ticket":             "Seniors (over 65) £4",
		"my son is 4 does he need a ticket":           "Under 5 free",
	})
}

// A verb and its particle may be written as one word, by the customer only.
func TestAParticleMayBeWrittenWithItsVerb(t *testing.T) {
	f := finder(t, tailor.Passages())
	for asked, want := range map[string]string{"is there a dropoff?": "drop", "pickups": "pick", "carton": "", "begin": "", "cabin": ""} {
		q := understand(f.Index, asked)
		holds := false
		for _, term := range q.terms {
			for _, a := range term.want {
				holds = holds || a.Stem == want
			}
		}
		if want != "" && !holds {
			t.Errorf("%q does not look for %q: %+v", asked, want, q.terms)
		}
	}
	cabs := knowledge.Document{Sections: []knowledge.Section{{Trail: []string{"Cabs"}, Text: "A cab to the station is £9."}}}
	if found := finder(t, cabs.Passages()).Find(t.Context(), Whole("how much is a cabin"), ""); len(found.Candidates) > 0 && found.Candidates[0].Confidence > doubted {
		t.Errorf("a cabin costs %q", found.Candidates[0].Words(0))
	}
	if first := f.Find(t.Context(), Whole("do you have a dropoff?"), "").Candidates[0]; first.Trail[1] != "Bringing it" {
		t.Errorf("a drop-off is found in %q", first.Trail)
	}
}
