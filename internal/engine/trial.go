package engine

import (
	"context"
	"time"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/thinker"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/library"
	"urgentparrot.example/internal/store"
)

// A Trial is one turn of a conversation that nobody else sees: nothing is kept,
// and no effect is carried out. Its state is handed to the next one.
type Trial struct {
	Bot       string
	Brief     string // instead of the bot's kept brief, if not empty
	Message   string
	State     dialogue.State // its Bot goes before Bot
	Memory    contact.Memory
	LastReply string
	Talk      []thinker.Line // what was said before
	Wanted    bool           // a person asked for a reply: also of a bot that makes none by itself
}

// A TrialTurn is what a trial came to.
type TrialTurn struct {
	library.Answer
	State  dialogue.State
	Memory contact.Memory
}

// trialChannel is where trials are held: it can carry what the website chat can.
var trialChannel = &openChannel{
	Channel:   workspace.Channel{Name: "trial", Title: "trial"},
	abilities: workspace.Abilities{Limit: 1200, Cites: library.Abilities.Cites},
	kind:      channel.Kind{Title: "Trial"},
}

// Desk returns a bot with its knowledge, for trials, quizzes and searches; for ""
// a bot without a brief, which answers from all sources. One that is not there is
// store.ErrNotFound.
func (w *Workspace) Desk(name string) (library.Desk, error) {
	s := dialogue.Snapshot{State: dialogue.State{Lead: dialogue.LedByBot}}
	w.furnish(&s, "", trialChannel)
	brief := bot.Plain()
	if name != "" {
		var ok bool
		if brief, ok = find[bot.Brief](w.config.Load(), name); !ok {
			return library.Desk{}, store.ErrNotFound
		}
	}
	w.instruct(&s, brief)
	return w.deskOf(s), nil
}

func (w *Workspace) deskOf(s dialogue.Snapshot) library.Desk {
	return library.Desk{Snapshot: s, With: func(ctx context.Context, work func(answer.Finder)) { w.Library.With(ctx, s.Brief, work) }}
}

// Try plays a trial. Tools that only read are really called; others are not.
// What is wrong with a brief is document.Problems.
func (w *Workspace) Try(ctx context.Context, t Trial) (TrialTurn, error) {
	leads := t.Bot
	if t.State.Bot != "" {
		leads = t.State.Bot // it was passed to that one
	}
	desk, err := w.Desk(leads)
	if err != nil {
		return TrialTurn{}, err
	}
	s := desk.Snapshot
	if t.Brief != "" && leads == t.Bot {
		brief, err := bot.Parse(t.Bot, []byte(t.Brief))
		if err != nil {
			return TrialTurn{}, err
		}
		w.instruct(&s, brief)
		desk = w.deskOf(s)
	}
	if t.Wanted {
		s.Brief.Mode = ""
	}
	started := w.Clock.Now()
	s.Elapsed = func() time.Duration { return w.Clock.Now().Sub(started) }
	s.Memory, s.LastReply = t.Memory, t.LastReply
	s.Messages = []dialogue.Incoming{{ID: "trial", Text: t.Message}}
	if t.State.Lead != "" {
		s.State = t.State
	}
	s.Talk = t.Talk
	if s.Model, err = w.modelOf(ctx, s.Brief); err != nil {
		return TrialTurn{}, err
	}
	base := s
	s.Other = func(name string, work func(dialogue.Snapshot, bool)) { w.another(ctx, base, name, work) }
	d := desk.Decide(ctx, s)
	for len(d.Calls) > 0 || d.Think != nil {
		if d.Think != nil {
			thinks := s
			if d.Bot != s.Brief.Name {
				s.Other(d.Bot, func(other dialogue.Snapshot, _ bool) { thinks = other })
			}
			thought, err := w.thinkNow(ctx, thinks.Model.Connection, thinks.Brief.Name, *d.Think)
			if err != nil {
				return TrialTurn{}, err
			}
			s.Thoughts = append(s.Thoughts, thought)
		}
		for _, call := range d.Calls {
			result := dialogue.Result{Call: call}
			if !w.config.Load().tools[call.Tool].Reads() {
				result.Error = "a trial calls only tools that read"
			} else if value, _, err := w.Tools.call(ctx, call, caller{by: "trial", channel: trialChannel.Title, memory: t.Memory}); err != nil {
				result.Error = err.Error()
			} else {
				result.Value = value
			}
			s.Results = append(s.Results, result)
		}
		d = desk.Decide(ctx, s)
	}
	turn := TrialTurn{Answer: library.Said(d), State: d.State, Memory: t.Memory}
	for _, e := range d.Effects {
		if r, ok := e.(dialogue.Remember); ok {
			turn.Memory = turn.Memory.With(r.Fact)
		}
	}
	return turn, nil
}
