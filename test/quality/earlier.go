package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"urgentparrot.example/internal/core/quiz"
)

// earlierCommit is the program before customers' words were taught: the figures stand
// beside its own.
const earlierCommit = "c3964bf"

// buildEarlier builds that program in a folder of its own; "" where the history is not at
// hand.
func buildEarlier(folder string) string {
	script := fmt.Sprintf(`git archive %s | tar x -C %[2]s && cd %[2]s && touch console/dist/index.html && go build -o parrot ./cmd/parrot`, earlierCommit, folder)
	if out, err := exec.Command("bash", "-c", script).CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "quality: the program of before is left out: %v\n%s\n", err, out)
		return ""
	}
	return filepath.Join(folder, "parrot")
}

// putEarlier puts the questions of a business to the program of before: a file for each
// passage, and a quiz.
func putEarlier(program string, k *corpus, questions []quiz.Question) (r quiz.Report, err error) {
	folder, err := os.MkdirTemp("", "business")
	if err != nil {
		return r, err
	}
	defer os.RemoveAll(folder)
	files := filepath.Join(folder, "files")
	if err := os.Mkdir(files, 0o700); err != nil {
		return r, err
	}
	whole := map[string]string{}
	for _, p := range k.passages {
		if whole[p.Source] == "" {
			for i, heading := range p.Trail {
				whole[p.Source] += strings.Repeat("#", i+1) + " " + heading + "\n\n"
			}
		}
		whole[p.Source] += p.Text + "\n\n"
	}
	for source, text := range whole {
		if err := os.WriteFile(filepath.Join(files, source+".md"), []byte(text), 0o600); err != nil {
			return r, err
		}
	}
	var lines bytes.Buffer
	for _, q := range questions {
		q.Source = suffixed(q.Source)
		q.Parts = append([]quiz.Part(nil), q.Parts...)
		for i := range q.Parts {
			q.Parts[i].Source = suffixed(q.Parts[i].Source)
		}
		raw, err := json.Marshal(q)
		if err != nil {
			return r, err
		}
		lines.Write(append(raw, '\n'))
	}
	asked := filepath.Join(folder, "quiz.jsonl")
	if err := os.WriteFile(asked, lines.Bytes(), 0o600); err != nil {
		return r, err
	}
	out, err := exec.Command(program, "knowledge", "quiz", "-json", "-data", files, asked).Output()
	if err != nil {
		return r, fmt.Errorf("the program of before: %w", err)
	}
	return r, json.Unmarshal(out, &r)
}

func suffixed(sources quiz.Sources) (files quiz.Sources) {
	for _, s := range sources {
		files = append(files, s+".md")
	}
	return files
}
