package text

import "testing"

func TestAFeastIsNamedByItsDate(t *testing.T) {
	for _, c := range []struct {
		asked, said string
		dated       bool
	}{
		{"are you open on christmas day?", "We are closed to visitors on 25 December and 1 January.", true},
		{"are you open on christmas day?", "Closed from the 23rd of December to the 2nd of January.", true},
		{"open over christmas?", "High season is July, August and from 18 December to 3 January.", true},
		{"are you open on Boxing Day?", "Closed December 24 to 27.", true},
		{"are you open on boxing day?", "We are closed on 25 December and 1 January.", false},
		{"are you open on christmas day?", "Closed on the 24th and 26th of December.", false},
		{"are you open on boxing day?", "Closed on the 24th and 26th of December.", true},
		{"open on new year’s eve?", "Between 28 December and 4 January nobody answers the telephone.", true},
		{"new year's day hours", "The office rests on 1 Jan.", true},
		{"Is it open at Christmas?", "The fair runs from 3 May to 9 May.", false},
		{"Is it open at Christmas?", "Order number 25, December issue.", false},
		{"what about halloween", "On 31 October there is no sailing.", true},
	} {
		feasts := Feasts(c.asked)
		if len(feasts) != 1 {
			t.Fatalf("%q names %d feasts", c.asked, len(feasts))
		}
		if got := feasts[0].Dates(c.said); got != c.dated {
			t.Errorf("%q by %q: %v", c.asked, c.said, got)
		}
	}
	if found := Feasts("do you open at easter, or on the 25th?"); len(found) != 0 {
		t.Errorf("feasts without a fixed date: %v", found)
	}
}
