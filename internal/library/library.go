// Package library keeps a workspace's knowledge over time: it reads sources, again
// when they are due, encodes their passages behind the scenes, finds passages for
// bots, and learns from what people reply.
package library

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"sync/atomic"

	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/connect"
	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/reading"
	"urgentparrot.example/internal/store"
)

// Options are what a library works with.
type Options struct {
	Store    *store.Store
	Folder   string // for the original files
	Clock    clock.Clock
	Log      *slog.Logger
	Fetcher  *reading.Fetcher
	Changed  func() // called after each change of the records
	Settings func() workspace.Settings
	Private  func() []string // names of sources that bots keep for themselves; nil: there are none
	Still    bool            // nothing is read or encoded by itself
	// Questions writes the questions that a passage answers, or returns ErrNotNow; nil:
	// nobody does.
	Questions func(ctx context.Context, p knowledge.Passage) ([]string, error)
	Endpoint  func(ctx context.Context, connection string) (connect.Endpoint, error) // of the model that makes vectors
}

// A Library is the knowledge of one workspace. It is safe for concurrent use.
type Library struct {
	Options

	Editing   sync.Mutex // one change of knowledge at a time
	index     atomic.Pointer[knowledge.Index]
	sourceIDs atomic.Pointer[map[string]string] // by name
	used      atomic.Pointer[model]
	taught    atomic.Pointer[answer.Calibration] // by what customers said; the zero one: nothing
	gaps      gaps
	lately    answer.Lately
	tokens    tokens
	readers   *readers
	encoding  *encoding
	asking    *asking
	running   context.Context
	stop      context.CancelFunc
}

// Open loads the knowledge and goes on reading and encoding it.
func Open(ctx context.Context, o Options) (*Library, error) {
	l := &Library{Options: o}
	l.running, l.stop = context.WithCancel(context.WithoutCancel(ctx))
	l.sourceIDs.Store(&map[string]string{})
	l.taught.Store(&answer.Calibration{})
	l.readers, l.encoding = newReaders(l), newEncoding(l)
	l.asking = newAsking(l)
	if err := errors.Join(l.Reindex(ctx), l.loadCalibration(ctx)); err != nil {
		l.stop()
		return nil, err
	}
	if o.Still {
		return l, nil
	}
	l.encoding.ended.Go(l.encoding.run)
	l.readers.ended.Go(l.readers.run)
	l.asking.ended.Go(l.asking.run)
	l.asking.wake()
	return l, nil
}

// Close breaks off what is being read or encoded; it goes on when the library is
// opened again.
func (l *Library) Close() {
	l.stop()
	l.readers.close()
	l.encoding.close()
	l.asking.close()
}

// Warning says what those who run the service should know of how files are read, ""
// if nothing.
func (l *Library) Warning() string { return l.Fetcher.Reader.Warning() }

// write commits work and tells those who watch.
func (l *Library) write(ctx context.Context, work func(*store.Tx) error) error {
	err := l.Store.Write(ctx, work)
	if err == nil {
		l.Changed()
	}
	return err
}
