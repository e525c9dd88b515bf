package reading

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"strings"

	"github.com/xuri/excelize/v2"

	"urgentparrot.example/internal/core/knowledge"
)

// mostRows is how many rows of a sheet are read.
const mostRows = 50_000

// mostCells is how many cells of a workbook are read, empty ones between others
// among them. A cell far out makes all before it in its row.
const mostCells = 2_000_000

var errWide = fmt.Errorf("the workbook has more than %d million cells, counting empty ones before others; save the part that matters as a workbook of its own, or as CSV", mostCells/1_000_000)

// readXLSX reads a workbook: sheets with columns called question and answer as
// pairs, others as tables under the sheet's name.
func readXLSX(f *file) (knowledge.Document, error) {
	if err := unpacks(f); err != nil {
		return knowledge.Document{}, err
	}
	book, err := excelize.OpenReader(bytes.NewReader(f.content), excelize.Options{UnzipSizeLimit: mostText, UnzipXMLSizeLimit: mostText})
	if err != nil {
		return knowledge.Document{}, errors.New("the file is not an Excel workbook (.xlsx), or is damaged, encrypted or too large; save it anew, or as CSV")
	}
	defer book.Close()
	var o outline
	var pairs []knowledge.Pair
	cells := 0
	for _, sheet := range book.GetSheetList() {
		rows, err := rowsOf(book, sheet, &cells)
		if errors.Is(err, errWide) {
			return knowledge.Document{}, err
		}
		if err != nil {
			return knowledge.Document{}, errors.New("the sheet " + clip(sheet) + " cannot be read")
		}
		for len(rows) > 0 && strings.TrimSpace(strings.Join(rows[0], "")) == "" {
			rows = rows[1:]
		}
		if len(rows) == 0 {
			continue
		}
		if question, answer, ok := pairColumns(rows[0]); ok {
			var d knowledge.Document
			for _, row := range rows[1:] {
				addPair(&d, row, question, answer)
			}
			pairs = append(pairs, d.Pairs...)
			continue
		}
		o.heading(1, sheet)
		o.table(rows)
	}
	d := o.done()
	d.Pairs, d.Title = pairs, ""
	return d, nil
}

// rowsOf returns the rows of a sheet, one after another.
func rowsOf(book *excelize.File, sheet string, cells *int) (rows [][]string, err error) {
	found, err := book.Rows(sheet)
	if err != nil {
		return nil, err
	}
	defer found.Close()
	for found.Next() && len(rows) < mostRows {
		row, err := found.Columns()
		if err != nil {
			return nil, err
		}
		if *cells += len(row); *cells > mostCells {
			return nil, errWide
		}
		rows = append(rows, row)
	}
	return rows, found.Error()
}

// unpacks takes what a workbook unpacks to from what is left.
func unpacks(f *file) error {
	archive, err := zip.NewReader(bytes.NewReader(f.content), int64(len(f.content)))
	if err != nil {
		return nil // what it is instead is said by who opens it
	}
	for _, part := range archive.File {
		if part.UncompressedSize64 > uint64(*f.left) {
			return errBomb
		}
		*f.left -= int64(part.UncompressedSize64)
	}
	return nil
}
