package connect

import (
	"encoding/csv"
	"strings"
	"testing"
)

func TestCellsThatASpreadsheetWouldRunAreMadeHarmless(t *testing.T) {
	cells := map[string]string{
		"=1+1": "'=1+1", "@SUM(A1)": "'@SUM(A1)", "+cmd|' /C calc'!A0": "'+cmd|' /C calc'!A0", "-2+3": "'-2+3", "\t=1": "'\t=1", "|calc": "'|calc",
		"Ada;=HYPERLINK(1)": "Ada;'=HYPERLINK(1)", "a\n=1": "a\n'=1", "a; \"=1": "a;' \"=1", "＝1+1": "'＝1+1", "＋1": "'＋1", "－1": "'－1", "＠A1": "'＠A1", "  =1": "'  =1", "\ufeff=1": "'\ufeff=1",
		"ada@example.org": "ada@example.org", "a - b": "a - b", "Monday-Friday": "Monday-Friday",
		"+447700900123": "+447700900123", "-12.50": "-12.50", "a=1": "a=1", "two\nlines, \"quoted\"": "two\nlines, \"quoted\"", "": "",
	}
	for cell, want := range cells {
		var file strings.Builder
		if err := WriteSheet(&file, []string{"Question"}, []map[string]string{{"Question": cell}, {"Question": "x"}}); err != nil {
			t.Fatal(err)
		}
		if !strings.HasPrefix(file.String(), "Question\r\n") {
			t.Errorf("the lines of %q do not end as RFC 4180 says", file.String())
		}
		rows, err := csv.NewReader(strings.NewReader(file.String())).ReadAll()
		if err != nil {
			t.Fatal(err)
		}
		if cell == "" {
			rows = append(rows[:1:1], append([][]string{{""}}, rows[1:]...)...) // a line of nothing is skipped by readers
		}
		if rows[1][0] != want {
			t.Errorf("%q was written as %q, want %q", cell, rows[1][0], want)
		}
	}
}
