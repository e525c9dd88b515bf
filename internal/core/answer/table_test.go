package answer

import (
	"slices"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/core/knowledge"
)

// Of a table the cells are said that were asked for: rows that the question names, in the
// columns that it names.
func TestOfATableIsSaidWhatWasAsked(t *testing.T) {
	f := finder(t, knowledge.Document{Sections: []knowledge.Section{
		{Trail: []string{"Laundry", "Prices"}, Text: "Shirt: Washed £3.20; Pressed £2.10; Both £4.50.\nSuit, two pieces: Washed £9; Pressed £5.50; Both £13.\nSuit, three pieces: Washed £11; Pressed £7; Both £16.\nTie: Washed free; Pressed free; Both free."},
		{Trail: []string{"Laundry", "When we are there"}, Text: "Monday: Opens 8:00; Closes 18:00.\nSaturday: Opens 9:30; Closes 13:00."},
		{Trail: []string{"Laundry", "Delivery"}, Text: "Town: £2 a bag.\nVillages: £4 a bag."},
	}}.Passages())
	areAnswered(t, f, plainly, map[string]string{
		"how much to have a shirt pressed?":                   "Shirt, Pressed: £2.10.",
		"when do you close on Saturday?":                      "Saturday, Closes: 13:00.",
		"what does it cost to get a three pieces suit washed": "Suit, three pieces, Washed: £11.",
		"what does a suit cost, pressed?":                     "Pressed: Suit, two pieces £5.50; Suit, three pieces £7.",
		"what is the price of a tie?":                         "Tie: Washed free; Pressed free; Both free.",
		"how much is a suit?":                                 "Suit, two pieces: Washed £9; Pressed £5.50; Both £13.\nSuit, three pieces: Washed £11; Pressed £7; Both £16.",
		"what are your prices for things that are pressed?":   "Pressed: Shirt £2.10; Suit, two pieces £5.50; Suit, three pieces £7; Tie free.",
		"what is delivery to the villages?":                   "Villages: £4 a bag.",
	})
	c := f.Find(t.Context(), Part{Text: "how much to have a shirt pressed?", Kind: Question}, "").Candidates[0]
	if got := c.Text[c.Quote.Start:c.Quote.End]; got != "Shirt: Washed £3.20; Pressed £2.10; Both £4.50." {
		t.Errorf("it stands on %q", got)
	}
}

// areAnswered checks what the first that is found says to questions.
func areAnswered(t *testing.T, f Finder, read func(asked string) Part, wanted map[string]string) {
	t.Helper()
	for asked, want := range wanted {
		found := f.Find(t.Context(), read(asked), "")
		if len(found.Candidates) == 0 || found.Candidates[0].Words(0) != want {
			t.Errorf("%q:\n got %q\nwant %q", asked, found.Candidates[0].Words(0), want)
		}
	}
}

// plainly reads a question as it stands.
func plainly(asked string) Part { return Part{Text: asked, Kind: Question} }

// An age lies in the ranges that rows name, as other numbers do in those of what they count;
// a number is nobody's age, and an age no size.
func TestNumbersLieInRanges(t *testing.T) {
	f := finder(t, knowledge.Document{Sections: []knowledge.Section{
		{Trail: []string{"Trampolines", "Prices"}, Text: "Adult: Hour £9; Day £16; Ten hours £70.\nChild 5 to 13: Hour £6; Day £11; Ten hours £45.\nUnder 5: Hour £3; Day £5; Ten hours £20.\nSenior, over 65: Hour £7; Day £12; Ten hours £55."},
		{Trail: []string{"Trampolines", "Socks"}, Text: "Socks with grips are sold at the desk in sizes 23 to 47 for £2."},
		{Trail: []string{"Trampolines", "Parties"}, Text: "Parties are for 6 to 14 guests and last two hours."},
		{Trail: []string{"Trampolines", "Opening times"}, Text: "The hall is open from 9 until 19 every day."},
	}}.Passages())
	areAnswered(t, f, Whole, map[string]string{
		"how much for my 12 year old?":             "Child 5 to 13: Hour £6; Day £11; Ten hours £45.",
		"what does an hour cost for a 4-year-old?": "Under 5, Hour: £3.",
		"I'm 70, what do I pay for a day?":         "Senior, over 65, Day: £12.",
		"he's 13. what is the price for him?":      "Child 5 to 13: Hour £6; Day £11; Ten hours £45.",
		"what are ten hours for my 3 year old?":    "Under 5, Ten hours: £20.",
		"do you have socks in size 45?":            "Socks with grips are sold at the desk in sizes 23 to 47 for £2.",
		"can we have a party with 12 guests?":      "Parties are for 6 to 14 guests and last two hours.",
	})
	for asked, wanted := range map[string]bool{ // is the number held by what comes first?
		"is there a party for 12 guests?": true, "is there a party for 20 guests?": false,
		"are there socks in size 45?": true, "are there socks in size 50?": false,
	} {
		c := f.Find(t.Context(), Whole(asked), "").Candidates[0]
		if held := !slices.ContainsFunc(c.Missing, func(word string) bool { return word[0] >= '0' && word[0] <= '9' }); held != wanted {
			t.Errorf("%q: %q lacks %q", asked, c.Text, c.Missing)
		}
	}
}

