package engine

import (
	"bytes"
	"context"
	"io"
	"path/filepath"
	"sync"

	"github.com/google/renameio/v2"

	"urgentparrot.example/internal/connect"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/safely"
)

// Sheets are the tables that rows are written to. Their rows are in the store;
// the CSV files are written from them. Changes that come close together are
// written once.
type Sheets struct {
	w       *Workspace
	mu      sync.Mutex
	waiting map[string]bool
	wake    chan struct{}
	ended   sync.WaitGroup
}

func newSheets(w *Workspace) *Sheets {
	s := &Sheets{w: w, waiting: map[string]bool{}, wake: make(chan struct{}, 1)}
	s.ended.Go(s.run)
	return s
}

// changed notes that a sheet's file is behind its rows. If the process ends
// first, the file is written at the next start.
func (s *Sheets) changed(sheet string) {
	s.mu.Lock()
	s.waiting[sheet] = true
	s.mu.Unlock()
	select {
	case s.wake <- struct{}{}:
	default:
	}
}

func (s *Sheets) writeAll() {
	for _, sheet := range all[workspace.Sheet](s.w.config.Load()) {
		s.changed(sheet.Name)
	}
}

func (s *Sheets) run() {
	for {
		select {
		case <-s.wake:
		case <-s.w.running.Done():
			return
		}
		s.mu.Lock()
		waiting := s.waiting
		s.waiting = map[string]bool{}
		s.mu.Unlock()
		failed := false
		for sheet := range waiting {
			if err := safely.Do(func() error { return s.writeFile(s.w.running, sheet) }); err != nil && s.w.running.Err() == nil {
				s.w.log.Error("a sheet's file could not be written; it will be tried again", "sheet", sheet, "error", err)
				s.changed(sheet)
				failed = true
			}
		}
		if !failed {
			continue
		}
		passed, stop := s.w.Clock.Timer(s.w.options.RetryBase)
		select {
		case <-passed:
		case <-s.w.running.Done():
			stop()
			return
		}
	}
}

func (s *Sheets) close() { s.ended.Wait() }

// File is where the CSV file of a sheet lies.
func (s *Sheets) File(sheet string) string {
	return filepath.Join(s.w.folder, "sheets", sheet+".csv")
}

func (s *Sheets) writeFile(ctx context.Context, sheet string) error {
	var table bytes.Buffer
	if err := s.Write(ctx, &table, sheet); err != nil {
		return err
	}
	return renameio.WriteFile(s.File(sheet), table.Bytes(), 0o644)
}

// Write writes a sheet as CSV.
func (s *Sheets) Write(ctx context.Context, out io.Writer, sheet string) error {
	rows, err := s.w.store.Rows(ctx, sheet)
	if err != nil {
		return err
	}
	cells := make([]map[string]string, len(rows))
	for i, row := range rows {
		cells[i] = row.Cells
	}
	return connect.WriteSheet(out, s.Columns(sheet), cells)
}

// All returns the sheets, by name.
func (s *Sheets) All() []workspace.Sheet { return all[workspace.Sheet](s.w.config.Load()) }

// Columns returns the columns of a sheet, nil if there is no such sheet.
func (s *Sheets) Columns(sheet string) []string {
	found, _ := find[workspace.Sheet](s.w.config.Load(), sheet)
	return found.Columns
}
