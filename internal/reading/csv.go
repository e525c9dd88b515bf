package reading

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/knowledge"
)

// readCSV reads questions and answers. The first row names the columns; those
// called question and answer are used, whatever else there is.
func readCSV(f *file) (knowledge.Document, error) {
	r := csv.NewReader(bytes.NewReader(f.content))
	r.Comma = separator(f.content)
	r.FieldsPerRecord = -1
	head, err := r.Read()
	if err != nil {
		return knowledge.Document{}, fmt.Errorf("the CSV cannot be read: %w", err)
	}
	question, answer, ok := pairColumns(head)
	if !ok {
		return knowledge.Document{}, fmt.Errorf("the CSV needs a column called question and one called answer in its first row; it has: %s", clip(strings.Join(head, ", ")))
	}
	var d knowledge.Document
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return d, nil
		}
		if err != nil {
			return d, fmt.Errorf("the CSV cannot be read: %w", err)
		}
		addPair(&d, row, question, answer)
	}
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

// pairColumns finds the columns called question and answer.
func pairColumns(head []string) (question, answer int, ok bool) {
	named := func(name string) int {
		return slices.IndexFunc(head, func(column string) bool { return strings.EqualFold(strings.TrimSpace(column), name) })
	}
	question, answer = named("question"), named("answer")
	return question, answer, question >= 0 && answer >= 0
}

func addPair(d *knowledge.Document, row []string, question, answer int) {
	if len(row) > max(question, answer) && strings.TrimSpace(row[question]) != "" && strings.TrimSpace(row[answer]) != "" {
		d.Pairs = append(d.Pairs, knowledge.Pair{Question: row[question], Answer: row[answer]})
	}
}