// What measures something else is another number; what is told around a question picks the row;
// who asks for a number is given it alone; a feast is what holds its date.
func TestWhatIsMeasuredDatedOrExact(t *testing.T) {
	f := finder(t, knowledge.Document{Sections: []knowledge.Section{
		{Trail: []string{"Moorings", "Fees a night"}, Text: "Small boat (up to 8 m): Summer 14; Winter 9.\nMedium boat (8 to 12 m): Summer 19; Winter 12.\nLarge boat (over 12 m): Summer 27; Winter 17."},
		{Trail: []string{"Moorings", "Reach us"}, Text: "Bus number 8 stops at the gate. Telephone 01632 960 171, every day until eight. The gate has a bell."},
		{Trail: []string{"Moorings", "Closed days"}, Text: "The office is closed on 25 and 26 December. The gate opens with your card on every day."},
	}}.Passages())
	areAnswered(t, f, Whole, map[string]string{
		"what would a berth cost for 8 nights? my boat is 15 metres.": "Fees a night:\nLarge boat (over 12 m): Summer 27; Winter 17.",
		"whats your number":                      "Telephone 01632 960 171, every day until eight.",
		"is the office open on christmas day":    "The office is closed on 25 and 26 December.",
		"what is the fee for a boat of 9 metres": "Fees a night:\nMedium boat (8 to 12 m): Summer 19; Winter 12.",
	})
}

// Who asks for nothing but a row, or the price of all, is told that, whatever else speaks of what
// something costs; and what names a code is answered by what is said of that.
func TestARowAPriceOrACodeIsAskedFor(t *testing.T) {
	f := finder(t, knowledge.Document{Sections: []knowledge.Section{
		{Trail: []string{"Ledger", "Paying by card"}, Text: "Card payments by your customers need the Gull plan and cost 1.4 % and 20p each."},
		{Trail: []string{"Ledger", "Plans"}, Text: "Wren: Price a month £0; Users 1.\nHeron: Price a month £9; Users 2.\nGull: Price a month £24; Users 10."},
		{Trail: []string{"Ledger", "Importing customers"}, Text: "Customers can be imported from CSV files of up to 5,000 rows. Choose the file and match its columns."},
		{Trail: []string{"Ledger", "When it stops"}, Text: "E01: Meaning No signal; What to do Move closer.\nE02: Meaning No reply from the printer; What to do Check its cable.\nE09: Meaning Update failed; What to do Try again."},
		{Trail: []string{"Ledger", "Known limits"}, Text: "It keeps no stock. Bank files in the MT940 format cannot be read."},
	}}.Passages())
	areAnswered(t, f, plainly, map[string]string{
		"what does Gull cost?":             "Gull, Price a month: £24.",
		"how much is it?":                  "Price a month: Wren £0; Heron £9; Gull £24.",
		"what do card payments cost?":      "Card payments by your customers need the Gull plan and cost 1.4 % and 20p each.",
		"can i import a file in mt940?":    "Bank files in the MT940 format cannot be read.",
		"can i import customers from csv?": "Customers can be imported from CSV files of up to 5,000 rows.",
	})
	for asked, surely := range map[string]bool{"error E01 keeps coming up, what now?": true, "the printer doesn't come on, code E02": true, "error E07 keeps coming up": false} {
		first := f.Find(t.Context(), Part{Text: asked, Kind: Question}, "").Candidates[0]
		if code := strings.Fields(asked[strings.Index(asked, "E0"):])[0]; (first.Confidence >= ofCode) != surely || surely && !strings.HasPrefix(first.Words(0), code) {
			t.Errorf("%q: %q with %.2f", asked, first.Words(0), first.Confidence)
		}
	}
}

