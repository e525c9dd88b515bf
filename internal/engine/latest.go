package engine

import "sync"

// latest remembers the conversation that each handle had last, so that it need
// not be looked up for each message. What it says may be out of date; whoever
// uses it must check. The zero latest is ready for use.
type latest struct {
	mu  sync.Mutex
	ids map[string]string
}

// keptLatest is how many handles are remembered before all are forgotten.
const keptLatest = 20_000

func (l *latest) get(handle string) (id string, ok bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	id, ok = l.ids[handle]
	return id, ok
}

func (l *latest) put(handle, id string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.ids == nil || len(l.ids) >= keptLatest {
		l.ids = map[string]string{}
	}
	l.ids[handle] = id
}
