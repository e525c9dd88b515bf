package library

import (
	"context"
	"errors"
	"slices"
	"sync"
	"time"

	"urgentparrot.example/internal/core/encoder"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/safely"
	"urgentparrot.example/internal/store"
)

// encoding makes the vectors of passages, behind the scenes: passages are found
// by their words from the first moment, by their meaning once it is known.
type encoding struct {
	l     *Library
	due   chan struct{}
	ended sync.WaitGroup
	one   sync.Mutex // batch at a time
}

func newEncoding(l *Library) *encoding { return &encoding{l: l, due: make(chan struct{}, 1)} }

func (e *encoding) wake() {
	select {
	case e.due <- struct{}{}:
	default:
	}
}

// together is how many passages are encoded before they join the index.
const together = 64

func (e *encoding) run() {
	pause := time.Duration(0)
	for {
		if pause > 0 {
			passed, stop := e.l.Clock.Timer(pause)
			select {
			case <-passed:
			case <-e.l.running.Done():
				stop()
				return
			}
		} else {
			select {
			case <-e.due:
			case <-e.l.running.Done():
				return
			}
		}
		pause = 0
		for more := true; more; {
			err := safely.Do(func() (err error) {
				more, err = e.batch(e.l.running)
				return err
			})
			if err != nil {
				if errors.Is(err, context.Canceled) || errors.Is(err, store.ErrClosed) {
					return
				}
				e.l.Log.Warn("passages could not be encoded and will be tried again", "error", err)
				pause = time.Minute
				break
			}
		}
	}
}

func (e *encoding) close() { e.ended.Wait() }

// Encoded returns when the vectors of all passages are made that there are, and they are
// found by meaning; ctx ends the wait. It is safe for concurrent use.
func (l *Library) Encoded(ctx context.Context) error {
	for {
		if more, err := l.encoding.batch(ctx); err != nil || !more {
			return err
		}
	}
}

// takeUp gives a passage what a model made of what it says.
func takeUp(p *knowledge.Passage, readings []encoder.Reading) {
	var sentences []encoder.Tokens
	behind := len(readings) - len(p.Asked)
	for i, r := range readings {
		p.Views = append(p.Views, knowledge.Pack(r.Vector))
		if i >= knowledge.SentencesFrom && i < behind && r.Tokens != nil {
			sentences = append(sentences, r.Tokens)
		}
	}
	p.Tokens = encoder.Bytes(sentences)
}

// batch encodes some passages. It reports whether there may be more.
func (e *encoding) batch(ctx context.Context) (more bool, err error) {
	m := e.l.model()
	if m.name == "" {
		return false, nil
	}
	e.one.Lock()
	defer e.one.Unlock()
	passages, err := e.l.Store.PassagesWithout(ctx, m.name, together)
	if err != nil {
		return false, err
	}
	house, err := e.l.Store.HousePassagesWithout(ctx, m.name, together)
	if err != nil {
		return false, err
	}
	if passages = append(passages, house...); len(passages) == 0 {
		return false, nil
	}
	for i := range passages {
		readings, err := m.encode(ctx, passages[i].Said())
		if err != nil {
			return false, err
		}
		takeUp(&passages[i], readings)
		if err := ctx.Err(); err != nil {
			return false, err
		}
	}
	e.l.Editing.Lock()
	defer e.l.Editing.Unlock()
	if err := e.l.write(ctx, func(tx *store.Tx) error { return tx.PutViews(m.name, passages) }); err != nil {
		return false, err
	}
	// Those that still say the same join the index with their vectors.
	encoded := map[string]*knowledge.Passage{}
	for i := range passages {
		encoded[passages[i].ID] = &passages[i]
	}
	var joined []knowledge.Passage
	index := e.l.index.Load().Change(func(p *knowledge.Passage) bool {
		made := encoded[p.ID]
		if made == nil || made.Text != p.Text || made.Question != p.Question || !slices.Equal(made.Asked, p.Asked) {
			return false
		}
		now := *p // all else may have been edited meanwhile
		now.Views = made.Views
		joined = append(joined, now)
		return true
	}, nil)
	e.l.index.Store(index.Change(nil, joined))
	return true, nil
}
