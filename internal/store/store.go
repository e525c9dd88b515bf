// Package store keeps a workspace's records in one SQLite file.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"
	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // the driver called sqlite
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound is returned for a record that is not there.
var ErrNotFound = errors.New("not found")

// A Store is one workspace's database: one writer that commits waiting work in
// groups, and readers on connections of their own. It is safe for concurrent
// use.
type Store struct {
	reader *prepared
	writer *writer
	pools  []*sql.DB

	stopCheck context.CancelFunc // nil: it was checked at once
	goOn      func()             // checks the rest
	checking  sync.WaitGroup
}

// Pragmas are the settings of the writing connection, as part of the driver's
// address. Commits are durable (FULL). The log may grow to some 8 MB before it is
// written back: a page that many commits touch is then written back once. It keeps
// up to 64 MB of pages in memory, if it uses so many.
const Pragmas = pragmas + "&_pragma=cache_size(-65536)"

// There are several reading connections, each with pages of its own; behind them
// stands what the operating system keeps of the file.
const (
	pragmas     = "?_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_pragma=busy_timeout(10000)&_pragma=foreign_keys(1)&_pragma=wal_autocheckpoint(2000)"
	readPragmas = pragmas + "&mode=ro&_pragma=query_only(1)&_pragma=cache_size(-8192)"
)

// address is the address of a file for the driver; what has a meaning in addresses is
// escaped.
func address(path string) string {
	return "file:" + strings.NewReplacer("%", "%25", "?", "%3f", "#", "%23").Replace(path)
}

