package main

import (
	"context"
	"fmt"
	"io/fs"
	"os"
	"path"
	"strings"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/encoder"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/quiz"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/library"
	"urgentparrot.example/internal/reading"
)

// A corpus is a folder of documents with the questions that are put to it.
type corpus struct {
	name     string
	passages []knowledge.Passage
	finder   answer.Finder
}

// codes remembers what was encoded: the same sentences are indexed many times
// while fitting.
type codes struct {
	encoder *encoder.Encoder
	known   map[string]knowledge.Code
}

func (c *codes) of(said string) knowledge.Code {
	code, ok := c.known[said]
	if !ok {
		vector, _ := c.encoder.Encode(context.Background(), said) // it fails only when its context ends
		code = knowledge.Pack(vector)
		c.known[said] = code
	}
	return code
}

func readCorpus(name, folder string, c *codes) (*corpus, error) {
	k := &corpus{name: name}
	files := os.DirFS(folder)
	err := fs.WalkDir(files, ".", func(file string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() {
			return err
		}
		content, err := fs.ReadFile(files, file)
		if err != nil {
			return err
		}
		document, err := reading.Read(file, content)
		if err != nil {
			return fmt.Errorf("%s: %w", file, err)
		}
		for _, p := range document.Passages() {
			p.ID, p.Source, p.SourceID, p.Title = fmt.Sprintf("%s#%d", file, p.Position), file, file, document.Title
			k.passages = append(k.passages, p)
		}
		return nil
	})
	k.finder = answer.Finder{Index: k.index(c, nil), Vectors: answer.NewVectors(c.encoder)}
	return k, err
}

// judge puts questions to a bot that answers from the corpus.
func (k *corpus) judge(questions []quiz.Question) quiz.Report {
	desk := library.PlainDesk(k.finder)
	desk.Snapshot.Brief.Threshold = threshold
	return desk.Quiz(context.Background(), questions)
}

// index makes an index of the passages but those that are left out.
func (k *corpus) index(c *codes, without func(knowledge.Passage) bool) *knowledge.Index {
	var passages []knowledge.Passage
	for _, p := range k.passages {
		if without != nil && without(p) {
			continue
		}
		p.Views = nil
		for _, said := range p.Said() {
			p.Views = append(p.Views, c.of(said))
		}
		passages = append(passages, p)
	}
	return knowledge.Build(text.NewAnalyzer("en", nil), passages)
}

func readQuiz(folder, name string) ([]quiz.Question, error) {
	f, err := os.Open(path.Join(folder, name+".jsonl"))
	if err != nil {
		return nil, err
	}
	defer f.Close()
	questions, err := quiz.Parse(f)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", strings.TrimSuffix(name, ".jsonl"), err)
	}
	return questions, nil
}
