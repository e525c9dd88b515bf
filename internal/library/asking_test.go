package library

import (
	"errors"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/store"
)

// The questions that a model writes for a passage make it found by words that it does not
// hold; a person may change them; reading the file again keeps them.
func TestPassagesAreFoundByTheQuestionsTheyAnswer(t *testing.T) {
	s := openShelf(t)
	write := func(p knowledge.Passage) []string {
		if strings.Contains(p.Text, "Prams") {
			return []string{"Where do I put my buggy?"}
		}
		return nil
	}
	s.questions.Store(&write)
	const words = "# On board\n\n## Stowage\n\nPrams are left beside the stairs.\n"
	source, err := s.AddFile(t.Context(), store.Source{Name: "boats.md"}, []byte(words))
	s.must(err)
	holds := func(word string) bool {
		for _, hit := range s.Index().ByWords([]knowledge.Want{{{Stem: s.Index().Analyzer().Stem(word), Worth: 1}}}, knowledge.Scope{}, 3) {
			if strings.Contains(hit.Text, "Prams") {
				return true
			}
		}
		return false
	}
	s.until("it is found by the model's question", func() bool { return holds("buggy") })
	passages, err := s.Store.Passages(t.Context(), source.ID, "")
	s.must(err)
	s.must(s.SetQuestions(t.Context(), passages[0].ID, []string{"Where does the stroller go?"}))
	if !holds("stroller") || holds("buggy") {
		t.Error("what a person wrote does not take the place of what was there")
	}
	_, err = s.AddFile(t.Context(), store.Source{Name: "boats.md"}, []byte(words+"\n## Bar\n\nThe bar is aft.\n"))
	s.must(err)
	if !holds("stroller") {
		t.Error("reading the file again loses them")
	}
	s.encoded()
	s.must(s.Reindex(t.Context()))
	if !holds("stroller") {
		t.Error("they are not there after a new start")
	}
	if err := s.SetQuestions(t.Context(), "nothing", nil); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a passage that is gone: %v", err)
	}
}