// What costs least or most is a row, or an item, of what tells the prices of several; and a price is
// said with what it is for, where only the heading says that.
func TestTheCheapestIsAskedFor(t *testing.T) {
	f := finder(t, knowledge.Document{Sections: []knowledge.Section{
		{Trail: []string{"Saunas", "Rooms an hour"}, Text: "Birch room: Morning £22; Evening £30.\nCedar room: Morning £14; Evening £19.\nLake hut: Morning £45; Evening £60."},
		{Trail: []string{"Saunas", "Things per day"}, Text: "- Bathrobe (up to 1.7 m): £5\n- Bathrobe (over 1.7 m): £6\n- Towel: £2\n- Locker with a key: £1.50"},
		{Trail: []string{"Saunas", "The Cedar room"}, Text: "The Cedar room is the smallest room and has seats for four."},
	}}.Passages())
	areAnswered(t, f, plainly, map[string]string{
		"which is your cheapest room?":               "Rooms an hour:\nCedar room: Morning £14; Evening £19.",
		"what's the most expensive room":             "Rooms an hour:\nLake hut: Morning £45; Evening £60.",
		"how much is the lake hut in the evening?":   "Rooms an hour:\nLake hut, Evening: £60.",
		"what does a bathrobe cost, I am 1.9 m?":     "Things per day:\n- Bathrobe (up to 1.7 m): £5\n- Bathrobe (over 1.7 m): £6",
		"how much is a locker with a key for my son": "Things per day:\nLocker with a key: £1.50",
		"how much is a towel?":                       "Things per day:\nTowel: £2",
	})
	if c := f.Find(t.Context(), Part{Text: "what is the cheapest seat?", Kind: Question}, "").Candidates[0]; !c.tellsPrices() && c.Confidence > doubted {
		t.Errorf("the cheapest seat is answered by %q, with %.2f", c.Words(0), c.Confidence)
	}
}

// Of a list of prices the item is said in whose range a number lies, or that alone holds several of
// the things that are asked about.
func TestTheItemThatHoldsMoreIsSaid(t *testing.T) {
	f := finder(t, knowledge.Document{Sections: []knowledge.Section{
		{Trail: []string{"Storage", "Prices"}, Text: "- Small unit (up to 40 boxes): £31\n- Medium unit (41 to 90 boxes): £52\n- Large unit (over 90 boxes): £78\n- Second key: £4"},
		{Trail: []string{"Storage", "Getting in"}, Text: "The gate opens from 6 until 22. There is no night watchman."},
	}}.Passages())
	areAnswered(t, f, plainly, map[string]string{
		"how much would you charge for 60 boxes of books?":    "Medium unit (41 to 90 boxes): £52",
		"what does a large unit cost me until the new house?": "Large unit (over 90 boxes): £78",
		"how much is a unit?":                                 "- Small unit (up to 40 boxes): £31\n- Medium unit (41 to 90 boxes): £52\n- Large unit (over 90 boxes): £78",
	})
}

// A day of the week lies in the range that a text names, or is named short; today is one. What the
// question names is looked for below its heading; of lines the one for that day is said, or the one
// with what is exactly asked for.
func TestDaysOfTheWeekAreHeld(t *testing.T) {
	f := finder(t, knowledge.Document{Sections: []knowledge.Section{
		{Trail: []string{"Our yards", "Tidewick"}, Text: "- 4 Mole Road, Tidewick\n- Phone 01632 960 113\n- Mon-Fri 8:00-17:00\n- Sat 8:00-12:30"},
		{Trail: []string{"Our yards", "Upper Sallow"}, Text: "- 19 Weir Street, Upper Sallow\n- Phone 01632 960 114\n- Tue-Sat 9:00-16:00\n- Closed Sunday and Monday\n\nBoth yards take glass. Only Tidewick takes paint."},
		{Trail: []string{"Our yards", "The shop"}, Text: "Monday, Thursday: Opens 10:00; Closes 15:00.\nSaturday: Opens 9:00; Closes 13:00.\nSunday: Opens 11:00; Closes 14:00."},
	}}.Passages())
	f.Scope.Now = time.Date(2026, 11, 28, 10, 0, 0, 0, time.UTC) // a Saturday
	areAnswered(t, f, plainly, map[string]string{
		"what time do you close on Saturday in Tidewick": "Sat 8:00-12:30",
		"are you open mondays in upper sallow?":          "Closed Sunday and Monday",
		"when is upper sallow open on a thursday":        "Tue-Sat 9:00-16:00",
		"what's the phone number of the Tidewick yard?":  "Phone 01632 960 113",
		"is the shop open today?":                        "Saturday: Opens 9:00; Closes 13:00.",
		"is the shop open tomorrow?":                     "Sunday: Opens 11:00; Closes 14:00.",
	})
	f.Scope.Now = f.Scope.Now.AddDate(0, 0, 2)
	areAnswered(t, f, plainly, map[string]string{"is the shop open today?": "Monday, Thursday: Opens 10:00; Closes 15:00."})
}
