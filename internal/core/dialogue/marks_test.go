package dialogue_test

import (
	_ "embed"
	"slices"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/flow"
)

//go:embed testdata/marks.txt
var sayings string

var marks = []bot.Mark{
	{Tag: "complaint", On: "conversation", About: "complains", When: []string{"I want to complain.", "Your staff was unfriendly to us.", "I am very unhappy with your service.", "We waited for hours and nobody told us why."}},
	{Tag: "family", About: "travels with children", When: []string{"We are coming with our children.", "My son is four, does he need a ticket?", "Can I bring a pushchair?", "I am travelling with a baby."}},
	{Stage: "booked", About: "has booked", When: []string{"I have booked.", "We have paid for our tickets.", "I bought the tickets online.", "The reservation is made."}},
}

// Customers are marked as a clerk would mark them, by words that the brief does not have; of
// what is said otherwise hardly anything marks them.
func TestWhatCustomersSayMarksThem(t *testing.T) {
	s := frontDesk(t)
	s.Brief.Marks = marks
	right, all, wrong, others := [2]int{}, [2]int{}, [2]int{}, [2]int{}
	n := 0
	for line := range strings.Lines(sayings) {
		mark, said, is := strings.Cut(strings.TrimSpace(line), ": ")
		if !is || strings.HasPrefix(line, "#") {
			continue
		}
		held := 0
		if n++; n%3 == 0 {
			held = 1
		}
		s.Messages = []dialogue.Incoming{{ID: "1", Text: said}}
		given := dialogue.Decide(t.Context(), s).State.Marked
		if mark != "-" {
			all[held]++
			if slices.ContainsFunc(given, func(g string) bool { return strings.HasSuffix(g, " "+mark) }) {
				right[held]++
				given = slices.DeleteFunc(given, func(g string) bool { return strings.HasSuffix(g, " "+mark) })
			} else {
				t.Logf("%q is not marked as %s", said, mark)
			}
		}
		others[held]++
		if len(given) > 0 {
			wrong[held]++
			t.Logf("%q is marked as %v", said, given)
		}
	}
	t.Logf("marked rightly: %v of %v; wrongly: %v of %v (those held back second)", right, all, wrong, others)
	if right[0]+right[1] < 22 || wrong[0]+wrong[1] > 5 {
		t.Errorf("%d of %d are marked rightly, %d of %d wrongly", right[0]+right[1], all[0]+all[1], wrong[0]+wrong[1], others[0]+others[1])
	}
}

// A mark is given once, is the conversation's or the contact's as the brief says, and none is
// given that the brief does not grant, nor while people lead or no bots may write.
func TestMarksAreGivenOnceAndOnlyWhereGranted(t *testing.T) {
	s := frontDesk(t)
	says := func(words string) dialogue.Decision {
		s.Messages = []dialogue.Incoming{{ID: "1", Text: words}}
		return dialogue.Decide(t.Context(), s)
	}
	if d := says("I want to complain."); len(find[flow.Tag](d)) > 0 {
		t.Errorf("a bot that may not tag does: %+v", d.Effects)
	}
	s.Brief.Marks = marks
	d := says("I want to complain. We have paid for our tickets.")
	tags, stages := find[flow.Tag](d), find[flow.Stand](d)
	if len(tags) != 1 || tags[0] != (flow.Tag{Tag: "complaint", OnTalk: true}) || len(stages) != 1 || stages[0].Stage != "booked" {
		t.Errorf("given: %+v", d.Effects)
	}
	if len(d.Trace.Marked) != 2 {
		t.Errorf("the trace says %v", d.Trace.Marked)
	}
	s.State = d.State
	if d := says("I want to complain."); len(find[flow.Tag](d)) > 0 {
		t.Error("the same mark is given twice")
	}
	s.State = dialogue.State{Lead: dialogue.LedByPerson}
	if d := says("I want to complain."); len(find[flow.Tag](d)) > 0 {
		t.Error("a bot tags while a person leads")
	}
	s.State, s.NoBots = dialogue.State{Lead: dialogue.LedByBot}, true
	if d := says("I want to complain."); len(find[flow.Tag](d)) > 0 {
		t.Error("a bot tags where no bots may write")
	}
}
