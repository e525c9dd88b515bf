package connect

import (
	"encoding/csv"
	"io"
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
