package dialogue

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/thinker"
)

// What a model is shown of a passage that it may choose, in runes; and how many letters
// make a token, about.
const (
	glimpseRunes = 220
	tokenRunes   = 4
)

// whole returns all that the bot may answer from, where that is no more than half of what
// the model takes in at once; nil where it is more.
func (r *reader) whole() (list []thinker.Passage) {
	room := r.Model.Connection.Window / 2 * tokenRunes
	hits := r.Finder.Index.All(r.Finder.Scope, mostWhole)
	slices.SortFunc(hits, func(a, b knowledge.Hit) int {
		return cmp.Or(cmp.Compare(a.Source, b.Source), cmp.Compare(a.Position, b.Position), cmp.Compare(a.ID, b.ID))
	})
	for _, hit := range hits {
		if room -= len(hit.Text) + 60; room < 0 {
			return nil
		}
		list = append(list, passageOf(len(list), hit))
	}
	return list
}

// mostWhole is how many passages a knowledge has at most that is read whole.
const mostWhole = 400

func passageOf(n int, hit knowledge.Hit) thinker.Passage {
	heads := hit.Trail
	if hit.Question != "" {
		heads = []string{hit.Question}
	}
	return thinker.Passage{ID: fmt.Sprintf("P%d", n+1), Heads: heads, Text: hit.Text, Cite: answer.Candidate{Hit: hit}.Cite()}
}

// glimpses are what the model may choose from, the likeliest first; none where all that
// there is can be read, or the brief leaves this out.
func (r *reader) glimpses() (looks []thinker.Look) {
	if len(r.thoughts) > 0 {
		return r.thoughts[0].Request.Looks // as they were when it was asked; none if it was not
	}
	most := r.Brief.Model.LooksAt
	if most == 0 || r.Finder.Index.Len() <= r.Brief.Model.Passages || r.whole() != nil {
		return nil
	}
	for i, hit := range r.Finder.Reading(r.ctx, r.asked, r.State.LastQuestion, most) {
		heads := strings.Join(hit.Trail, " › ")
		if hit.Question != "" {
			heads = hit.Question
		}
		looks = append(looks, thinker.Look{ID: fmt.Sprintf("G%d", i+1), Gist: text.Short(strings.TrimSpace(heads+": "+hit.Text), glimpseRunes), Place: hit.ID})
	}
	return looks
}

// given returns the passages that the model reads: those that it was given before for the
// same messages, whatever has become of the knowledge since; all there are, where it can
// read them; or as many as the brief says.
func (r *reader) given(o thinker.Outcome, looks []thinker.Look) []thinker.Passage {
	if r.heard < len(r.thoughts) {
		return r.thoughts[r.heard].Request.Passages
	}
	if len(looks) == 0 {
		if all := r.whole(); all != nil {
			return all
		}
	}
	return r.chosen(o, looks)
}

// chosen returns as many passages as the brief says: those that the model chose, those
// found in the words that it would look with, and those found without it.
func (r *reader) chosen(o thinker.Outcome, looks []thinker.Look) (list []thinker.Passage) {
	most := r.Brief.Model.Passages
	found := r.Finder.Reading(r.ctx, r.asked, r.State.LastQuestion, max(most, len(looks)))
	add := func(hit knowledge.Hit) {
		if len(list) < most && !slices.ContainsFunc(list, func(p thinker.Passage) bool { return p.Cite.PassageID == hit.ID }) {
			list = append(list, passageOf(len(list), hit))
		}
	}
	byID := map[string]knowledge.Hit{}
	for _, hit := range found {
		byID[hit.ID] = hit
	}
	for _, id := range o.Chosen {
		if at := slices.IndexFunc(looks, func(l thinker.Look) bool { return l.ID == id }); at >= 0 {
			if hit, ok := byID[looks[at].Place]; ok {
				add(hit)
			}
		}
	}
	for _, hit := range slices.Concat(r.Finder.ReadingWith(r.ctx, r.asked, o.Wordings, r.State.LastQuestion, most-len(list)), found) {
		add(hit)
	}
	return list
}
