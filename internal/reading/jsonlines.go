package reading

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"urgentparrot.example/internal/core/knowledge"
)

// readJSONLines reads questions and answers: each line an object with question
// and answer, whatever else it holds.
func readJSONLines(f *file) (d knowledge.Document, err error) {
	n := 0
	for line := range bytes.Lines(f.content) {
		n++
		if line = bytes.TrimSpace(line); len(line) == 0 {
			continue
		}
		var pair struct{ Question, Answer string }
		if err := json.Unmarshal(line, &pair); err != nil {
			return d, fmt.Errorf("line %d is not a JSON object with a question and an answer", n)
		}
		if strings.TrimSpace(pair.Question) == "" || strings.TrimSpace(pair.Answer) == "" {
			return d, fmt.Errorf("line %d has no question or no answer", n)
		}
		d.Pairs = append(d.Pairs, knowledge.Pair(pair))
	}
	if len(d.Pairs) == 0 {
		err = errors.New("the file holds no question")
	}
	return d, err
}
