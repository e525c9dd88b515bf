package connect

import (
	"encoding/csv"
	"io"
	"regexp"
)

// WriteSheet writes a table as CSV (RFC 4180). Cells that a spreadsheet would
// run as a formula begin with an apostrophe there.
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

// formula begins what a spreadsheet would run: at the start of a cell, or behind what
// some take for its end, with the signs of other alphabets among them.
var formula = regexp.MustCompile(`(^|[;|\t\r\n])([\s\x00"'\x{feff}]*)([=+\-@\t\r|\x{ff1d}\x{ff0b}\x{ff0d}\x{ff20}\x{2212}])`)

func harmless(cell string) string {
	if plainNumber.MatchString(cell) {
		return cell
	}
	return formula.ReplaceAllString(cell, "$1'$2$3")
}
