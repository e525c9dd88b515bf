package reading

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"path"
	"regexp"
	"strings"

	"urgentparrot.example/internal/core/knowledge"
)

// readCSV reads questions and answers, where the first row names such columns, whatever else
// there is; else a table under the name of the file.
func readCSV(f *file) (knowledge.Document, error) {
	r := csv.NewReader(bytes.NewReader(f.content))
	r.Comma = separator(f.content)
	r.FieldsPerRecord = -1
	head, err := r.Read()
	if err != nil {
		return knowledge.Document{}, fmt.Errorf("the CSV cannot be read: %w", err)
	}
	question, answer, ok := pairColumns(head)
	var d knowledge.Document
	rows, cells := [][]string{head}, 0
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return d, fmt.Errorf("the CSV cannot be read: %w", err)
		}
		if ok {
			addPair(&d, row, question, answer)
			continue
		}
		rows = append(rows, row)
		if cells += len(row); len(rows) > mostRows || cells > mostCells {
			return d, fmt.Errorf("the CSV has more than %d rows, or %d million cells; keep the part that matters in a file of its own", mostRows, mostCells/1_000_000)
		}
	}
	if ok {
		return d, nil
	}
	var o outline
	o.heading(1, strings.TrimSuffix(path.Base(f.name), path.Ext(f.name)))
	o.table(rows)
	return o.done(), nil
}

// separator returns what parts the columns of the first line: a semicolon or a
// tab where there are more of these than of commas.
func separator(b []byte) rune {
	first, _, _ := bytes.Cut(b, []byte("\n"))
	best, most := ',', bytes.Count(first, []byte(","))
	for _, other := range ";\t" {
		if n := bytes.Count(first, []byte(string(other))); n > most {
			best, most = other, n
		}
	}
	return best
}

// What columns of questions and of answers are called.
var (
	asksColumn    = regexp.MustCompile(`(?i)^q$|\bquestions?\b`)
	answersColumn = regexp.MustCompile(`(?i)^a$|\b(?:answers?|repl(?:y|ies)|responses?)\b`)
)

// pairColumns finds the columns of questions and of answers: those that are called just so, or
// the only ones whose names say it.
func pairColumns(head []string) (question, answer int, ok bool) {
	column := func(name string, like *regexp.Regexp) int {
		found := -1
		for i, title := range head {
			switch {
			case strings.EqualFold(strings.TrimSpace(title), name):
				return i
			case like.MatchString(strings.TrimSpace(title)) && found < 0:
				found = i
			case like.MatchString(strings.TrimSpace(title)):
				return -1 // which of them?
			}
		}
		return found
	}
	question, answer = column("question", asksColumn), column("answer", answersColumn)
	return question, answer, question >= 0 && answer >= 0 && question != answer
}

func addPair(d *knowledge.Document, row []string, question, answer int) {
	if len(row) > max(question, answer) && strings.TrimSpace(row[question]) != "" && strings.TrimSpace(row[answer]) != "" {
		d.Pairs = append(d.Pairs, knowledge.Pair{Question: row[question], Answer: row[answer]})
	}
}
