package engine

import (
	"errors"
	"sync"

	"urgentparrot.example/internal/store"
)

// TurnTries is how often a turn that fails is tried before people come in.
const TurnTries = 10

// undecidable is why a turn cannot be decided, where that is its own fault and not the
// store's.
type undecidable struct{ why string }

func (u *undecidable) Error() string { return u.why }

// afterFailure has a failed turn tried again after a growing pause, or, when it has
// failed too often by its own fault, hands the conversation to people. It reports
// whether there may be more to decide at once.
func (w *Workspace) afterFailure(id string, err error) (again bool) {
	w.log.Error("a turn failed and will be tried again", "conversation", id, "error", err)
	times := w.failures.add(id)
	var own *undecidable
	if errors.As(err, &own) {
		if failed := w.write(w.running, func(tx *store.Tx) (err error) {
			times, err = tx.FailTurn(id, own.why, w.Clock.Now())
			return err
		}); failed != nil {
			w.log.Error("a failed turn could not be recorded", "conversation", id, "error", failed)
		}
		if times >= TurnTries {
			again, err := w.decideSafely(w.running, id, own.why)
			if err == nil {
				return again
			}
			w.log.Error("a conversation could not be handed over", "conversation", id, "error", err)
		}
	}
	w.look(id, w.backOff(times))
	return false
}

// failures counts failed turns in a row, by conversation.
type failures struct {
	mu    sync.Mutex
	times map[string]int
}

func (f *failures) add(id string) int {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.times == nil {
		f.times = map[string]int{}
	}
	f.times[id]++
	return f.times[id]
}

// over reports whether there were any, and forgets them.
func (f *failures) over(id string) bool {
	f.mu.Lock()
	defer f.mu.Unlock()
	_, were := f.times[id]
	delete(f.times, id)
	return were
}
