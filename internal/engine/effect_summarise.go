package engine

import (
	"context"
	"fmt"
	"strings"
	"time"

	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/learn"
	"urgentparrot.example/internal/core/support"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/thinker"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/store"
)

// summariseKind has the bot's model sum a conversation up for the person who takes it, once
// it has been handed over. Nobody waits for it: what the core picked out is there before.
var summariseKind = EffectKind{
	Name: "summarise", To: thinkKind.To, AtOnce: thinkKind.AtOnce, Patience: thinkKind.Patience, Time: thinkKind.Time,
	Carry: func(ctx context.Context, w *Workspace, e store.Effect) (any, error) {
		b, err := body[thinkBody](e)
		if err != nil {
			return nil, fmt.Errorf("%w: %w", outbound.ErrRefused, err)
		}
		messages, err := w.store.Heard(ctx, e.ConversationID, talked)
		if err != nil {
			return nil, err
		}
		task := thinker.Task{Kind: thinker.Summarise, Brief: thinker.Brief{Workspace: w.Documents.Settings().Title}}
		said := support.Ground{ID: "talk"}
		for _, m := range messages {
			if m.Author == store.ByCustomer || m.Author == store.ByBot || m.Author == store.ByPerson {
				task.Talk = append(task.Talk, thinker.Line{By: string(m.Author), Text: m.Text})
				said.Text += m.Text + "\n"
			}
		}
		model := thinker.Model{}
		thought, use := w.askModel(ctx, b.Connection, b.Bot, model.Ask(task))
		use.ConversationID, use.TurnID = e.ConversationID, e.TurnID
		result := gist{use: use}
		if thought.Error != "" {
			return result, fmt.Errorf("%w: %s", outbound.ErrRefused, thought.Error)
		}
		o, err := model.Read(task, thought.Reply)
		if err != nil {
			return result, fmt.Errorf("%w: %w", outbound.ErrRefused, err)
		}
		result.words = w.standing(o.Text, said)
		return result, nil
	},
	Settle: func(tx *store.Tx, e store.Effect, result any) error {
		g, ok := result.(gist)
		if !ok {
			return nil
		}
		if err := tx.NoteModelUse(g.use); err != nil || g.words == "" {
			return err
		}
		return tx.PutGist(e.ConversationID, g.words)
	},
}

type gist struct {
	words string
	use   store.ModelUse
}

// standing returns the sentences of a text whose numbers, times and names stand in what it
// is about; "customer" and the like need not.
func (w *Workspace) standing(words string, on support.Ground) string {
	settings := w.Documents.Settings()
	check := support.Checker{Analyzer: settings.Analyzer(), Language: settings.Language, Names: []string{settings.Title}}
	var kept []string
	for _, span := range text.Sentences(words) {
		says := words[span.Start:span.End]
		if f := check.Check([]support.Sentence{{Says: says, On: []string{on.ID}}}, []support.Ground{on})[0]; !f.States() {
			kept = append(kept, says)
		}
	}
	return strings.Join(kept, " ")
}

// worded has the bot's model put a fact that a person gives into the bot's words; where it
// has none, or what it says does not stand on the fact alone, the fact is worded plainly.
func (w *Workspace) worded(ctx context.Context, botName, fact string) string {
	task := thinker.Task{Kind: thinker.Phrase, Said: fact}
	plainly, _ := thinker.BuiltIn{Words: learn.Worded}.Read(task, nil)
	brief, ok := find[bot.Brief](w.config.Load(), botName)
	if !ok {
		return plainly.Text
	}
	model, err := w.modelOf(ctx, brief)
	if err != nil || model == nil || model.Unavailable(brief) != "" {
		return plainly.Text
	}
	task.Brief = thinker.Brief{Name: brief.Persona, Role: brief.Role, Workspace: w.Documents.Settings().Title}
	limited, cancel := clock.WithTimeout(ctx, w.Clock, phraseTime)
	defer cancel()
	thought, err := w.thinkNow(limited, model.Connection, brief.Name, dialogue.Thought{Request: model.Ask(task)})
	if err != nil || thought.Error != "" {
		return plainly.Text
	}
	o, err := model.Read(task, thought.Reply)
	if err != nil || !w.says(o.Text, fact) {
		return plainly.Text
	}
	return o.Text
}

// says reports whether words stand on a fact alone, and leave nothing of it out.
func (w *Workspace) says(words, fact string) bool {
	settings := w.Documents.Settings()
	check := support.Checker{Analyzer: settings.Analyzer(), Language: settings.Language, Names: []string{settings.Title}}
	hold := func(said, on string) bool {
		var reply []support.Sentence
		for _, span := range text.Sentences(said) {
			reply = append(reply, support.Sentence{Says: said[span.Start:span.End], On: []string{"fact"}})
		}
		for _, f := range check.Check(reply, []support.Ground{{ID: "fact", Text: on}}) {
			if f.Fault != "" {
				return false
			}
		}
		return len(reply) > 0
	}
	return hold(words, fact) && hold(fact, words)
}

// phraseTime is how long a person who gives a fact waits for the bot's words.
const phraseTime = 5 * time.Second
