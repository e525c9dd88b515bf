package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"time"

	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"

	"urgentparrot.example/internal/safely"
)

// groupSize is how many waiting writes are committed together at most.
const groupSize = 128

// ErrClosed is returned for work that comes after Close.
var ErrClosed = errors.New("the workspace is being closed")

type writer struct {
	db    *sql.DB
	work  chan *write
	quit  chan struct{}
	ended sync.WaitGroup

	listens  atomic.Pointer[map[string]bool] // for which kinds of happenings there are flows
	occurred chan struct{}                   // signalled when something may start flows

	trouble atomic.Pointer[string] // why nothing can be kept; nil: it can
	damaged atomic.Pointer[string] // why the file is not whole
}

// Trouble says why nothing can be kept at the moment, or that the records are damaged,
// in words for people; "" if all is well. It is found out by writing: see Probe.
func (s *Store) Trouble() string {
	for _, p := range []*atomic.Pointer[string]{&s.writer.damaged, &s.writer.trouble} {
		if why := p.Load(); why != nil {
			return *why
		}
	}
	return ""
}

// Probe writes something that means nothing, to find out whether a trouble is over.
func (s *Store) Probe(ctx context.Context, now time.Time) error {
	return s.Write(ctx, func(tx *Tx) error {
		_, err := tx.exec(`INSERT INTO probe (id, at) VALUES (1, ?) ON CONFLICT (id) DO UPDATE SET at = excluded.at`, millis(now))
		return err
	})
}

func (w *writer) damage(why error) {
	words := why.Error()
	w.damaged.Store(&words)
}

// note takes from what came of a commit whether anything can be kept.
func (w *writer) note(err error) {
	if err == nil {
		if w.trouble.Load() != nil {
			w.trouble.Store(nil)
		}
		return
	}
	var cause *sqlite.Error
	if !errors.As(err, &cause) {
		return
	}
	const lowByte = 0xff // of an extended code is the kind of error
	words := ""
	switch cause.Code() & lowByte {
	case sqlite3.SQLITE_FULL:
		words = "the disk is full: nothing more can be kept; make room on it"
	case sqlite3.SQLITE_IOERR:
		words = "the disk does not take what is to be kept: " + cause.Error()
	case sqlite3.SQLITE_READONLY, sqlite3.SQLITE_CANTOPEN, sqlite3.SQLITE_PERM:
		words = "the records cannot be written: " + cause.Error()
	case sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB:
		w.damage(fmt.Errorf("%w: stop the service and put a backup in their place", ErrDamaged))
		return
	default:
		return
	}
	w.trouble.Store(&words)
}

type write struct {
	run   func(*Tx) error
	alone string // a statement to be run outside of any transaction, in place of run
	done  chan error
}

func startWriter(db *sql.DB) *writer {
	w := &writer{db: db, work: make(chan *write, groupSize), quit: make(chan struct{}), occurred: make(chan struct{}, 1)}
	w.ended.Add(1)
	go w.loop()
	return w
}

func (w *writer) stop() {
	close(w.quit)
	w.ended.Wait()
}

// Write runs work in a transaction and returns once it is on disk. Work of
// several callers is committed together; work that fails is rolled back alone.
// It must do nothing but use the Tx and set results, since it is run a second
// time when other work of its group fails.
func (s *Store) Write(ctx context.Context, work func(*Tx) error) error {
	return s.submit(ctx, &write{run: work})
}

// submit has the writer do a job, and waits for its end.
func (s *Store) submit(ctx context.Context, job *write) error {
	job.done = make(chan error, 1)
	select {
	case s.writer.work <- job:
	case <-s.writer.quit:
		return ErrClosed
	case <-ctx.Done():
		return ctx.Err()
	}
	// From here on the work may be done: its end is waited for.
	select {
	case err := <-job.done:
		return err
	case <-s.writer.quit:
		s.writer.ended.Wait()
		select {
		case err := <-job.done:
			return err
		default:
			return ErrClosed
		}
	}
}

