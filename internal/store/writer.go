package store

import (
	"context"
	"database/sql"
	"errors"
	"sync"
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
}

type write struct {
	run  func(*Tx) error
	done chan error
}

func startWriter(db *sql.DB) *writer {
	w := &writer{db: db, work: make(chan *write, groupSize), quit: make(chan struct{})}
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
	job := &write{run: work, done: make(chan error, 1)}
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
	tx := &Tx{conn: conn, statements: map[string]*sql.Stmt{}}
	for {
		var group []*write
		select {
		case job := <-w.work:
			group = append(group, job)
		case <-w.quit:
			return
		}
	fill:
		for len(group) < groupSize {
			select {
			case job := <-w.work:
				group = append(group, job)
			default:
				break fill
			}
		}
		if conn == nil {
			for _, job := range group {
				job.done <- err
			}
			continue
		}
		if tx.commit(group) == nil {
			for _, job := range group {
				job.done <- nil
			}
			continue
		}
		// Something in the group failed: each is tried alone.
		for _, job := range group {
			job.done <- tx.commit([]*write{job})
		}
	}
}

// A Tx is a write in progress. It belongs to the function that it is handed to.
type Tx struct {
	conn       *sql.Conn
	statements map[string]*sql.Stmt // prepared on conn
	events     []pendingEvent
}

func (t *Tx) commit(group []*write) error {
	if _, err := t.exec("BEGIN IMMEDIATE"); err != nil {
		return err
	}
	t.events = t.events[:0]
	for _, job := range group {
		if err := job.run(t); err != nil {
			_, failed := t.exec("ROLLBACK")
			return errors.Join(err, failed)
		}
	}
	err := t.writeEvents()
	if err == nil {
		_, err = t.exec("COMMIT")
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
