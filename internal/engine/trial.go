package engine

import (
	"context"
	"net/http"
	"time"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/store"
)

// A Trial is one turn of a conversation that nobody else sees: nothing is kept,
// and no effect is carried out. Its state is handed to the next one.
type Trial struct {
	Bot       string
	Brief     string // instead of the bot's kept brief, if not empty
	Message   string
	State     dialogue.State
	Known     map[string]string
	LastReply string
}

// A TrialTurn is what a trial came to.
type TrialTurn struct {
	Reply     string
	Citations []answer.Citation
	State     dialogue.State
	Known     map[string]string
	Decision  dialogue.Decision
}

// Try plays a trial. Tools that only read are really called; others are not.
// What is wrong with a brief is document.Problems.
func (w *Workspace) Try(ctx context.Context, t Trial) (TrialTurn, error) {
	config := w.config.Load()
	if _, ok := config.bots[t.Bot]; !ok {
		return TrialTurn{}, store.ErrNotFound
	}
	started := time.Now()
	s := dialogue.Snapshot{
		State: t.State, Known: t.Known, LastReply: t.LastReply,
		Messages: []dialogue.Incoming{{ID: "trial", Text: t.Message}},
		Elapsed:  func() time.Duration { return time.Since(started) },
	}
	if s.State.Lead == "" {
		s.State.Lead = dialogue.LedByBot
	}
	w.furnish(&s, config, t.Bot, &openChannel{Channel: workspace.Channel{Channel: "trial", Title: "trial", Kind: workspace.Website, Bot: t.Bot}})
	if t.Brief != "" {
		brief, err := bot.Parse(t.Bot, []byte(t.Brief))
		if err != nil {
			return TrialTurn{}, err
		}
		s.Brief, s.Finder = brief, w.Finder(brief)
	}
	d := dialogue.Decide(s)
	for len(d.Calls) > 0 {
		for _, call := range d.Calls {
			result := dialogue.Result{Call: call}
			if config.tools[call.Tool].Method != http.MethodGet {
				result.Error = "a trial calls only tools that read"
			} else if value, err := w.callTool(ctx, call.Tool, call.Arguments, ""); err != nil {
				result.Error = err.Error()
			} else {
				result.Value = value
			}
			s.Results = append(s.Results, result)
		}
		d = dialogue.Decide(s)
	}
	turn := TrialTurn{State: d.State, Known: map[string]string{}, Decision: d}
	for detail, value := range t.Known {
		turn.Known[detail] = value
	}
	for _, e := range d.Effects {
		switch e := e.(type) {
		case dialogue.Say:
			turn.Reply, turn.Citations = e.Text, e.Citations
		case dialogue.Remember:
			turn.Known[e.Detail] = e.Value
		}
	}
	return turn, nil
}
