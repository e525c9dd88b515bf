package library

import (
	"context"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/core/quiz"
	"urgentparrot.example/internal/core/workspace"
)

// A Desk is a bot with its knowledge that nobody else sees: for trials, single
// questions, quizzes and searches. It decides as a bot does on a channel.
type Desk struct {
	// Snapshot is that of the bot before anything was said.
	Snapshot dialogue.Snapshot
	// With runs work with what finds the bot's passages, as Library.With does.
	With func(ctx context.Context, work func(answer.Finder))
}

// PlainDesk is the desk of a bot without a brief, over what a finder finds.
func PlainDesk(f answer.Finder) Desk {
	return Desk{
		Snapshot: dialogue.Snapshot{State: dialogue.State{Lead: dialogue.LedByBot}, Brief: bot.Plain(), Settings: workspace.DefaultSettings("folder"), Abilities: Abilities},
		With:     func(_ context.Context, work func(answer.Finder)) { work(f) },
	}
}

// Abilities are those of the channel that a desk stands for.
var Abilities = workspace.Abilities{Cites: true}

// Decide decides on a snapshot with the bot's knowledge.
func (d Desk) Decide(ctx context.Context, s dialogue.Snapshot) (decision dialogue.Decision) {
	d.With(ctx, func(f answer.Finder) {
		s.Finder = f
		decision = dialogue.Decide(ctx, s)
	})
	return decision
}

// An Answer is what a bot says to one message.
type Answer struct {
	Words     string
	Citations []answer.Citation
	Decision  dialogue.Decision
}

// Said returns what a decision says.
func Said(d dialogue.Decision) Answer {
	a := Answer{Decision: d}
	for _, e := range d.Effects {
		if say, ok := e.(dialogue.Say); ok {
			if a.Words != "" {
				a.Words += "\n\n"
			}
			a.Words += message.Plain(say.Parts)
			a.Citations = append(a.Citations, say.Citations...)
		}
	}
	return a
}

// Ask puts one message to the bot. Tools are not called.
func (d Desk) Ask(ctx context.Context, words string) Answer {
	s := d.Snapshot
	s.Tools = nil
	s.Messages = []dialogue.Incoming{{ID: "1", Text: words}}
	return Said(d.Decide(ctx, s))
}

// Quiz puts questions to the bot's knowledge as customers would put them. Tools
// are left out: it is the knowledge that is judged. When ctx ends, nobody waits for
// the report any more.
func (d Desk) Quiz(ctx context.Context, questions []quiz.Question) quiz.Report {
	s := d.Snapshot
	s.Tools, s.Abilities.Limit = nil, 0
	report := quiz.Run(questions, func(asked, after string) (replies []answer.Reply) {
		if ctx.Err() != nil {
			return nil
		}
		d.With(ctx, func(f answer.Finder) {
			s.Finder = f
			replies = dialogue.Replies(ctx, s, asked, after)
		})
		return replies
	})
	report.Threshold, report.OfferThreshold = d.Bars().Answer, d.Bars().Offer
	return report
}

// Search weighs the passages that may answer a question, for people who look at
// the knowledge.
func (d Desk) Search(ctx context.Context, question string) (found answer.Found) {
	d.With(ctx, func(f answer.Finder) { found = f.Find(ctx, answer.Whole(question), "") })
	return found
}

// Bars are how sure the bot must be to answer, and to offer.
func (d Desk) Bars() answer.Bars {
	return answer.Bars{Answer: d.Snapshot.Brief.Threshold, Offer: d.Snapshot.Brief.OfferThreshold}
}
