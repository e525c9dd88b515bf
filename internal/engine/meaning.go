package engine

import (
	"context"
	"errors"
	"sync"
	"time"

	"urgentparrot.example/internal/core/encoder"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/store"
)

// A meaning makes vectors of texts.
type meaning struct {
	model  string // names the model: vectors of different ones do not compare; "": there is none
	encode func(ctx context.Context, texts []string) ([][]float32, error)
}

// builtIn is the encoder that ships with the product. It knows English.
func builtIn(_ context.Context, texts []string) ([][]float32, error) {
	e, err := encoder.Shared()
	if err != nil {
		return nil, err
	}
	vectors := make([][]float32, len(texts))
	for i, t := range texts {
		vectors[i] = e.Encode(t)
	}
	return vectors, nil
}

// meaning returns what makes the vectors of this workspace.
func (w *Workspace) meaning() meaning {
	c := w.config.Load()
	switch {
	case c.settings.Embeddings.Connection != "":
		name, model := c.settings.Embeddings.Connection, c.settings.Embeddings.Model
		return meaning{name + "/" + model + "/" + knowledge.ViewsVersion, func(ctx context.Context, texts []string) ([][]float32, error) {
			endpoint, err := w.endpoint(ctx, name)
			if err != nil {
				return nil, err
			}
			return endpoint.Embed(ctx, model, texts)
		}}
	case c.settings.Language == "en":
		return meaning{encoder.Version + "/" + knowledge.ViewsVersion, builtIn}
	}
	return meaning{}
}

// questionTime is how long the meaning of a question is waited for; after that it
// is looked for by its words alone.
const questionTime = 2 * time.Second

// encodeQuestion returns the vector of a question, or nil if it cannot be had.
func (w *Workspace) encodeQuestion(question string) []float32 {
	m := w.meaning()
	key := m.model + "\x00" + question
	if vector, ok := w.vectors.get(key); ok {
		return vector
	}
	ctx, cancel := context.WithTimeout(w.running, questionTime)
	defer cancel()
	made, err := m.encode(ctx, []string{question})
	if err != nil || len(made) != 1 {
		w.log.Warn("a question's meaning could not be had", "model", m.model, "error", err)
		return nil
	}
	w.vectors.put(key, made[0])
	return made[0]
}

// vectors remembers the vectors of questions asked lately. The zero vectors is
// ready for use.
type vectors struct {
	mu         sync.Mutex
	young, old map[string][]float32
}

// keptVectors is how many are remembered at least.
const keptVectors = 1_000

func (v *vectors) get(key string) ([]float32, bool) {
	v.mu.Lock()
	defer v.mu.Unlock()
	vector, ok := v.young[key]
	if !ok {
		vector, ok = v.old[key]
	}
	return vector, ok
}

func (v *vectors) put(key string, vector []float32) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.young == nil || len(v.young) >= keptVectors {
		v.old, v.young = v.young, map[string][]float32{}
	}
	v.young[key] = vector
}

// encoding makes the vectors of passages, behind the scenes: passages are found
// by their words from the first moment, by their meaning once it is known.
type encoding struct {
	w     *Workspace
	due   chan struct{}
	ended sync.WaitGroup
}

func newEncoding(w *Workspace) *encoding { return &encoding{w: w, due: make(chan struct{}, 1)} }

func (e *encoding) wake() {
	select {
	case e.due <- struct{}{}:
	default:
	}
}

// together is how many passages are encoded before they join the index.
const together = 64

func (e *encoding) run() {
	pause := time.Duration(0)
	for {
		if pause > 0 {
			select {
			case <-time.After(pause):
			case <-e.w.running.Done():
				return
			}
		} else {
			select {
			case <-e.due:
			case <-e.w.running.Done():
				return
			}
		}
		pause = 0
		for more := true; more; {
			var err error
			if more, err = e.batch(e.w.running); err != nil {
				if errors.Is(err, context.Canceled) || errors.Is(err, store.ErrClosed) {
					return
				}
				e.w.log.Warn("passages could not be encoded and will be tried again", "error", err)
				pause = time.Minute
				break
			}
		}
	}
}

func (e *encoding) close() { e.ended.Wait() }

// batch encodes some passages. It reports whether there may be more.
func (e *encoding) batch(ctx context.Context) (more bool, err error) {
	m := e.w.meaning()
	if m.model == "" {
		return false, nil
	}
	passages, err := e.w.store.PassagesWithout(ctx, m.model, together)
	if err != nil {
		return false, err
	}
	house, err := e.w.store.HousePassagesWithout(ctx, m.model, together)
	if err != nil {
		return false, err
	}
	if passages = append(passages, house...); len(passages) == 0 {
		return false, nil
	}
	for i := range passages {
		vectors, err := m.encode(ctx, passages[i].Said())
		if err != nil {
			return false, err
		}
		for _, vector := range vectors {
			passages[i].Views = append(passages[i].Views, knowledge.Pack(vector))
		}
		if err := ctx.Err(); err != nil {
			return false, err
		}
	}
	e.w.editing.Lock()
	defer e.w.editing.Unlock()
	if err := e.w.write(ctx, func(tx *store.Tx) error { return tx.PutViews(m.model, passages) }); err != nil {
		return false, err
	}
	// Those that are still there join the index with their vectors.
	encoded := map[string]*knowledge.Passage{}
	for i := range passages {
		encoded[passages[i].ID] = &passages[i]
	}
	var joined []knowledge.Passage
	index := e.w.index.Load().Change(func(p *knowledge.Passage) bool {
		made := encoded[p.ID]
		if made == nil || made.Text != p.Text {
			return false
		}
		joined = append(joined, *made)
		return true
	}, nil)
	e.w.index.Store(index.Change(nil, joined))
	return true, nil
}
