package library

import (
	"context"
	"errors"
	"strings"
	"time"

	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/encoder"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/store"
)

// reindexSource brings the index up to date with a source.
func (l *Library) reindexSource(ctx context.Context, id string) error {
	passages, err := l.Store.Passages(ctx, id, l.model().name)
	if err != nil {
		return err
	}
	l.index.Store(l.index.Load().Change(func(p *knowledge.Passage) bool { return p.SourceID == id }, passages))
	l.encoding.wake()
	l.asking.wake()
	return l.loadSources(ctx)
}

// Reindex builds the index anew, as after a change of settings.
func (l *Library) Reindex(ctx context.Context) error {
	model := l.model().name
	b := knowledge.Builder{Analyzer: l.Settings().Analyzer()}
	if err := l.Store.AllPassages(ctx, model, b.Add); err != nil {
		return err
	}
	house, err := l.Store.HousePassages(ctx, model)
	if err != nil {
		return err
	}
	b.Add(house)
	l.index.Store(b.Index())
	l.encoding.wake()
	l.asking.wake()
	return errors.Join(l.loadSources(ctx), l.loadGaps(ctx))
}

// loadSources notes the ids of sources by their names, for briefs.
func (l *Library) loadSources(ctx context.Context) error {
	sources, err := l.Store.Sources(ctx)
	if err != nil {
		return err
	}
	ids := map[string]string{}
	for _, s := range sources {
		ids[s.Name] = s.ID
	}
	l.sourceIDs.Store(&ids)
	return nil
}

// Index returns the knowledge as it is now.
func (l *Library) Index() *knowledge.Index { return l.index.Load() }

// finder returns what finds passages for a bot: in the sources that its brief
// names, in their order, or in all that other bots do not keep for themselves; always in the
// house answers.
func (l *Library) finder(brief bot.Brief, vectors *answer.Vectors) answer.Finder {
	f := answer.Finder{Index: l.index.Load(), Scope: knowledge.Scope{Now: l.Clock.Now().In(l.Settings().Zone()), For: []string{brief.Name}}, Vectors: vectors, Tokens: l.tokensOf, Lately: &l.lately, Sources: brief.Name + "\n" + strings.Join(brief.Sources, "\n"), Calibration: *l.taught.Load(), Title: l.Settings().Title}
	if len(brief.Sources) > 0 {
		ids := *l.sourceIDs.Load()
		f.Scope.Sources = map[string]int{store.HouseSource: 0}
		for place, name := range brief.Sources {
			if id, ok := ids[name]; ok {
				f.Scope.Sources[id] = place
			}
		}
		return f
	}
	if l.Private == nil || brief.LooksEverywhere() {
		return f
	}
	if private := l.Private(); len(private) > 0 {
		ids := *l.sourceIDs.Load()
		f.Scope.Without = map[string]bool{}
		for _, name := range private {
			f.Scope.Without[ids[name]] = true
		}
		f.Sources = brief.Name + "\nall but\n" + strings.Join(private, "\n")
	}
	return f
}

// questionTime is how long the meaning of questions is waited for; after that
// they are looked for by their words alone.
const questionTime = 2 * time.Second

// mostRounds is how often work is run again because it wanted further vectors.
const mostRounds = 3

// With runs work with what finds passages for a bot. Where a model outside makes
// the vectors, those that the work wanted are fetched and it is run again, so it
// must do the same whenever it is given the same. When the model takes too long,
// words must do.
func (l *Library) With(ctx context.Context, brief bot.Brief, work func(answer.Finder)) {
	m := l.model()
	f := l.finder(brief, m.vectors)
	if m.encode == nil || m.local {
		work(f)
		return
	}
	limited, cancel := clock.WithTimeout(ctx, l.Clock, questionTime)
	defer cancel()
	for range mostRounds {
		var wanted []string
		f.Wanted = &wanted
		work(f)
		if len(wanted) == 0 {
			return
		}
		made, err := m.encode(limited, wanted)
		if err != nil {
			l.Log.Warn("the meaning of a question could not be had", "model", m.name, "error", errors.Join(err, context.Cause(limited)))
			return
		}
		for i, vector := range made {
			m.vectors.Put(wanted[i], vector.Vector)
		}
	}
	f.Wanted = nil
	work(f)
}

// A model makes vectors of texts.
type model struct {
	name    string // vectors of different ones do not compare; "": there is none
	local   bool   // the encoder that ships with the product
	encode  func(ctx context.Context, texts []string) ([]encoder.Reading, error)
	vectors *answer.Vectors // of questions asked lately
}

// builtIn is the encoder that ships with the product. It knows English.
func builtIn(ctx context.Context, texts []string) ([]encoder.Reading, error) {
	e, err := encoder.Shared()
	if err != nil {
		return nil, err
	}
	readings := make([]encoder.Reading, len(texts))
	for i, t := range texts {
		if readings[i], err = e.Read(ctx, t); err != nil {
			return nil, err
		}
	}
	return readings, nil
}

// model returns what makes the vectors, as the settings say.
func (l *Library) model() *model {
	settings := l.Settings()
	name := ""
	switch {
	case settings.Embeddings.Connection != "":
		name = settings.Embeddings.Connection + "/" + settings.Embeddings.Model
	case settings.Language == "en":
		name = encoder.Version
	default:
		return &model{}
	}
	name += "/" + knowledge.ViewsVersion
	before := l.used.Load()
	if before != nil && before.name == name {
		return before
	}
	m := &model{name: name, vectors: answer.NewVectors(nil)}
	if connection := settings.Embeddings.Connection; connection != "" {
		m.encode = func(ctx context.Context, texts []string) ([]encoder.Reading, error) {
			endpoint, err := l.Endpoint(ctx, connection)
			if err != nil {
				return nil, err
			}
			vectors, err := endpoint.Embed(ctx, settings.Embeddings.Model, texts)
			readings := make([]encoder.Reading, len(vectors))
			for i, vector := range vectors {
				readings[i].Vector = vector
			}
			return readings, err
		}
	} else if e, err := encoder.Shared(); err == nil {
		m.local, m.encode, m.vectors = true, builtIn, answer.NewVectors(e)
	}
	if !l.used.CompareAndSwap(before, m) {
		return l.model() // somebody else was first; what their model remembers is kept
	}
	return m
}
