package answer

import (
	"testing"

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
	for asked, want := range map[string]string{
		"how much to have a shirt pressed?":                   "Shirt, Pressed: £2.10.",
		"when do you close on Saturday?":                      "Saturday, Closes: 13:00.",
		"what does it cost to get a three pieces suit washed": "Suit, three pieces, Washed: £11.",
		"what does a suit cost, pressed?":                     "Pressed: Suit, two pieces £5.50; Suit, three pieces £7.",
		"what is the price of a tie?":                         "Tie: Washed free; Pressed free; Both free.",
		"how much is a suit?":                                 "Suit, two pieces: Washed £9; Pressed £5.50; Both £13.\nSuit, three pieces: Washed £11; Pressed £7; Both £16.",
		"what are your prices for things that are pressed?":   "Pressed: Shirt £2.10; Suit, two pieces £5.50; Suit, three pieces £7; Tie free.",
		"what is delivery to the villages?":                   "Villages: £4 a bag.",
	} {
		found := f.Find(t.Context(), Part{Text: asked, Kind: Question}, "")
		if len(found.Candidates) == 0 || found.Candidates[0].Words(0) != want {
			t.Errorf("%q:\n got %q\nwant %q", asked, found.Candidates[0].Words(0), want)
		}
	}
	c := f.Find(t.Context(), Part{Text: "how much to have a shirt pressed?", Kind: Question}, "").Candidates[0]
	if got := c.Text[c.Quote.Start:c.Quote.End]; got != "Shirt: Washed £3.20; Pressed £2.10; Both £4.50." {
		t.Errorf("it stands on %q", got)
	}
}
