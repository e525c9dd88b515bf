package dialogue_test

import (
	"strings"
	"testing"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/message"
)

// permits is a front desk that answers nothing by itself, and offers what it finds: its
// knowledge has two passages that may be meant, and one that is alone.
func permits(t *testing.T) dialogue.Snapshot {
	t.Helper()
	s := frontDesk(t)
	s.Tools = nil
	s.Brief.Threshold, s.Brief.OfferThreshold = 0.999, 0.001
	passages := []knowledge.Passage{
		{ID: "1", Source: "a.md", Trail: []string{"Season ticket for the ferry"}, Text: "The permit is issued at the ticket office and costs £310."},
		{ID: "2", Source: "a.md", Trail: []string{"Parking at the pier"}, Text: "The permit is issued at the harbour office and costs £60."},
		{ID: "3", Source: "a.md", Trail: []string{"Birds"}, Text: "Terns nest on the cliffs from April."},
	}
	s.Finder = found(t, s, passages)
	return s
}

// aloneBirds has but one passage.
func aloneBirds(t *testing.T) dialogue.Snapshot {
	s := permits(t)
	s.Finder = found(t, s, []knowledge.Passage{{ID: "3", Source: "a.md", Trail: []string{"Birds"}, Text: "Terns nest on the cliffs from April."}})
	return s
}

// What is not known well enough is offered as what it is, with the way to a person; it is a
// gap until the customer says that it was meant.
func TestWhatMayBeMeantIsOfferedAndSettled(t *testing.T) {
	const asked = "when do the terns nest?"
	for _, c := range []struct {
		says       string
		wants      []string
		escalates  bool
		right, how string // the example that is kept
	}{
		{"yes", []string{"anything else"}, false, "true", "yes"},
		{"Yes, that's it, thanks!", []string{"anything else"}, false, "true", "yes"},
		{"no", []string{"asked the crew"}, true, "false", "no"},
		{"nope, not that", []string{"asked the crew"}, true, "false", "no"},
		{"No, that's not what I meant", []string{"asked the crew"}, true, "false", "no"},
		{"that's not it", []string{"asked the crew"}, true, "false", "no"},
	} {
		s := aloneBirds(t)
		d, reply := talk(t, s, dialogue.Result{}, asked)
		if !strings.Contains(reply, "not sure") || !strings.Contains(reply, "Terns nest on the cliffs from April.") || !strings.Contains(reply, "If that is not it, tell me, and I ask the crew.") ||
			d.Trace.Code != dialogue.CodeOffered || len(find[dialogue.Missed](d)) != 1 || len(find[dialogue.Escalate](d)) != 0 {
			t.Fatalf("it replies %q: %+v", reply, d.Trace)
		}
		d, reply = talk(t, s, dialogue.Result{}, asked, c.says)
		for _, want := range c.wants {
			if !strings.Contains(reply, want) {
				t.Errorf("after %q it says %q", c.says, reply)
			}
		}
		examples := find[dialogue.Example](d)
		if len(examples) != 1 || examples[0].Question != asked || examples[0].PassageID != "3" || examples[0].Right != (c.right == "true") || examples[0].How != c.how {
			t.Errorf("after %q the examples are %+v", c.says, examples)
		}
		if escalates := len(find[dialogue.Escalate](d)) == 1; escalates != c.escalates || len(find[dialogue.Missed](d)) != 0 {
			t.Errorf("after %q it escalates: %v; gaps noted again: %d", c.says, escalates, len(find[dialogue.Missed](d)))
		}
	}
}

