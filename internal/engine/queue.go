package engine

import "sync"

// turnsAtOnce is how many turns may be in hand. Most of them wait for the disk,
// where those that wait together are committed together.
const turnsAtOnce = 256

// A queue works on conversations: one at a time for each, several at once, again
// when one was signalled while it was worked on.
type queue struct {
	work  func(id string)
	slots chan struct{}
	mu    sync.Mutex
	busy  map[string]bool // true: signalled again meanwhile
	shut  bool
	ended sync.WaitGroup
}

func newQueue(work func(id string)) *queue {
	return &queue{work: work, slots: make(chan struct{}, turnsAtOnce), busy: map[string]bool{}}
}

func (q *queue) signal(id string) {
	q.mu.Lock()
	defer q.mu.Unlock()
	if q.shut {
		return
	}
	if _, ok := q.busy[id]; ok {
		q.busy[id] = true
		return
	}
	q.busy[id] = false
	q.ended.Add(1)
	go q.run(id)
}

func (q *queue) run(id string) {
	defer q.ended.Done()
	for {
		q.slots <- struct{}{}
		q.work(id)
		<-q.slots
		q.mu.Lock()
		if !q.busy[id] || q.shut {
			delete(q.busy, id)
			q.mu.Unlock()
			return
		}
		q.busy[id] = false
		q.mu.Unlock()
	}
}

// close waits for the work in hand.
func (q *queue) close() {
	q.mu.Lock()
	q.shut = true
	q.mu.Unlock()
	q.ended.Wait()
}
