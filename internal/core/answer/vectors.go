package answer

import (
	"context"
	"runtime"
	"slices"
	"sync"

	"urgentparrot.example/internal/core/encoder"
)

// Vectors are the meanings of questions asked lately: the built-in encoder makes
// them as they are asked for; those of another model are put in by whoever has
// that model make them. It is safe for concurrent use.
type Vectors struct {
	encoder *encoder.Encoder
	mu      sync.Mutex
	lately  recent[string, meaning]
}

// NewVectors returns vectors that an encoder makes; nil: those that are put in.
func NewVectors(e *encoder.Encoder) *Vectors { return &Vectors{encoder: e} }

// A meaning is what is known of a text: nothing, its vector, or its tokens too.
type meaning struct {
	vector []float32
	asked  *encoder.Asked
}

// Put remembers the vector of a text.
func (v *Vectors) Put(text string, vector []float32) { v.put(text, meaning{vector: vector}) }

func (v *Vectors) put(text string, m meaning) {
	v.mu.Lock()
	defer v.mu.Unlock()
	v.lately.put(text, m)
}

func (v *Vectors) known(text string) meaning {
	v.mu.Lock()
	defer v.mu.Unlock()
	m, _ := v.lately.get(text)
	return m
}

// of returns what a text means, as far as it is known.
func (v *Vectors) of(ctx context.Context, text string) meaning {
	m := v.known(text)
	if m.vector != nil || v.encoder == nil {
		return m
	}
	asked, reading, err := v.encoder.Ask(ctx, text)
	if err != nil {
		return m // there is no time left: words must do
	}
	m = meaning{reading.Vector, asked}
	v.put(text, m)
	return m
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

// Ahead has the meanings of texts made on another processor, but for one that is looked for
// meanwhile. Who compares with them calls what it returns first.
func (f Finder) Ahead(ctx context.Context, but string, texts []string) (made func()) {
	if f.Vectors == nil || f.Vectors.encoder == nil || runtime.GOMAXPROCS(0) < 2 {
		return func() {} // each is made when it is asked for
	}
	var making sync.WaitGroup
	begun := []string{but}
	for _, text := range texts {
		if !slices.Contains(begun, text) {
			begun = append(begun, text)
			making.Go(func() { f.Vectors.of(ctx, text) })
		}
	}
	return making.Wait
}
