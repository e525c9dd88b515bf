package learn

import (
	"strings"
	"testing"
	"urgentparrot.example/internal/core/contact"
)

var ada = Customer{
	Fields: contact.Standard(),
	Memory: contact.Memory{"name": {Value: "Ada Example"}, "email": {Value: "ada@example.org"}, "phone": {Value: "+447700900123"}},
	Region: "GB", Said: "I'm Ada, ada@example.org. do you run on Christmas Day?",
}

func TestALessonIsInGeneralWords(t *testing.T) {
	for _, c := range []struct{ asked, general string }{
		{"do you run on Christmas Day?", "Do you run on Christmas Day?"},
		{"Hi there, can you tell me if you sail at Easter", "You sail at Easter?"},
		{"I'm Ada, ada@example.org. is there a night boat", "Is there a night boat?"},
		{"Hello!", ""},
	} {
		if got := Question(c.asked, ada); got != c.general {
			t.Errorf("%q: general %q, want %q", c.asked, got, c.general)
		}
	}
	for _, c := range []struct{ reply, holds string }{
		{"Hi Ada,\n\nno boats run on 25 December. From the 27th all is as usual.\n\nKind regards\nRobin", "No boats run on 25 December. From the 27th all is as usual."},
		{"Sorry to keep you waiting! We do not sail at Christmas, Ada. I have sent the times to ada@example.org. Your booking 48213 stays good.", "We do not sail at Christmas."},
		{"Dear Ada Example, the kiosk opens at 8. Call the harbour on 01632 960001 if it is shut.", "The kiosk opens at 8. Call the harbour on 01632 960001 if it is shut."},
		{"Thanks Ada!", ""},
	} {
		got := Answer(c.reply, ada)
		if got != c.holds {
			t.Errorf("%q: general %q, want %q", c.reply, got, c.holds)
		}
		if strings.Contains(got, "Ada") || strings.Contains(got, "48213") {
			t.Errorf("%q still holds the customer's details", got)
		}
	}
}

func TestAnswersAreComparedBeforeTheyStandSideBySide(t *testing.T) {
	for _, c := range []struct {
		a, b string
		is   Relation
	}{
		{"Dogs travel free.", "dogs travel  free.", Same},
		{"Dogs cost £2.", "Dogs cost £3.", Differs},
		{"We sail at Easter.", "We do not sail at Easter.", Differs},
		{"Dogs travel free.", "Dogs stay on the open deck.", Completes},
	} {
		if got := Compare(c.a, c.b); got != c.is {
			t.Errorf("%q and %q: %s, want %s", c.a, c.b, got, c.is)
		}
	}
	if got := Join("Dogs travel free.", "Dogs travel free. Keep them on a lead."); got != "Dogs travel free. Keep them on a lead." {
		t.Errorf("joined: %q", got)
	}
}
