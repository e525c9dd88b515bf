package engine

import (
	"sync"

	"urgentparrot.example/internal/store"
)

// finished records which effects were carried out, as many at once as have come
// together. Those that a crash keeps from being recorded are carried out again
// under the same id, which the other side recognises.
type finished struct {
	w        *Workspace
	mu       sync.Mutex
	ids      []string
	wake     chan struct{}
	quit     chan struct{}
	ended    sync.WaitGroup
	retrying sync.WaitGroup
}

func newFinished(w *Workspace) *finished {
	f := &finished{w: w, wake: make(chan struct{}, 1), quit: make(chan struct{})}
	f.ended.Add(1)
	go f.run()
	return f
}

func (f *finished) add(id string) {
	f.mu.Lock()
	f.ids = append(f.ids, id)
	f.mu.Unlock()
	f.nudge()
}

func (f *finished) nudge() {
	select {
	case f.wake <- struct{}{}:
	default:
	}
}

func (f *finished) run() {
	defer f.ended.Done()
	for {
		select {
		case <-f.wake:
			f.record()
		case <-f.quit:
			f.record()
			return
		}
	}
}

func (f *finished) record() {
	f.mu.Lock()
	ids := f.ids
	f.ids = nil
	f.mu.Unlock()
	if len(ids) == 0 {
		return
	}
	if err := f.w.settle(func(tx *store.Tx) error { return tx.FinishEffects(ids) }); err != nil {
		f.w.log.Error("what came of effects could not be recorded; it will be tried again", "effects", len(ids), "error", err)
		f.mu.Lock()
		f.ids = append(ids, f.ids...)
		f.mu.Unlock()
		passed, stop := f.w.Clock.Timer(f.w.options.RetryBase)
		f.retrying.Go(func() {
			defer stop()
			select {
			case <-passed:
				f.nudge()
			case <-f.quit:
			}
		})
	}
}

// close records what is left; nothing may be added any more.
func (f *finished) close() {
	close(f.quit)
	f.ended.Wait()
	f.retrying.Wait()
}
