// Package engine runs the core over time: it takes messages in, decides turns in
// order, carries effects out until they are confirmed, and survives a crash at
// any point.
package engine

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"

	"github.com/gofrs/flock"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/reading"
	"urgentparrot.example/internal/store"
)

// Options are what a workspace is opened with. The zero value works.
type Options struct {
	Log       *slog.Logger
	Now       func() time.Time
	PublicURL string        // under which people reach the console, for links in mails
	RetryBase time.Duration // the pause after a first failed try; 1s if zero
	GiveUp    time.Duration // how long an effect is tried; 48h if zero
	Fetch     reading.Fetcher
}

// A Workspace is one business: its records, its knowledge and its queues. It is
// safe for concurrent use.
type Workspace struct {
	Name string

	folder  string
	options Options
	log     *slog.Logger
	store   *store.Store
	key     []byte
	lock    *flock.Flock
	client  *http.Client // for calls to other systems

	editing sync.Mutex // one change of documents or knowledge at a time
	config  atomic.Pointer[config]
	index   atomic.Pointer[knowledge.Index]

	sourceIDs atomic.Pointer[map[string]string] // by name
	hub       hub
	latest    latest
	vectors   vectors
	gaps      gaps
	fetcher   *reading.Fetcher
	readers   *readers
	encoding  *encoding
	turns     *queue
	outbox    *outbox
	finished  *finished
	sheets    *sheetFiles
	stop      context.CancelFunc
	running   context.Context
}

// ErrInUse is returned for a folder that another process works in.
var ErrInUse = errors.New("the data folder is in use by another process")

// Open opens the workspace in a folder, making it if it is new, and goes on
// where it stopped.
func Open(ctx context.Context, folder string, o Options) (*Workspace, error) {
	if o.Log == nil {
		o.Log = slog.New(slog.DiscardHandler)
	}
	if o.Now == nil {
		o.Now = time.Now
	}
	if o.RetryBase == 0 {
		o.RetryBase = time.Second
	}
	if o.GiveUp == 0 {
		o.GiveUp = 48 * time.Hour
	}
	for _, sub := range []string{"", "files", "sheets"} {
		if err := os.MkdirAll(filepath.Join(folder, sub), 0o700); err != nil {
			return nil, err
		}
	}
	w := &Workspace{Name: filepath.Base(folder), folder: folder, options: o, log: o.Log.With("workspace", filepath.Base(folder))}
	w.lock = flock.New(filepath.Join(folder, "lock"))
	if held, err := w.lock.TryLock(); err != nil {
		return nil, err
	} else if !held {
		return nil, fmt.Errorf("%w: %s", ErrInUse, folder)
	}
	if err := w.open(ctx); err != nil {
		return nil, errors.Join(err, w.lock.Unlock())
	}
	return w, nil
}

func (w *Workspace) open(ctx context.Context) (err error) {
	if w.key, err = loadKey(filepath.Join(w.folder, "key")); err != nil {
		return err
	}
	if w.store, err = store.Open(ctx, filepath.Join(w.folder, "parrot.db")); err != nil {
		return err
	}
	w.running, w.stop = context.WithCancel(context.WithoutCancel(ctx))
	transport := w.options.Fetch.Transport()
	transport.MaxIdleConnsPerHost = 64
	w.client = &http.Client{
		Transport:     transport,
		Timeout:       30 * time.Second,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
	w.turns = newQueue(w.decide)
	w.outbox = newOutbox(w.carryOut)
	w.finished = newFinished(w)
	w.sheets = newSheetFiles(w)
	w.fetcher = &w.options.Fetch
	w.readers = newReaders(w)
	w.encoding = newEncoding(w)
	w.sourceIDs.Store(&map[string]string{})
	if err := w.start(ctx); err != nil {
		return errors.Join(err, w.shutDown())
	}
	return nil
}

// start loads what the workspace works with and takes up unfinished work.
func (w *Workspace) start(ctx context.Context) error {
	if err := w.reload(ctx); err != nil {
		return err
	}
	if err := w.loadGaps(ctx); err != nil {
		return err
	}
	w.encoding.ended.Go(w.encoding.run)
	w.readers.ended.Go(w.readers.run)
	if err := w.sweep(ctx); err != nil {
		return err
	}
	const most = 1 << 20
	pending, err := w.store.Effects(ctx, "pending", most)
	if err != nil {
		return err
	}
	w.outbox.add(pending...)
	undecided, err := w.store.Undecided(ctx)
	if err != nil {
		return err
	}
	for _, id := range undecided {
		w.turns.signal(id)
	}
	for name := range w.config.Load().sheets {
		w.sheets.changed(name)
	}
	go func() {
		for {
			select {
			case <-time.After(time.Hour):
				if err := w.sweep(w.running); err != nil {
					w.log.Error("sweep", "error", err)
				}
			case <-w.running.Done():
				return
			}
		}
	}()
	return nil
}

// keptEvents is how long events can be read again.
const keptEvents = 7 * 24 * time.Hour

func (w *Workspace) sweep(ctx context.Context) error {
	now := w.options.Now()
	return w.store.Write(ctx, func(tx *store.Tx) error {
		return errors.Join(tx.SweepAccess(now), tx.SweepEvents(now.Add(-keptEvents)))
	})
}

// Close stops the work in hand and closes the workspace. What was not finished
// goes on when it is opened again.
func (w *Workspace) Close() error {
	return errors.Join(w.shutDown(), w.lock.Unlock())
}

func (w *Workspace) shutDown() error {
	w.stop()
	w.readers.close()
	w.encoding.close()
	w.turns.close()
	w.outbox.close()
	w.finished.close()
	w.sheets.close()
	return w.store.Close()
}

// Store gives readers access to the records.
func (w *Workspace) Store() *store.Store { return w.store }

// Now is the workspace's clock.
func (w *Workspace) Now() time.Time { return w.options.Now() }

// Events is the topic that every change of the workspace is signalled on.
const Events = "events"

// Watch returns a channel that is signalled when something happens on a topic,
// and what ends the watch.
func (w *Workspace) Watch(topic string) (<-chan struct{}, func()) { return w.hub.watch(topic) }

// visitorTopic is the topic of what is said with one handle.
func visitorTopic(channel, address string) string { return channel + "\x00" + address }

// write commits work and tells those who watch.
func (w *Workspace) write(ctx context.Context, work func(*store.Tx) error) error {
	err := w.store.Write(ctx, work)
	if err == nil {
		w.hub.signal(Events)
	}
	return err
}
