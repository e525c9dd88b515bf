package library

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"sync"
	"time"

	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/reading"
	"urgentparrot.example/internal/safely"
	"urgentparrot.example/internal/store"
)

// readingsAtOnce is how many web sources are read at the same time.
const readingsAtOnce = 2

// longestReading is how long one source may take to read.
const longestReading = 2 * time.Hour

// readers read web sources: at once when asked, and again when they are due.
type readers struct {
	l      *Library
	due    chan struct{} // wakes the clock
	slots  chan struct{}
	ended  sync.WaitGroup
	mu     sync.Mutex
	under  map[string]*underway // sources being read, or waiting for a slot
	closed bool
}

type underway struct {
	stop   context.CancelFunc
	at     reading.Progress
	wanted bool // somebody asked for it, due or not
}

func newReaders(l *Library) *readers {
	return &readers{l: l, due: make(chan struct{}, 1), slots: make(chan struct{}, readingsAtOnce), under: map[string]*underway{}}
}

// run starts readings when they are due, until the workspace is closed.
func (r *readers) run() {
	for {
		now := r.l.Clock.Now()
		next := time.Minute
		if due, err := r.l.Store.DueSources(r.l.running, now.Add(next)); err == nil {
			for _, s := range due {
				if wait := s.NextAt.Sub(now); wait > 0 {
					next = min(next, wait)
					break
				}
				r.read(s.ID, true)
			}
		}
		passed, stop := r.l.Clock.Timer(max(next, 100*time.Millisecond))
		select {
		case <-passed:
		case <-r.due:
		case <-r.l.running.Done():
			stop()
			return
		}
		stop()
	}
}

func (r *readers) wake() {
	select {
	case r.due <- struct{}{}:
	default:
	}
}

// read starts reading a source, if it is not being read already; with ifDue only if it
// is still due then, as it may just have been read, or if somebody asks for it meanwhile.
func (r *readers) read(id string, ifDue bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if u := r.under[id]; u != nil || r.closed {
		if u != nil && !ifDue {
			u.wanted = true
		}
		return
	}
	ctx, stop := clock.WithTimeout(r.l.running, r.l.Clock, longestReading)
	r.under[id] = &underway{stop: stop}
	r.ended.Add(1)
	go func() {
		defer r.ended.Done()
		select {
		case r.slots <- struct{}{}:
			defer func() { <-r.slots }()
		case <-ctx.Done():
			r.forget(id)
			return
		}
		if ifDue && !r.isDue(id) && !r.wanted(id) {
			return
		}
		defer r.forget(id)
		err := safely.Do(func() error { return r.readSource(ctx, id) })
		var broken *safely.Broken
		if errors.As(err, &broken) {
			r.l.Log.Error("a reading broke", "source", id, "stack", broken.Stack)
			err = errors.Join(err, r.gaveUp(id, broken))
		}
		if err != nil && ctx.Err() == nil {
			r.l.Log.Error("a reading could not be kept", "source", id, "error", err)
		}
	}()
}

// isDue reports whether a source is to be read now.
func (r *readers) isDue(id string) bool {
	s, err := r.l.Store.Source(r.l.running, id)
	return err != nil || !s.NextAt.IsZero() && !s.NextAt.After(r.l.Clock.Now()) // the reading tells of the error
}

// wanted reports whether somebody asked for a source while it was looked whether it is due;
// else it is not read.
func (r *readers) wanted(id string) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	u := r.under[id]
	if u == nil || u.wanted {
		return u != nil
	}
	u.stop()
	delete(r.under, id)
	return false
}

// gaveUp notes that the reading of a source broke: it is not read again by itself.
func (r *readers) gaveUp(id string, why error) error {
	s, err := r.l.Store.Source(r.l.running, id)
	if err != nil {
		return err
	}
	s.NextAt, s.Error = time.Time{}, fmt.Sprintf("reading it failed: %v; %v", why, reading.ErrBroke)
	return r.l.write(r.l.running, func(tx *store.Tx) error { return tx.FailReading(s, r.l.Clock.Now()) })
}

// forget breaks off the reading of a source.
func (r *readers) forget(id string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if u := r.under[id]; u != nil {
		u.stop()
		delete(r.under, id)
	}
}

func (r *readers) underway() map[string]reading.Progress {
	r.mu.Lock()
	defer r.mu.Unlock()
	all := make(map[string]reading.Progress, len(r.under))
	for id, u := range r.under {
		all[id] = u.at
	}
	return all
}

func (r *readers) close() {
	r.mu.Lock()
	r.closed = true
	for _, u := range r.under {
		u.stop()
	}
	r.mu.Unlock()
	r.ended.Wait()
}

// readSource reads a source and keeps what came of it.
func (r *readers) readSource(ctx context.Context, id string) error {
	l := r.l
	s, err := l.Store.Source(ctx, id)
	if err != nil {
		return err
	}
	pages, err := l.Store.Pages(ctx, id)
	if err != nil {
		return err
	}
	known := map[string]reading.Known{}
	for _, p := range pages {
		known[p.Address] = reading.Known{Hash: p.Hash, ETag: p.ETag, Modified: p.Modified}
		if p.Error != "" { // it is asked for whole
			known[p.Address] = reading.Known{Hash: p.Hash, Broke: p.Broke, Error: p.Error}
		}
	}
	lastSignal := time.Time{}
	result, failed := l.Fetcher.Read(ctx, reading.Site{
		Address: s.Address, Follow: s.Kind == store.FromSite, Prefix: s.Options.Prefix,
		Depth: s.Options.Depth, Pages: s.Options.Pages, Pairs: s.Options.Pairs, Known: known,
	}, func(p reading.Progress) {
		r.mu.Lock()
		if u := r.under[id]; u != nil {
			u.at = p
		}
		r.mu.Unlock()
		if now := l.Clock.Now(); now.Sub(lastSignal) > time.Second {
			lastSignal = now
			l.Changed()
		}
	})
	if ctx.Err() != nil && l.running.Err() != nil {
		return nil // the workspace is closing; it is read again when it is due
	}
	l.Editing.Lock()
	defer l.Editing.Unlock()
	ctx = l.running                                   // what was read is kept even when the reading took its whole time
	if s, err = l.Store.Source(ctx, id); err != nil { // it may have been changed meanwhile
		return err
	}
	now := l.Clock.Now()
	s.NextAt = l.nextReading(s)
	if failed != nil {
		s.Error = failed.Error()
		if errors.Is(failed, reading.ErrBroke) {
			s.NextAt = time.Time{}
		}
		return l.write(ctx, func(tx *store.Tx) error { return tx.FailReading(s, now) })
	}
	s.ReadAt, s.Title, s.Error, s.Bytes = now, result.Title, result.Trouble, result.Bytes
	if err := l.write(ctx, func(tx *store.Tx) error { return tx.PutReading(s, keep(result.Pages), result.Whole, now) }); err != nil {
		return err
	}
	for _, p := range result.Pages {
		if !p.Unchanged {
			return l.reindexSource(ctx, id)
		}
	}
	return nil
}

func hashOf(content []byte) string {
	sum := sha256.Sum256(content)
	return hex.EncodeToString(sum[:])
}
