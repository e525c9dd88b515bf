package library

import (
	"context"
	"errors"
	"sync"
	"time"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/safely"
	"urgentparrot.example/internal/store"
)

// asking has a model write, behind the reading, the questions that passages answer, in
// customers' words. They are views of the passage, found like its headings.
type asking struct {
	l     *Library
	due   chan struct{}
	ended sync.WaitGroup
}

func newAsking(l *Library) *asking { return &asking{l: l, due: make(chan struct{}, 1)} }

func (a *asking) wake() {
	select {
	case a.due <- struct{}{}:
	default:
	}
}

// ErrNotNow is returned by who would write questions where that is to wait: nobody is to
// write any, the day's budget is used up, or the model cannot be had.
var ErrNotNow = errors.New("no questions are written now")

// askAgain is how long it is waited then.
const askAgain = time.Minute

func (a *asking) run() {
	for {
		passed, stop := a.l.Clock.Timer(askAgain)
		select {
		case <-a.due:
		case <-passed:
		case <-a.l.running.Done():
			stop()
			return
		}
		stop()
		for more := true; more; {
			err := safely.Do(func() (err error) {
				more, err = a.one(a.l.running)
				return err
			})
			if a.l.running.Err() != nil {
				return
			}
			if err != nil {
				more = false
				if !errors.Is(err, ErrNotNow) {
					a.l.Log.Warn("the questions that a passage answers could not be written; it is tried again", "error", err)
				}
			}
		}
	}
}

func (a *asking) close() { a.ended.Wait() }

// one has the questions of one passage written. It reports whether there may be more.
func (a *asking) one(ctx context.Context) (more bool, err error) {
	if a.l.Questions == nil {
		return false, nil
	}
	passages, err := a.l.Store.Unasked(ctx, 1)
	if err != nil || len(passages) == 0 {
		return false, err
	}
	questions, err := a.l.Questions(ctx, passages[0])
	if err != nil {
		return false, err
	}
	err = a.l.putAsked(ctx, passages[0].ID, questions, "model")
	if errors.Is(err, store.ErrNotFound) {
		err = nil // it was read anew meanwhile
	}
	return true, err
}

// SetQuestions keeps the questions that a passage answers as a person wrote them; a passage
// that is gone is store.ErrNotFound.
func (l *Library) SetQuestions(ctx context.Context, id string, questions []string) error {
	return l.putAsked(ctx, id, questions, "person")
}

func (l *Library) putAsked(ctx context.Context, id string, questions []string, by string) error {
	l.Editing.Lock()
	defer l.Editing.Unlock()
	if err := l.write(ctx, func(tx *store.Tx) error { return tx.PutAsked(id, questions, by) }); err != nil {
		return err
	}
	var changed []knowledge.Passage
	index := l.index.Load().Change(func(p *knowledge.Passage) bool {
		if p.ID != id {
			return false
		}
		now := *p
		now.Asked, now.Views = questions, nil // found by their words from now on
		changed = append(changed, now)
		return true
	}, nil)
	if len(questions) > 0 || len(changed) > 0 && len(changed[0].Asked) > 0 {
		l.index.Store(index.Change(nil, changed))
		l.encoding.wake()
	}
	return nil
}
