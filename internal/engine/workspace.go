// Package engine runs the core over time: it takes messages in, decides turns in
// order, carries effects out until they are confirmed, and survives a crash at
// any point.
package engine

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/gofrs/flock"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/kinds"
	"urgentparrot.example/internal/library"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/reading"
	"urgentparrot.example/internal/store"
)

// Options are what a workspace is opened with. The zero value works.
type Options struct {
	Log       *slog.Logger
	Clock     clock.Clock                       // the machine's, if nil
	Chance    func(time.Duration) time.Duration // a duration below another, to spread tries; at random, if nil
	PublicURL string                            // under which people reach the console, for links in mails
	RetryBase time.Duration                     // the pause after a first failed try; 1s if zero
	GiveUp    time.Duration                     // how long an effect is tried; 48h if zero
	Rules     outbound.Rules                    // for all that is called outside
	Programs  map[string][]string               // MCP servers on this host, by name: the program with its arguments
	Pace      time.Duration                     // between two readings of one website; see reading.Fetcher
	Reader    reading.Reader                    // of files and pages; reading.Here, if nil
	Channels  []channel.Kind                    // that can be opened; all, if nil
	Documents []document.Kind                   // that can be kept; all, if nil
	Still     bool                              // only to be looked at: nothing is taken in, decided, sent, read or written by itself
}

func (o *Options) fill() {
	if o.Log == nil {
		o.Log = slog.New(slog.DiscardHandler)
	}
	if o.Clock == nil {
		o.Clock = clock.Real{}
	}
	if o.Chance == nil {
		o.Chance = rand.N[time.Duration]
	}
	if o.RetryBase == 0 {
		o.RetryBase = time.Second
	}
	if o.GiveUp == 0 {
		o.GiveUp = 48 * time.Hour
	}
	if o.Reader == nil {
		o.Reader = reading.Here{}
	}
	if o.Channels == nil {
		o.Channels = kinds.Channels
	}
	if o.Documents == nil {
		o.Documents = kinds.WithChannels(o.Channels)
	}
}

// A Workspace is one business: its records, its knowledge and its queues, divided
// by subject. It is safe for concurrent use.
type Workspace struct {
	Name  string
	Clock clock.Clock

	Documents *Documents // what the workspace consists of
	Channels  *Channels  // the ways in
	Library   *library.Library
	Inbox     *Inbox // what people do in conversations
	Tools     *Tools
	Contacts  *Contacts // what is known of those who wrote
	Sheets    *Sheets
	Outbox    *Outbox   // what is to be done outside
	Timers    *Timers   // what is to happen at a time
	Access    *Access   // who may come in
	Consents  *Consents // who has let us in to other systems
	Flows     *Flows    // what happens step by step
	Forms     *Forms

	folder   string
	options  Options
	log      *slog.Logger
	store    *store.Store
	key      []byte
	lock     *flock.Flock
	client   *http.Client // for calls to other systems
	models   *http.Client // for requests to models, which take longer
	resting  resting      // models that failed
	effects  map[string]EffectKind
	config   atomic.Pointer[config]
	paused   atomic.Pointer[store.Switch]
	hub      hub
	turns    *queue
	failures failures
	finished *finished
	working  sync.WaitGroup
	stop     context.CancelFunc
	running  context.Context
}

// file is the name of the database in a workspace's folder.
const file = "parrot.db"

// Folders returns the workspaces in a data folder: the folder itself, if it is one, or
// those in it.
func Folders(data string) (folders []string, err error) {
	if _, err := os.Stat(filepath.Join(data, file)); err == nil {
		return []string{data}, nil
	}
	entries, err := os.ReadDir(data)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	for _, entry := range entries {
		folder := filepath.Join(data, entry.Name())
		if _, err := os.Stat(filepath.Join(folder, file)); err == nil {
			folders = append(folders, folder)
		}
	}
	return folders, err
}

// ErrInUse is returned for a folder that another process works in.
var ErrInUse = errors.New("the data folder is in use by another process")

