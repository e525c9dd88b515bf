package library

import (
	"slices"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/store"
)

// What a workspace says that its customers call things is found, in any language; what it
// says that they do not call it, is not taken for it any more.
func TestCustomersWordsOfAWorkspaceAreKnown(t *testing.T) {
	s := openShelf(t)
	_, err := s.AddFile(t.Context(), store.Source{Name: "barco.md"}, []byte("# Barco\n\n## Equipaje\n\nLos cochecitos viajan gratis y se pliegan a bordo.\n\n## Tarifas\n\nUn billete de ida cuesta seis euros.\n"))
	s.must(err)
	spanish := func(say map[string][]string) {
		s.set(func(settings *workspace.Settings) { settings.Language, settings.CustomersSay = "es", say })
		s.must(s.Reindex(t.Context()))
	}
	first := func(asked string) (c answer.Candidate) {
		s.With(t.Context(), bot.Plain(), func(f answer.Finder) {
			if found := f.Find(t.Context(), answer.Part{Text: asked, Kind: answer.Question}, ""); len(found.Candidates) > 0 {
				c = found.Candidates[0]
			}
		})
		return c
	}
	spanish(nil)
	const asked = "¿puedo llevar la sillita?"
	before := first(asked)
	spanish(map[string][]string{"cochecitos": {"sillita", "carro de bebé"}})
	for _, said := range []string{asked, "¿cuánto cuesta el carro de bebé?"} {
		if c := first(said); !strings.Contains(c.Text, "cochecitos") || slices.Contains(c.Missing, "sillita") {
			t.Errorf("%q finds %q, and misses %q", said, c.Text, c.Missing)
		}
	}
	if before.Text != "" {
		t.Errorf("before anything was said it finds %q", before.Text)
	}
	s.set(func(settings *workspace.Settings) {
		settings.CustomersSay = map[string][]string{"refund": {"-money", "dosh"}}
	})
	texts, _ := s.settings.Load().Analyzer().Sayings("money")
	has := func(words []text.Saying, word string) bool {
		return slices.ContainsFunc(words, func(s text.Saying) bool { return s.Word == word })
	}
	if _, own := s.settings.Load().Analyzer().Sayings("refund"); len(texts) == 0 || has(texts, "refund") || !has(own, "dosh") || has(own, "money") || !has(own, "back") {
		t.Errorf("customers' money still means a refund: %v; for a refund they say %v", texts, own)
	}
}
