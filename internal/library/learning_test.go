package library

import (
	"strings"
	"testing"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/learn"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/store"
)

// waits opens a conversation in which a question was not answered.
func (s *shelf) waits(phone, asked string) (conversation string) {
	s.t.Helper()
	s.must(s.Store.Write(s.t.Context(), func(tx *store.Tx) error {
		r, err := tx.Receive(store.Incoming{Channel: "bell", Address: phone, Bot: "pip", ExternalID: phone + asked, Author: store.ByCustomer, Text: asked}, "", s.clock.Now())
		conversation = r.ConversationID
		return err
	}))
	c, err := s.Store.Conversation(s.t.Context(), conversation)
	s.must(err)
	gap := s.GapFor(s.t.Context(), asked)
	s.must(s.Store.Write(s.t.Context(), func(tx *store.Tx) error {
		_, err := tx.CommitTurn(store.Commit{
			Turn:    store.Turn{ID: store.NewID(), ConversationID: conversation, State: "done", Trace: "{}"},
			Version: c.Version, Incoming: c.Incoming, Changes: store.Changes{Channel: "bell", Contact: c.ContactID}, Lead: "waiting", State: "{}", Gaps: []store.GapQuestion{gap},
		}, s.clock.Now())
		return err
	}))
	return conversation
}

// replies has a person reply, and a lesson made of it.
func (s *shelf) replies(conversation, words string) {
	s.t.Helper()
	var m store.Message
	s.must(s.Store.Write(s.t.Context(), func(tx *store.Tx) (err error) {
		if err := tx.Take(conversation, "Robin", true, "taken", s.clock.Now()); err != nil {
			return err
		}
		m, err = tx.SayAsPerson(conversation, "Robin", words, nil, s.clock.Now())
		return err
	}))
	s.LearnFrom(s.t.Context(), conversation, m)
}

func TestGapsAreGroupedAndFilled(t *testing.T) {
	s := openShelf(t)
	one := s.waits("1", "Do you rent out canoes?")
	s.waits("2", "do you rent canoes out")
	s.waits("3", "Is there a swimming pool?")
	gaps, err := s.Store.Gaps(t.Context(), 10)
	if err != nil || len(gaps) != 2 || gaps[0].Times != 2 || gaps[0].Question != "Do you rent out canoes?" {
		t.Fatalf("gaps are %+v, %v", gaps, err)
	}
	h, waiting, err := s.AnswerGap(t.Context(), gaps[0].ID, "", "yes, at the sail loft", "Robin")
	if err != nil || h.Answer != "Yes, at the sail loft." || len(waiting) != 2 {
		t.Errorf("answered with %+v; %v wait, %v", h, waiting, err)
	}
	if words := s.finds("can I rent a canoe?"); words != "Yes, at the sail loft." {
		t.Errorf("the next customer reads %q", words)
	}
	s.must(s.DropGap(t.Context(), gaps[1].ID, "Robin"))
	if gaps, err := s.Store.Gaps(t.Context(), 10); err != nil || len(gaps) != 0 {
		t.Errorf("left are %+v, %v", gaps, err)
	}
	// A gap that was filled is not found again, also after a restart.
	s.close()
	s = openShelfIn(t, s.path, s.clock, s.site)
	if gap := s.GapFor(t.Context(), "Is there a swimming pool?"); gap.GapID == gaps[1].ID {
		t.Error("a question was put into a gap that is closed")
	}
	_ = one
}

func TestLessonsAreApprovedRejectedOrAtOnce(t *testing.T) {
	s := openShelf(t)
	s.replies(s.waits("1", "Do you rent out canoes?"), "Hello! Yes, at the sail loft. Kind regards, Robin")
	s.replies(s.waits("2", "Is there a swimming pool?"), "No, there is none.")
	list, err := s.Store.Lessons(t.Context(), "proposed", 10)
	if err != nil || len(list) != 2 {
		t.Fatalf("proposed are %+v, %v", list, err)
	}
	lesson := map[string]store.Lesson{}
	for _, l := range list {
		lesson[l.Question] = l
	}
	canoes, pool := lesson["Do you rent out canoes?"], lesson["Is there a swimming pool?"]
	if canoes.Answer != "Yes, at the sail loft." {
		t.Errorf("the lesson is %+v", canoes)
	}
	// A lesson that is put aside leaves nothing behind, and cannot be approved later.
	s.must(s.RejectLesson(t.Context(), pool.ID, "Robin"))
	if words := s.finds("is there a swimming pool?"); words != "" {
		t.Errorf("a rejected lesson is said: %q", words)
	}
	if _, err := s.ApproveLesson(t.Context(), pool.ID, "", "", "Kim"); err == nil {
		t.Error("a rejected lesson was approved")
	}
	if err := s.RejectLesson(t.Context(), pool.ID, "Robin"); err == nil {
		t.Error("a lesson was rejected twice")
	}
	if _, err := s.ApproveLesson(t.Context(), canoes.ID, "Can I rent a canoe?", "yes, for £9", "Kim"); err != nil {
		t.Fatal(err)
	}
	if words := s.finds("can I rent a canoe?"); words != "Yes, for £9." {
		t.Errorf("approved, it is %q", words)
	}
	s.set(func(settings *workspace.Settings) { settings.Lessons = "at once" })
	s.replies(s.waits("3", "Do you sell umbrellas?"), "We sell umbrellas for £7.")
	if words := s.finds("do you sell umbrellas?"); words != "We sell umbrellas for £7." {
		t.Errorf("at once it is %q", words)
	}
	// What differs from what is known waits for a person, whatever the setting.
	s.replies(s.waits("4", "Can I rent a canoe?"), "A canoe is £15.")
	differs, err := s.Store.Lessons(t.Context(), "proposed", 10)
	if err != nil || len(differs) != 1 || differs[0].Beside.Relation != string(learn.Differs) {
		t.Errorf("proposed are %+v, %v", differs, err)
	}
}

func TestADeskDecidesAsABotDoes(t *testing.T) {
	s := openShelf(t)
	_, err := s.AddFile(t.Context(), store.Source{Name: "boats.md"}, []byte("# Boats\n\n## Bicycles\n\nA bicycle costs £2.50 on every crossing.\n"))
	s.must(err)
	var desk Desk
	s.With(t.Context(), bot.Brief{}, func(f answer.Finder) { desk = PlainDesk(f) })
	a := desk.Ask(t.Context(), "Hi! What does a bicycle cost?")
	if !strings.Contains(a.Words, "£2.50") || len(a.Citations) != 1 || a.Decision.Trace.Code != "answered" {
		t.Errorf("it says %q: %+v", a.Words, a.Decision.Trace)
	}
	if a := desk.Ask(t.Context(), "do you sail at night?"); a.Decision.Trace.Code != "not_known" || len(a.Citations) != 0 {
		t.Errorf("it says %q: %+v", a.Words, a.Decision.Trace)
	}
	if found := desk.Search(t.Context(), "bicycle"); len(found.Candidates) != 1 || desk.Bars().Answer != bot.DefaultThreshold {
		t.Errorf("found are %+v", found)
	}
}
