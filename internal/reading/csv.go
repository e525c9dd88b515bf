package reading

import (
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
func readCSV(_ string, b []byte) (knowledge.Document, error) {
	r := csv.NewReader(strings.NewReader(string(b)))
	r.FieldsPerRecord = -1
	head, err := r.Read()
	if err != nil {
		return knowledge.Document{}, fmt.Errorf("the CSV cannot be read: %w", err)
	}
	for i := range head {
		head[i] = strings.ToLower(strings.TrimSpace(head[i]))
	}
	question, answer := slices.Index(head, "question"), slices.Index(head, "answer")
	if question < 0 || answer < 0 {
		return knowledge.Document{}, fmt.Errorf("the CSV needs a column called question and one called answer in its first row; it has: %s", strings.Join(head, ", "))
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
		if len(row) > max(question, answer) && strings.TrimSpace(row[question]) != "" && strings.TrimSpace(row[answer]) != "" {
			d.Pairs = append(d.Pairs, knowledge.Pair{Question: row[question], Answer: row[answer]})
		}
	}
}