// Open opens the database file, creating it if needed. A file of an older
// version is copied to FILE.before-N and upgraded; one of a newer version is an
// error.
func Open(ctx context.Context, path string) (*Store, error) {
	writing, err := sql.Open("sqlite", address(path)+Pragmas+"&_txlock=immediate")
	if err != nil {
		return nil, err
	}
	writing.SetMaxOpenConns(1)
	if err := migrate(ctx, path); err != nil {
		return nil, errors.Join(err, writing.Close())
	}
	reading, err := sql.Open("sqlite", address(path)+readPragmas)
	if err != nil {
		return nil, errors.Join(err, writing.Close())
	}
	reading.SetMaxOpenConns(8)
	reading.SetMaxIdleConns(8)
	s := &Store{
		reader: &prepared{db: reading, statements: map[string]*sql.Stmt{}},
		writer: startWriter(writing),
		pools:  []*sql.DB{writing, reading},
	}
	if err := s.check(ctx, path); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

// How long the file is checked before the store is open, and then while it is.
const (
	checkFirst = 60 * time.Millisecond
	checkLong  = 5 * time.Minute
)

// ErrDamaged is returned for a file that was torn.
var ErrDamaged = errors.New("the records are damaged, or not those of this program")

func damaged(path, found string) error {
	return fmt.Errorf("%w (%s: %s): stop the service, put a backup of the folder in its place, or the copy that was made before an upgrade, %s.before-N, and start it again", ErrDamaged, path, found, filepath.Base(path))
}

// check looks whether the file is whole. One that is too large to be checked at once
// is checked on while the store is open; see CheckOn and Trouble.
func (s *Store) check(ctx context.Context, path string) error {
	look := func(ctx context.Context, most time.Duration) (string, error) {
		ctx, cancel := context.WithTimeout(ctx, most)
		defer cancel()
		found := ""
		err := s.pools[1].QueryRowContext(ctx, "PRAGMA quick_check(1)").Scan(&found)
		if ctx.Err() != nil {
			return "", ctx.Err()
		}
		if err != nil {
			return err.Error(), nil
		}
		if found == "ok" {
			return "", nil
		}
		return found, nil
	}
	found, err := look(ctx, checkFirst)
	switch {
	case found != "":
		return damaged(path, found)
	case err == nil || ctx.Err() != nil:
		return ctx.Err()
	}
	running, stop := context.WithCancel(context.Background())
	s.stopCheck = stop
	s.goOn = func() {
		if found, _ := look(running, checkLong); found != "" && running.Err() == nil {
			s.writer.damage(damaged(path, found))
		}
	}
	return nil
}

// CheckOn goes on checking the file, behind the scenes, if it was too large to be checked
// before it was opened. It is to be called once, when what was waited for is done.
func (s *Store) CheckOn() {
	if s.goOn != nil {
		s.checking.Go(s.goOn)
	}
}

// Close waits for work in hand and closes the file.
func (s *Store) Close() error {
	if s.stopCheck != nil {
		s.stopCheck()
	}
	s.checking.Wait()
	s.writer.stop()
	var errs []error
	for _, pool := range s.pools {
		errs = append(errs, pool.Close())
	}
	return errors.Join(errs...)
}

// migrate brings the file to the newest format. Tables are made anew by it, so
// foreign keys are not enforced meanwhile but checked at the end.
func migrate(ctx context.Context, path string) (err error) {
	db, err := sql.Open("sqlite", address(path)+strings.Replace(pragmas, "foreign_keys(1)", "foreign_keys(0)", 1)+"&_txlock=immediate")
	if err != nil {
		return err
	}
	db.SetMaxOpenConns(1)
	defer func() { err = errors.Join(err, db.Close()) }()
	folder, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	provider, err := goose.NewProvider(goose.DialectSQLite3, db, folder)
	if err != nil {
		return fmt.Errorf("prepare %s: %w", path, err)
	}
	current, newest, err := provider.GetVersions(ctx)
	switch {
	case err != nil:
		return damaged(path, err.Error())
	case current > newest:
		return fmt.Errorf("%s was written by a newer version of this program (format %d; this one knows up to %d): install the newer version, or restore a backup made before it", path, current, newest)
	case current == newest:
		return nil
	case current > 0:
		backup := fmt.Sprintf("%s.before-%d", path, newest)
		if _, err := os.Stat(backup); errors.Is(err, fs.ErrNotExist) {
			if _, err := db.ExecContext(ctx, "VACUUM INTO ?", backup); err != nil {
				return fmt.Errorf("copy %s before upgrading it: %w", filepath.Base(path), err)
			}
		}
	}
	if _, err := provider.Up(ctx); err != nil {
		return fmt.Errorf("upgrade %s: %w", path, err)
	}
	var lost string
	if err := db.QueryRowContext(ctx, "SELECT \"table\" FROM pragma_foreign_key_check LIMIT 1").Scan(&lost); !errors.Is(err, sql.ErrNoRows) {
		return fmt.Errorf("after the upgrade of %s a row of %s refers to one that is not there; the copy made before is %s.before-%d: %w", path, lost, path, newest, err)
	}
	return nil
}

// NewID returns a new id: a UUIDv7, so that ids sort by time.
func NewID() string { return uuid.Must(uuid.NewV7()).String() }

// firstID returns what sorts before every id that was given from a time on: a
// UUIDv7 begins with the unix milliseconds (RFC 9562).
func firstID(t time.Time) string {
	hex := fmt.Sprintf("%012x", millis(t))
	return hex[:8] + "-" + hex[8:]
}

// millis is how times are kept.
func millis(t time.Time) int64 { return t.UnixMilli() }

func fromMillis(ms int64) time.Time { return time.UnixMilli(ms).UTC() }

// prepared runs queries through statements that are prepared once.
type prepared struct {
	db         *sql.DB
	mu         sync.RWMutex
	statements map[string]*sql.Stmt
}

func (p *prepared) statement(ctx context.Context, query string) (*sql.Stmt, error) {
	p.mu.RLock()
	st := p.statements[query]
	p.mu.RUnlock()
	if st != nil {
		return st, nil
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if st := p.statements[query]; st != nil {
		return st, nil
	}
	st, err := p.db.PrepareContext(ctx, query)
	if err != nil {
		return nil, err
	}
	p.statements[query] = st
	return st, nil
}

// row runs a query for one row and scans it; none is ErrNotFound. Queries are
// short, so they are not broken off: the driver would need a goroutine for each
// to watch for that.
func (p *prepared) row(ctx context.Context, query string, args []any, into ...any) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	ctx = context.WithoutCancel(ctx)
	st, err := p.statement(ctx, query)
	if err != nil {
		return err
	}
	err = st.QueryRowContext(ctx, args...).Scan(into...)
	if errors.Is(err, sql.ErrNoRows) {
		return ErrNotFound
	}
	return err
}

// rows runs a query and calls scan for each row.
func (p *prepared) rows(ctx context.Context, query string, args []any, scan func(func(...any) error) error) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	ctx = context.WithoutCancel(ctx)
	st, err := p.statement(ctx, query)
	if err != nil {
		return err
	}
	return scanAll(st.QueryContext(ctx, args...))(scan)
}

func scanAll(rows *sql.Rows, err error) func(scan func(func(...any) error) error) error {
	return func(scan func(func(...any) error) error) error {
		if err != nil {
			return err
		}
		defer rows.Close()
		for rows.Next() {
			if err := scan(rows.Scan); err != nil {
				return err
			}
		}
		return rows.Err()
	}
}
