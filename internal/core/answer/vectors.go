package answer

import (
	"context"
	"runtime"
	"sync"

	"urgentparrot.example/internal/core/encoder"
)

// Vectors are the meanings of questions asked lately: the built-in encoder makes
// them as they are asked for; those of another model are put in by whoever has
// that model make them. It is safe for concurrent use.
type Vectors struct {
	encoder *encoder.Encoder
	mu      sync.Mutex
	lately  recent[string, *made]
}

// NewVectors returns vectors that an encoder makes; nil: those that are put in.
func NewVectors(e *encoder.Encoder) *Vectors { return &Vectors{encoder: e} }

// A meaning is what is known of a text: nothing, its vector, or its tokens too.
type meaning struct {
	vector []float32
	asked  *encoder.Asked
}

// made is a meaning that is made once: who asks for it meanwhile waits.
type made struct {
	mu sync.Mutex
	meaning
}

// Put remembers the vector of a text.
func (v *Vectors) Put(text string, vector []float32) {
	v.mu.Lock()
	defer v.mu.Unlock()
	v.lately.put(text, &made{meaning: meaning{vector: vector}})
}

// of returns what a text means, as far as it is known.
func (v *Vectors) of(ctx context.Context, text string) meaning {
	v.mu.Lock()
	m, ok := v.lately.get(text)
	if !ok && v.encoder != nil {
		m = &made{}
		v.lately.put(text, m)
	}
	v.mu.Unlock()
	if m == nil {
		return meaning{}
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.vector == nil {
		if asked, reading, err := v.encoder.Ask(ctx, text); err == nil { // else no time is left: words must do
			m.meaning = meaning{reading.Vector, asked}
		}
	}
	return m.meaning
}

// meaning returns what a text means; if that is not known, the text is noted as wanted.
func (f Finder) meaning(ctx context.Context, text string) meaning {
	if f.Vectors == nil {
		return meaning{}
	}
	m := f.Vectors.of(ctx, text)
	if m.vector == nil && f.Wanted != nil {
		*f.Wanted = append(*f.Wanted, text)
	}
	return m
}

// A Comparison is a text that is to be held against examples.
type Comparison struct {
	Said     string
	Examples []string
}

// Ahead makes comparisons on another processor, for Likenesses to find them made. Who goes on to
// compare calls what it returns first.
func (f Finder) Ahead(ctx context.Context, comparisons []Comparison) (made func()) {
	if f.Vectors == nil || f.Vectors.encoder == nil || f.Lately == nil || runtime.GOMAXPROCS(0) < 2 {
		return func() {} // each is made when it is asked for
	}
	var making sync.WaitGroup
	making.Go(func() {
		for _, c := range comparisons {
			f.Likenesses(ctx, c.Said, c.Examples)
		}
	})
	return making.Wait
}