// Of several that may be meant the customer chooses, however they say it.
func TestACustomerChoosesWhatIsMeant(t *testing.T) {
	const asked = "what does the permit cost?"
	s := permits(t)
	d, reply := talk(t, s, dialogue.Result{}, asked)
	said := find[dialogue.Say](d)
	if len(said) != 1 || len(said[0].Parts) != 3 || said[0].Parts[1].Kind != message.Choices || len(said[0].Parts[1].Choices) < 2 || !strings.Contains(reply, "2. ") {
		t.Fatalf("it says %+v", said)
	}
	choices := said[0].Parts[1].Choices
	price := map[string]string{"Season ticket for the ferry": "£310", "Parking at the pier": "£60"}
	for says, at := range map[string]int{"the second": 1, "2": 1, "1.": 0, "first one please": 0, choices[1]: 1, "number 2": 1, "the second one, thanks": 1} {
		d, reply := talk(t, s, dialogue.Result{}, asked, says)
		if !strings.Contains(reply, price[choices[at]]) || d.Trace.Code != dialogue.CodeAnswered {
			t.Errorf("%q, of %q: it says %q", says, choices, reply)
		}
		right := 0
		for _, e := range find[dialogue.Example](d) {
			if e.Right {
				right++
				if e.Label != choices[at] || e.How != "chosen" {
					t.Errorf("%q: the example is %+v", says, e)
				}
			}
		}
		if right != 1 {
			t.Errorf("%q: %d examples are right", says, right)
		}
	}
	for _, says := range []string{"neither", "none of them", "no"} {
		if d, reply := talk(t, s, dialogue.Result{}, asked, says); len(find[dialogue.Escalate](d)) != 1 || !strings.Contains(reply, "asked the crew") {
			t.Errorf("%q: it says %q", says, reply)
		}
	}
	// A yes does not say which; it is asked for once more.
	if d, reply := talk(t, s, dialogue.Result{}, asked, "yes"); !strings.Contains(reply, "1. ") || len(find[dialogue.Example](d)) != 0 {
		t.Errorf("after a yes it says %q", reply)
	}
	if _, reply := talk(t, s, dialogue.Result{}, asked, "yes", "the first"); !strings.Contains(reply, price[choices[0]]) {
		t.Errorf("after a yes and a choice it says %q", reply)
	}
	// Asked again, what was chosen holds.
	if d, reply := talk(t, s, dialogue.Result{}, asked, "the second", asked); !strings.Contains(reply, price[choices[1]]) || d.Trace.Code != dialogue.CodeAnswered {
		t.Errorf("asked again after a choice it says %q", reply)
	}
	// What is meant instead is answered as a question of its own, and shares but a word.
	if d, reply := talk(t, s, dialogue.Result{}, asked, "no, when do the terns nest?"); !strings.Contains(reply, "Terns") || len(find[dialogue.Escalate](d)) != 0 {
		t.Errorf("after a no with a question it says %q", reply)
	}
}

// An offer has its place: once for a question, and not for those who are angry, who wait
// for a person with a bot that only acknowledges, or who ask what is forbidden.
func TestAnOfferIsOutOfPlace(t *testing.T) {
	const asked = "what does the permit cost?"
	s := permits(t)
	if _, reply := talk(t, s, dialogue.Result{}, asked, asked); strings.Contains(reply, "1. ") || !strings.Contains(reply, "asked the crew") {
		t.Errorf("asked twice it says %q", reply)
	}
	s.State.Angry = true
	if _, reply := talk(t, s, dialogue.Result{}, asked); strings.Contains(reply, "1. ") {
		t.Errorf("an angry customer is told %q", reply)
	}
	s.State.Angry, s.State.Lead, s.Brief.WhileWaiting = false, dialogue.Waiting, "acknowledge"
	if _, reply := talk(t, s, dialogue.Result{}, asked); strings.Contains(reply, "1. ") {
		t.Errorf("who waits for a person is told %q", reply)
	}
	s.State.Lead, s.Brief.WhileWaiting = dialogue.LedByBot, "answer"
	if d, reply := talk(t, s, dialogue.Result{}, s.Brief.Forbidden[0].Questions[0]); d.Trace.Code != dialogue.CodeForbidden {
		t.Errorf("what is forbidden is offered: %q", reply)
	}
	// What only points at a question that nobody can answer goes with it.
	s.Brief.OfferThreshold, s.Brief.OffTopic = 0.1, nil
	if d, reply := talk(t, s, dialogue.Result{}, "Do you sell balloons? And what does the permit for them cost?"); strings.Contains(reply, "1. ") || len(d.Trace.Understood) != 2 || !strings.Contains(d.Trace.Understood[1].Outcome, "as the question before it") {
		t.Errorf("of two questions, of which one points at the other, it says %q: %+v", reply, d.Trace.Understood)
	}
	if _, reply := talk(t, s, dialogue.Result{}, "Do you sell balloons? And what does the permit cost?"); !strings.Contains(reply, "1. ") {
		t.Errorf("of two questions that stand by themselves it says %q", reply)
	}
	s.Brief.OfferThreshold = 1
	if _, reply := talk(t, s, dialogue.Result{}, asked); strings.Contains(reply, "1. ") || strings.Contains(reply, "not sure") {
		t.Errorf("a bot that offers nothing says %q", reply)
	}
	// On a channel with little room the choices come whole.
	s = permits(t)
	s.Abilities.Limit = 160
	d, _ := talk(t, s, dialogue.Result{}, asked)
	if plain := message.Plain(find[dialogue.Say](d)[0].Parts); len([]rune(plain)) > 160 || !strings.Contains(plain, "Parking at the pier") || !strings.Contains(plain, "tell me") {
		t.Errorf("with room for 160 characters it says %q (%d)", plain, len([]rune(plain)))
	}
}
