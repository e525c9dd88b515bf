package answer

import (
	"sync"

	"urgentparrot.example/internal/core/knowledge"
)

// Lately remembers what questions found in an index, so that one that is asked
// again, as short ones are, is not searched for again. A changed index begins anew.
// The zero Lately is ready for use; it is safe for concurrent use.
type Lately struct {
	mu         sync.Mutex
	index      *knowledge.Index
	young, old map[lateKey]Found
}

// A lateKey is all that what is found depends on, beside the index.
type lateKey struct {
	sources, asked, around, previous string
	calibration                      Calibration
}

// keptFound is how many questions are remembered at least.
const keptFound = 500

func (l *Lately) get(ix *knowledge.Index, key lateKey) (Found, bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.index != ix {
		return Found{}, false
	}
	if found, ok := l.young[key]; ok {
		return found, true
	}
	found, ok := l.old[key]
	return found, ok
}

func (l *Lately) put(ix *knowledge.Index, key lateKey, found Found) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.index != ix {
		l.index, l.young, l.old = ix, nil, nil
	}
	if l.young == nil || len(l.young) >= keptFound {
		l.old, l.young = l.young, map[lateKey]Found{}
	}
	l.young[key] = found
}
