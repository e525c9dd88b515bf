package answer

import (
	"context"
	"sync"

	"urgentparrot.example/internal/core/encoder"
)

// Vectors are the meanings of questions asked lately: the built-in encoder makes
// them as they are asked for; those of another model are put in by whoever has
// that model make them. It is safe for concurrent use.
type Vectors struct {
	encoder    *encoder.Encoder
	mu         sync.Mutex
	young, old map[string][]float32
}

// NewVectors returns vectors that an encoder makes; nil: those that are put in.
func NewVectors(e *encoder.Encoder) *Vectors { return &Vectors{encoder: e} }

// keptVectors is how many are remembered at least.
const keptVectors = 1_000

// Put remembers the vector of a text.
func (v *Vectors) Put(text string, vector []float32) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.young == nil || len(v.young) >= keptVectors {
		v.old, v.young = v.young, map[string][]float32{}
	}
	v.young[text] = vector
}

func (v *Vectors) known(text string) []float32 {
	v.mu.Lock()
	defer v.mu.Unlock()
	if vector, ok := v.young[text]; ok {
		return vector
	}
	return v.old[text]
}

// of returns the vector of a text, nil if it is not known.
func (v *Vectors) of(ctx context.Context, text string) []float32 {
	vector := v.known(text)
	if vector != nil || v.encoder == nil {
		return vector
	}
	vector, err := v.encoder.Encode(ctx, text)
	if err != nil {
		return nil // there is no time left: words must do
	}
	v.Put(text, vector)
	return vector
}

// vector returns the meaning of a text, nil if it is not known; then the text is
// noted as wanted.
func (f Finder) vector(ctx context.Context, text string) []float32 {
	if f.Vectors == nil {
		return nil
	}
	vector := f.Vectors.of(ctx, text)
	if vector == nil && f.Wanted != nil {
		*f.Wanted = append(*f.Wanted, text)
	}
	return vector
}