// Open opens the workspace in a folder, making it if it is new, and goes on
// where it stopped.
func Open(ctx context.Context, folder string, o Options) (*Workspace, error) {
	o.fill()
	for _, sub := range []string{"", "files", "sheets", attachments} {
		if err := os.MkdirAll(filepath.Join(folder, sub), 0o700); err != nil {
			return nil, err
		}
	}
	w := &Workspace{Name: filepath.Base(folder), Clock: o.Clock, folder: folder, options: o, log: o.Log.With("workspace", filepath.Base(folder))}
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
	if w.effects, err = registerEffects(effectKinds); err != nil {
		return err
	}
	if w.key, err = loadKey(filepath.Join(w.folder, "key")); err != nil {
		return err
	}
	if w.store, err = store.Open(ctx, filepath.Join(w.folder, file)); err != nil {
		return err
	}
	w.running, w.stop = context.WithCancel(context.WithoutCancel(ctx))
	transport := w.options.Rules.Transport()
	transport.MaxIdleConnsPerHost = 64
	w.client = &http.Client{
		Transport:     transport,
		Timeout:       30 * time.Second,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
	patient := w.options.Rules.Transport()
	patient.MaxIdleConnsPerHost, patient.ResponseHeaderTimeout = 256, 0 // each request has its own time
	w.models = &http.Client{Transport: patient, CheckRedirect: w.client.CheckRedirect}
	w.Documents, w.Inbox, w.Contacts, w.Tools = &Documents{w: w}, &Inbox{w}, &Contacts{w}, &Tools{w}
	w.Channels, w.Outbox, w.Timers = newChannels(w), newOutbox(w), newTimers(w)
	w.Access, w.Consents = newAccess(w), newConsents(w)
	w.Flows, w.Forms = newFlows(w), &Forms{w}
	w.turns, w.finished, w.Sheets = newQueue(w.decide), newFinished(w), newSheets(w)
	if err := w.start(ctx); err != nil {
		return errors.Join(err, w.shutDown())
	}
	return nil
}

// start loads what the workspace works with and takes up unfinished work.
func (w *Workspace) start(ctx context.Context) (err error) {
	if err := w.Documents.load(ctx); err != nil {
		return err
	}
	if err := w.Documents.bindSecrets(ctx); err != nil {
		return err
	}
	if w.Library, err = library.Open(ctx, library.Options{
		Store: w.store, Folder: filepath.Join(w.folder, "files"), Clock: w.Clock, Log: w.log,
		Fetcher: &reading.Fetcher{Rules: w.options.Rules, Pace: w.options.Pace, Reader: w.options.Reader},
		Changed: func() { w.hub.signal(Events) }, Settings: w.Documents.Settings, Private: w.Documents.privateSources, Endpoint: w.Documents.endpoint, Questions: w.questions, Still: w.options.Still,
	}); err != nil || w.options.Still {
		return err
	}
	if err := w.Channels.update(ctx); err != nil {
		return err
	}
	if err := w.sweep(ctx); err != nil {
		return err
	}
	const most = 1 << 20
	pending, err := w.store.Effects(ctx, "pending", most)
	if err != nil {
		return err
	}
	w.Outbox.add(pending...)
	failed, err := w.store.FailedTurns(ctx)
	if err != nil {
		return err
	}
	for _, f := range failed {
		w.failures.add(f.ConversationID)
	}
	if err := w.loadPause(ctx); err != nil {
		return err
	}
	if err := w.Flows.update(ctx); err != nil {
		return err
	}
	if err := w.takeUp(ctx); err != nil {
		return err
	}
	w.working.Go(w.Flows.listen)
	w.Sheets.writeAll()
	w.Timers.ended.Go(w.Timers.run)
	w.working.Go(w.sweepHourly)
	w.store.CheckOn()
	return nil
}

// reload uses the documents as they are now.
func (w *Workspace) reload(ctx context.Context) error {
	before := w.Documents.Settings()
	if err := w.Documents.load(ctx); err != nil {
		return err
	}
	if err := w.Channels.update(ctx); err != nil {
		return err
	}
	if err := w.Flows.update(ctx); err != nil {
		return err
	}
	now := w.Documents.Settings()
	if before.Language == now.Language && reflect.DeepEqual(before.Synonyms, now.Synonyms) && reflect.DeepEqual(before.CustomersSay, now.CustomersSay) && before.Embeddings == now.Embeddings {
		return nil // the index is made of the same words
	}
	return w.Library.Reindex(ctx)
}

// keptEvents is how long events can be read again.
const keptEvents = 7 * 24 * time.Hour

func (w *Workspace) sweep(ctx context.Context) error {
	now := w.Clock.Now()
	w.Outbox.sweep()
	return errors.Join(w.sweepFiles(ctx), w.sweepCopies(), w.store.Write(ctx, func(tx *store.Tx) error {
		return errors.Join(tx.SweepAccess(now), tx.SweepEvents(now.Add(-keptEvents)), tx.SweepModelUse(now), tx.SweepReplyTokens(now.Add(-repliesFor)))
	}))
}

// leftOver is how old a file is that nothing refers to when it is removed: one that is
// being written is younger.
const leftOver = time.Hour

// sweepFiles removes what crashes left half written, and the originals of sources that
// are gone.
func (w *Workspace) sweepFiles(ctx context.Context) error {
	originals, err := w.store.Originals(ctx)
	if err != nil {
		return err
	}
	attached, err := w.store.AttachedHashes(ctx)
	if err != nil {
		return err
	}
	for _, folder := range []string{"files", "sheets", attachments} {
		entries, err := os.ReadDir(filepath.Join(w.folder, folder))
		if err != nil {
			return err
		}
		for _, entry := range entries {
			torn := strings.HasPrefix(entry.Name(), ".")
			gone := folder == "files" && len(entry.Name()) == 2*sha256.Size && !originals[entry.Name()] || folder == attachments && !attached[entry.Name()]
			info, err := entry.Info()
			if err != nil || !torn && !gone || time.Since(info.ModTime()) < leftOver {
				continue
			}
			if err := os.Remove(filepath.Join(w.folder, folder, entry.Name())); err != nil {
				return err
			}
		}
	}
	return nil
}

// Trouble says why nothing can be kept, or that the records are damaged; "" if all is
// well. If something could not be kept, it is tried whether that is over.
func (w *Workspace) Trouble(ctx context.Context) string {
	if w.store.Trouble() != "" {
		_ = w.store.Probe(ctx, w.Clock.Now()) // what comes of it is in the trouble
	}
	return w.store.Trouble()
}

func (w *Workspace) sweepHourly() {
	for {
		passed, stop := w.Clock.Timer(time.Hour)
		select {
		case <-passed:
			if err := w.sweep(w.running); err != nil && w.running.Err() == nil {
				w.log.Error("sweep", "error", err)
			}
		case <-w.running.Done():
			stop()
			return
		}
	}
}

// Close stops the work in hand and closes the workspace. What was not finished
// goes on when it is opened again.
func (w *Workspace) Close() error {
	return errors.Join(w.shutDown(), w.lock.Unlock())
}

func (w *Workspace) shutDown() error {
	w.stop()
	w.Channels.close()
	if w.Library != nil {
		w.Library.Close()
	}
	w.Timers.ended.Wait()
	w.Flows.happening.close()
	w.Flows.runs.close()
	w.turns.close()
	w.working.Wait()
	w.Outbox.close()
	w.finished.close()
	w.Sheets.close()
	return w.store.Close()
}

// Store gives readers access to the records.
func (w *Workspace) Store() *store.Store { return w.store }

// Events is the topic that every change of the workspace is signalled on.
const Events = "events"

// Watch returns a channel that is signalled when something happens on a topic,
// and what ends the watch.
func (w *Workspace) Watch(topic string) (<-chan struct{}, func()) { return w.hub.watch(topic) }

// customerTopic is the topic of what is said with one handle.
func customerTopic(channel, address string) string { return channel + "\x00" + address }

// write commits work and tells those who watch.
func (w *Workspace) write(ctx context.Context, work func(*store.Tx) error) error {
	err := w.store.Write(ctx, work)
	if err == nil {
		w.hub.signal(Events)
	}
	return err
}