func (w *writer) loop() {
	defer w.ended.Done()
	ctx := context.Background()
	conn, err := w.db.Conn(ctx)
	if err != nil {
		conn = nil // every write says so
	} else {
		defer conn.Close()
	}
	tx := &Tx{conn: conn, statements: map[string]*sql.Stmt{}, writer: w}
	for {
		var group []*write
		var alone *write
		select {
		case job := <-w.work:
			group, alone = joined(group, job)
		case <-w.quit:
			return
		}
	fill:
		for len(group) < groupSize && alone == nil {
			select {
			case job := <-w.work:
				group, alone = joined(group, job)
			default:
				break fill
			}
		}
		if conn == nil {
			if alone != nil {
				group = append(group, alone)
			}
			for _, job := range group {
				job.done <- err
			}
			continue
		}
		w.commit(tx, group)
		if alone != nil {
			_, err := conn.ExecContext(ctx, alone.alone)
			alone.done <- err
		}
	}
}

// joined adds a job to a group, or returns it if it is to be done alone.
func joined(group []*write, job *write) ([]*write, *write) {
	if job.alone != "" {
		return group, job
	}
	return append(group, job), nil
}

// commit commits a group together, or if something in it fails, each alone.
func (w *writer) commit(tx *Tx, group []*write) {
	if len(group) == 0 {
		return
	}
	if tx.commit(group) == nil {
		w.note(nil)
		for _, job := range group {
			job.done <- nil
		}
		return
	}
	for _, job := range group {
		err := tx.commit([]*write{job})
		w.note(err)
		job.done <- err
	}
}

// A Tx is a write in progress. It belongs to the function that it is handed to.
type Tx struct {
	conn       *sql.Conn
	statements map[string]*sql.Stmt // prepared on conn
	events     []pendingEvent
	occurred   bool // something that may start flows
	writer     *writer
}

func (t *Tx) commit(group []*write) error {
	if _, err := t.exec("BEGIN IMMEDIATE"); err != nil {
		return err
	}
	t.events, t.occurred = t.events[:0], false
	for _, job := range group {
		if err := safely.Do(func() error { return job.run(t) }); err != nil {
			_, failed := t.exec("ROLLBACK")
			return errors.Join(err, failed)
		}
	}
	err := t.writeEvents()
	if err == nil {
		_, err = t.exec("COMMIT")
	}
	if err == nil && t.occurred {
		select {
		case t.writer.occurred <- struct{}{}:
		default:
		}
	}
	if err != nil {
		// A commit that failed may have left the transaction open.
		_, _ = t.exec("ROLLBACK")
	}
	return err
}

func (t *Tx) statement(query string) (*sql.Stmt, error) {
	if st := t.statements[query]; st != nil {
		return st, nil
	}
	st, err := t.conn.PrepareContext(context.Background(), query)
	if err == nil {
		t.statements[query] = st
	}
	return st, err
}

// exec runs a statement and returns how many rows it changed.
func (t *Tx) exec(query string, args ...any) (int64, error) {
	st, err := t.statement(query)
	if err != nil {
		return 0, err
	}
	result, err := st.Exec(args...)
	if err != nil {
		return 0, err
	}
	return result.RowsAffected()
}

// rows runs a query and has each row scanned.
func (t *Tx) rows(query string, args []any, each func(scan func(...any) error) error) error {
	st, err := t.statement(query)
	if err != nil {
		return err
	}
	rows, err := st.Query(args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		if err := each(rows.Scan); err != nil {
			return err
		}
	}
	return rows.Err()
}

// row runs a query for one row and scans it; none is ErrNotFound.
func (t *Tx) row(query string, args []any, into ...any) error {
	st, err := t.statement(query)
	if err != nil {
		return err
	}
	err = st.QueryRow(args...).Scan(into...)
	if errors.Is(err, sql.ErrNoRows) {
		return ErrNotFound
	}
	return err
}
