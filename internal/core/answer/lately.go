package answer

import (
	"cmp"
	"sync"

	"urgentparrot.example/internal/core/knowledge"
)

// Lately remembers what questions found in an index, so that one that is asked
// again, as short ones are, is not searched for again; how they were understood, and how like they
// are to examples, as one is held against many things in a turn; and the stems of passages. A changed index begins anew.
// The zero Lately is ready for use; it is safe for concurrent use.
type Lately struct {
	mu    sync.Mutex
	index *knowledge.Index
	found recent[lateKey, Found]
	read  recent[string, question]
	like  recent[pair, Likeness]
	stems *stems
}

// A lateKey is all that what is found depends on, beside the index.
type lateKey struct {
	sources, asked, around, previous, title, day string
	calibration                                  Calibration
}

// A pair is a text and an example that it is held against.
type pair struct{ asked, example string }

func (l *Lately) get(ix *knowledge.Index, key lateKey) (found Found, ok bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.index != ix {
		return Found{}, false
	}
	return l.found.get(key)
}

func (l *Lately) put(ix *knowledge.Index, key lateKey, found Found) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.of(ix).found.put(key, found)
}

// understood is understand, remembered; nobody may change what it returns.
func (l *Lately) understood(ix *knowledge.Index, asked string) question {
	if l == nil || len(asked) > shortEnough {
		return understand(ix, asked)
	}
	l.mu.Lock()
	q, ok := l.of(ix).read.get(asked)
	l.mu.Unlock()
	if ok {
		return q
	}
	q = understand(ix, asked)
	l.mu.Lock()
	defer l.mu.Unlock()
	l.of(ix).read.put(asked, q)
	return q
}

// likeness is how like a text is to an example, if that is remembered.
func (l *Lately) likeness(ix *knowledge.Index, asked, example string) (like Likeness, ok bool) {
	if l == nil || len(asked) > shortEnough {
		return like, false
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.index != ix {
		return like, false
	}
	return l.like.get(pair{asked, example})
}

// putLikeness remembers it, for a text that is short enough.
func (l *Lately) putLikeness(ix *knowledge.Index, asked, example string, like Likeness) {
	if l == nil || len(asked) > shortEnough {
		return
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	l.of(ix).like.put(pair{asked, example}, like)
}

// of forgets what was of another index.
func (l *Lately) of(ix *knowledge.Index) *Lately {
	if l.index != ix {
		l.index, l.found, l.read, l.stems = ix, recent[lateKey, Found]{}, recent[string, question]{}, nil
		l.like = recent[pair, Likeness]{}
	}
	return l
}

// shortEnough is how long a text may be whose understanding is remembered, in bytes: long
// ones seldom come again, and have many words.
const shortEnough = 300

// keptLately is how much of a kind is remembered at least: more than a large team's bots have
// examples of what they pass on and of what their tools do, which every question is held against.
const keptLately = 2_000

// recent keeps what was put there, or asked for, lately: so much at least, or keptLately.
type recent[K comparable, V any] struct {
	young, old map[K]V
	most       int
}

func (r *recent[K, V]) get(key K) (V, bool) {
	if v, ok := r.young[key]; ok {
		return v, true
	}
	v, ok := r.old[key]
	if ok {
		r.put(key, v)
	}
	return v, ok
}

func (r *recent[K, V]) put(key K, v V) {
	if r.young == nil || len(r.young) >= cmp.Or(r.most, keptLately) {
		r.old, r.young = r.young, map[K]V{}
	}
	r.young[key] = v
}
