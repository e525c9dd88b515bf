package reading

import (
	"bytes"
	"errors"
	"strings"

	"github.com/xuri/excelize/v2"

	"urgentparrot.example/internal/core/knowledge"
)

// mostRows is how many rows of a sheet are read.
const mostRows = 50_000

// readXLSX reads a workbook: sheets with columns called question and answer as
// pairs, others as tables under the sheet's name.
func readXLSX(_ string, content []byte) (knowledge.Document, error) {
	book, err := excelize.OpenReader(bytes.NewReader(content), excelize.Options{UnzipSizeLimit: mostText, UnzipXMLSizeLimit: mostText})
	if err != nil {
		return knowledge.Document{}, errors.New("the file is not an Excel workbook (.xlsx), or is damaged, encrypted or too large; save it anew, or as CSV")
	}
	defer book.Close()
	var o outline
	var pairs []knowledge.Pair
	for _, sheet := range book.GetSheetList() {
		rows, err := book.GetRows(sheet)
		if err != nil {
			return knowledge.Document{}, errors.New("the sheet " + sheet + " cannot be read")
		}
		rows = rows[:min(len(rows), mostRows)]
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
