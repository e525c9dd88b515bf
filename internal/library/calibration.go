package library

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/problem"
	"urgentparrot.example/internal/store"
)

// How many questions customers must have settled before confidence is fitted on them, how
// many of these must have been right, and wrong; and how many, the newest, are looked at.
const (
	FewestSettled = 30
	FewestOfEach  = 5
	mostSettled   = 500
)

// Outcome is what a bot does with the questions that customers settled.
type Outcome struct{ AnsweredRight, AnsweredWrong, Withheld int }

// A ConfidenceFit is confidence fitted on what customers said to offers.
type ConfidenceFit struct {
	Questions, Right, Wrong int     // that customers settled; of these, what the bot found first was right, was wrong
	Before, After           Outcome // confidence as it was delivered, and fitted; each question is judged by a fit on others
	Calibration             answer.Calibration
	Enough                  bool
	Used                    *store.KeptCalibration // that is in use, nil if none is
}

// folds is into how many parts the questions are divided for judging.
const folds = 5

// FitConfidence fits confidence on what customers said to offers, for a bot, and says what
// would come of it. Nothing changes.
func (l *Library) FitConfidence(ctx context.Context, brief bot.Brief) (fit ConfidenceFit, err error) {
	if used, err := l.Store.Calibration(ctx); err == nil {
		fit.Used = &used
	} else if !errors.Is(err, store.ErrNotFound) {
		return fit, err
	}
	learnt, err := l.learnt(ctx, brief)
	if err != nil {
		return fit, err
	}
	fit.Questions = len(learnt)
	for _, one := range learnt {
		if one.Right {
			fit.Right++
		}
	}
	fit.Wrong = fit.Questions - fit.Right
	fit.Enough = fit.Questions >= FewestSettled && min(fit.Right, fit.Wrong) >= FewestOfEach
	fit.Calibration = answer.Calibrate(learnt)
	for fold := range folds {
		var others []answer.Learnt
		for i, one := range learnt {
			if i%folds != fold {
				others = append(others, one)
			}
		}
		c := answer.Calibrate(others)
		for i, one := range learnt {
			if i%folds == fold {
				fit.Before.count(one.Right, one.Confidence >= brief.Threshold)
				fit.After.count(one.Right, c.Of(one.Confidence) >= brief.Threshold)
			}
		}
	}
	return fit, nil
}

func (o *Outcome) count(right, answered bool) {
	switch {
	case !answered:
		o.Withheld++
	case right:
		o.AnsweredRight++
	default:
		o.AnsweredWrong++
	}
}

// learnt puts the questions that customers settled to the knowledge as it is now. One for
// which it finds something first that no customer said anything about is left out.
func (l *Library) learnt(ctx context.Context, brief bot.Brief) (learnt []answer.Learnt, err error) {
	examples, err := l.Store.Examples(ctx, 4*mostSettled)
	if err != nil {
		return nil, err
	}
	said := map[string]map[string]bool{} // of each question, by passage
	settled := map[string]bool{}         // a passage is known that answers
	var questions []string
	for _, e := range examples {
		question := folded(e.Question)
		if said[question] == nil {
			if len(questions) == mostSettled {
				continue
			}
			said[question] = map[string]bool{}
			questions = append(questions, e.Question)
		}
		if _, known := said[question][e.PassageID]; !known { // the newest word counts
			said[question][e.PassageID] = e.Right
			settled[question] = settled[question] || e.Right
		}
	}
	l.With(ctx, brief, func(f answer.Finder) {
		f.Calibration, learnt = answer.Calibration{}, nil
		for _, asked := range questions {
			if ctx.Err() != nil {
				return
			}
			found := f.Find(ctx, answer.Whole(asked), "")
			if len(found.Candidates) == 0 {
				continue
			}
			question := folded(asked)
			right, known := said[question][found.Candidates[0].ID]
			if known || settled[question] {
				learnt = append(learnt, answer.Learnt{Confidence: found.Candidates[0].Confidence, Right: right})
			}
		}
	})
	return learnt, ctx.Err()
}

// folded is a question without what makes no difference.
func folded(question string) string {
	return strings.ToLower(strings.Join(strings.Fields(question), " "))
}

// UseFit takes confidence fitted on what customers said into use.
func (l *Library) UseFit(ctx context.Context, brief bot.Brief, person string) (ConfidenceFit, error) {
	fit, err := l.FitConfidence(ctx, brief)
	if err != nil {
		return fit, err
	}
	if !fit.Enough {
		return fit, problem.New(problem.BadInput, fmt.Sprintf("customers have settled %d questions (%d right, %d wrong); %d are needed, with at least %d of each", fit.Questions, fit.Right, fit.Wrong, FewestSettled, FewestOfEach), "")
	}
	kept := store.KeptCalibration{Calibration: fit.Calibration, Questions: fit.Questions, Person: person, At: l.Clock.Now()}
	if err := l.write(ctx, func(tx *store.Tx) error { return tx.PutCalibration(kept) }); err != nil {
		return fit, err
	}
	fit.Used = &kept
	l.taught.Store(&kept.Calibration)
	return fit, nil
}

// PutBackFit goes back to confidence as it was delivered, or returns store.ErrNotFound.
func (l *Library) PutBackFit(ctx context.Context, person string) error {
	if err := l.write(ctx, func(tx *store.Tx) error { return tx.DropCalibration(person, l.Clock.Now()) }); err != nil {
		return err
	}
	l.taught.Store(&answer.Calibration{})
	return nil
}

func (l *Library) loadCalibration(ctx context.Context) error {
	kept, err := l.Store.Calibration(ctx)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	l.taught.Store(&kept.Calibration)
	return err
}
