package engine

import (
	"context"
	"fmt"
	"time"

	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/learn"
	"urgentparrot.example/internal/core/support"
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
		said := ""
		for _, m := range messages {
			if m.Author == store.ByCustomer || m.Author == store.ByBot || m.Author == store.ByPerson {
				task.Talk = append(task.Talk, thinker.Line{By: string(m.Author), Text: m.Text})
				said += m.Text + "\n"
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
		result.words = w.checker().Standing(o.Text, said)
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
	if check := w.checker(); err != nil || !check.Says(o.Text, fact) || !check.Says(fact, o.Text) {
		return plainly.Text // it says more than the fact, or less
	}
	return o.Text
}

// checker holds words against what they are to stand on.
func (w *Workspace) checker() support.Checker {
	settings := w.Documents.Settings()
	return support.Checker{Analyzer: settings.Analyzer(), Language: settings.Language, Names: []string{settings.Title}}
}

// phraseTime is how long a person who gives a fact waits for the bot's words.
const phraseTime = 5 * time.Second
