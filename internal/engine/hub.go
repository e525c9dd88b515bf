package engine

import "sync"

// A hub tells those who watch a topic that something happened there. What
// happened they read for themselves, so nothing is lost when many signals become
// one. The zero hub is ready for use.
type hub struct {
	mu     sync.Mutex
	topics map[string]map[chan struct{}]struct{}
}

// watch returns a channel that holds at most one signal, and what ends the watch.
func (h *hub) watch(topic string) (<-chan struct{}, func()) {
	signal := make(chan struct{}, 1)
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.topics == nil {
		h.topics = map[string]map[chan struct{}]struct{}{}
	}
	if h.topics[topic] == nil {
		h.topics[topic] = map[chan struct{}]struct{}{}
	}
	h.topics[topic][signal] = struct{}{}
	return signal, func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		delete(h.topics[topic], signal)
		if len(h.topics[topic]) == 0 {
			delete(h.topics, topic)
		}
	}
}

func (h *hub) signal(topics ...string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, topic := range topics {
		for c := range h.topics[topic] {
			select {
			case c <- struct{}{}:
			default:
			}
		}
	}
}
