package library

import (
	"errors"
	"fmt"
	"testing"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/store"
)

// settles keeps what a customer said to what was found first for a question.
func (s *shelf) settles(n int, question string, right bool) {
	s.t.Helper()
	conversation := s.waits(fmt.Sprint("settles ", n), question)
	var first answer.Candidate
	s.With(s.t.Context(), bot.Plain(), func(f answer.Finder) {
		first = f.Find(s.t.Context(), answer.Whole(question), "").Candidates[0]
	})
	c, err := s.Store.Conversation(s.t.Context(), conversation)
	s.must(err)
	s.must(s.Store.Write(s.t.Context(), func(tx *store.Tx) error {
		_, err := tx.CommitTurn(store.Commit{
			Turn:    store.Turn{ID: store.NewID(), ConversationID: conversation, State: "done", Trace: "{}"},
			Version: c.Version, Incoming: c.Incoming, Changes: store.Changes{Channel: "bell", Contact: c.ContactID}, Lead: "bot", State: "{}",
			Examples: []dialogue.Example{{Question: question, PassageID: first.ID, Source: first.Source, Label: first.Label(), Right: right, How: map[bool]string{true: "yes", false: "no"}[right]}},
		}, s.clock.Now())
		return err
	}))
}

// What customers said to offers fits confidence once there is enough of it: shown before it
// is used, used after a restart too, and put back.
func TestConfidenceIsFittedOnWhatCustomersSaid(t *testing.T) {
	s := openShelf(t)
	_, err := s.AddFile(t.Context(), store.Source{Name: "boats.md"}, []byte("# Boats\n\n## Bicycles\n\nBicycles go on the rack at the bow. A bicycle costs £2.50.\n\n## Dogs\n\nDogs travel free on a lead.\n\n## Refunds\n\nA ticket that was not used is refunded up to a day before.\n"))
	s.must(err)
	s.encoded()
	const asked = "where may I put a tandem?"
	sure := func() (confidence float64) {
		s.With(t.Context(), bot.Plain(), func(f answer.Finder) {
			confidence = f.Find(t.Context(), answer.Whole(asked), "").Candidates[0].Confidence
		})
		return confidence
	}
	before := sure()
	n := 0
	for _, thing := range []string{"tandem", "cargo bike", "trike", "wheel", "scooter"} {
		for _, way := range []string{"where does my %s go?", "can my %s come aboard?", "is there a place for a %s on the boat?", "what about a %s?", "I have a %s with me", "is a %s dear?"} {
			s.settles(n, fmt.Sprintf(way, thing), true)
			n++
		}
	}
	fit, err := s.FitConfidence(t.Context(), bot.Plain())
	s.must(err)
	if fit.Enough || fit.Questions != n || fit.Wrong != 0 || fit.Used != nil {
		t.Errorf("where none was wrong: %+v", fit)
	}
	if _, err := s.UseFit(t.Context(), bot.Plain(), "Robin"); err == nil {
		t.Error("confidence was fitted on right answers alone")
	}
	if err := s.PutBackFit(t.Context(), "Robin"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("nothing to put back: %v", err)
	}
	for i, question := range []string{"is there music?", "do you sell maps?", "who is the captain?", "may I fish from the boat?", "have you a crane?"} {
		s.settles(n+i, question, false)
	}
	fit, err = s.FitConfidence(t.Context(), bot.Plain())
	s.must(err)
	all := func(o Outcome) int { return o.AnsweredRight + o.AnsweredWrong + o.Withheld }
	if !fit.Enough || fit.Right != n || fit.Wrong != 5 || all(fit.Before) != n+5 || all(fit.After) != n+5 {
		t.Errorf("with wrong ones: %+v", fit)
	}
	if got := sure(); got != before {
		t.Errorf("looking at it changed confidence from %.3f to %.3f", before, got)
	}
	used, err := s.UseFit(t.Context(), bot.Plain(), "Robin")
	s.must(err)
	after := sure()
	if used.Used == nil || used.Used.Person != "Robin" || after <= before {
		t.Errorf("customers nearly always said yes, and confidence went from %.3f to %.3f: %+v", before, after, used)
	}
	if again, err := s.FitConfidence(t.Context(), bot.Plain()); err != nil || again.Before != fit.Before || again.Used == nil {
		t.Errorf("in use, it is fitted on itself: %+v, before %+v, %v", again.Before, fit.Before, err)
	}
	s.close()
	reopened := openShelfIn(t, s.path, s.clock, s.site)
	s.Library = reopened.Library
	if got := sure(); got != after {
		t.Errorf("after a restart confidence is %.3f, it was %.3f", got, after)
	}
	s.must(s.PutBackFit(t.Context(), "Robin"))
	if got := sure(); got != before {
		t.Errorf("put back, confidence is %.3f, it was %.3f", got, before)
	}
}
