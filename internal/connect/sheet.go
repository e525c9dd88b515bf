package connect

import (
	"encoding/csv"
	"errors"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strings"
)

// WriteSheet writes a table as CSV (RFC 4180). Cells that a spreadsheet would
// run as a formula begin with an apostrophe.
func WriteSheet(w io.Writer, columns []string, rows []map[string]string) error {
	table := csv.NewWriter(w)
	table.UseCRLF = true
	if err := table.Write(columns); err != nil {
		return err
	}
	record := make([]string, len(columns))
	for _, row := range rows {
		for i, column := range columns {
			record[i] = harmless(row[column])
		}
		if err := table.Write(record); err != nil {
			return err
		}
	}
	table.Flush()
	return table.Error()
}

// plainNumber is what begins like a formula but computes nothing: a telephone
// number or an amount.
var plainNumber = regexp.MustCompile(`^[+-][0-9][0-9 .,]*$`)

func harmless(cell string) string {
	if strings.IndexAny(cell, "=+-@\t\r\n|") == 0 && !plainNumber.MatchString(cell) {
		return "'" + cell
	}
	return cell
}

// ReplaceFile writes a file beside the one of this name and renames it, so that
// a reader sees the old one or the new one, whole.
func ReplaceFile(name string, write func(io.Writer) error) (err error) {
	f, err := os.CreateTemp(filepath.Dir(name), ".new-*")
	if err != nil {
		return err
	}
	defer func() {
		if err != nil {
			err = errors.Join(err, os.Remove(f.Name()))
		}
	}()
	if err := errors.Join(write(f), f.Chmod(0o644), f.Sync(), f.Close()); err != nil {
		return err
	}
	return os.Rename(f.Name(), name)
}
