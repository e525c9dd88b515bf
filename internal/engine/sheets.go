package engine

import (
	"context"
	"io"
	"path/filepath"
	"sync"
	"time"

	"urgentparrot.example/internal/connect"
)

// sheetFiles keeps the CSV files of the sheets like the rows in the store.
// Changes that come close together are written once.
type sheetFiles struct {
	w       *Workspace
	mu      sync.Mutex
	waiting map[string]bool
	wake    chan struct{}
	ended   sync.WaitGroup
}

func newSheetFiles(w *Workspace) *sheetFiles {
	s := &sheetFiles{w: w, waiting: map[string]bool{}, wake: make(chan struct{}, 1)}
	s.ended.Add(1)
	go s.run()
	return s
}

// changed notes that a sheet's file is behind its rows. If the process ends
// first, the file is written at the next start.
func (s *sheetFiles) changed(sheet string) {
	s.mu.Lock()
	s.waiting[sheet] = true
	s.mu.Unlock()
	select {
	case s.wake <- struct{}{}:
	default:
	}
}

func (s *sheetFiles) run() {
	defer s.ended.Done()
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
		for sheet := range waiting {
			if err := s.w.writeSheetFile(s.w.running, sheet); err != nil && s.w.running.Err() == nil {
				s.w.log.Error("a sheet's file could not be written; it will be tried again", "sheet", sheet, "error", err)
				time.AfterFunc(s.w.options.RetryBase, func() { s.changed(sheet) })
			}
		}
	}
}

func (s *sheetFiles) close() { s.ended.Wait() }

// SheetFile is where the CSV file of a sheet lies.
func (w *Workspace) SheetFile(sheet string) string {
	return filepath.Join(w.folder, "sheets", sheet+".csv")
}

func (w *Workspace) writeSheetFile(ctx context.Context, sheet string) error {
	return connect.ReplaceFile(w.SheetFile(sheet), func(file io.Writer) error { return w.WriteSheet(ctx, file, sheet) })
}

// WriteSheet writes a sheet as CSV.
func (w *Workspace) WriteSheet(ctx context.Context, out io.Writer, sheet string) error {
	rows, err := w.store.Rows(ctx, sheet)
	if err != nil {
		return err
	}
	cells := make([]map[string]string, len(rows))
	for i, row := range rows {
		cells[i] = row.Cells
	}
	return connect.WriteSheet(out, w.config.Load().sheets[sheet].Columns, cells)
}

// Columns returns the columns of a sheet, nil if there is no such sheet.
func (w *Workspace) Columns(sheet string) []string { return w.config.Load().sheets[sheet].Columns }
