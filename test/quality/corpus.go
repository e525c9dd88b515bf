package main

import (
	"context"
	"fmt"
	"io/fs"
	"os"
	"path"
	"strings"
	"sync"

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
	quotes   map[string]string // of made-up businesses: what answers a question, by its id
}

// codes remembers what was encoded: the same sentences are indexed many times
// while fitting.
type codes struct {
	encoder *encoder.Encoder
	mu      sync.Mutex
	known   map[string]coded
}

type coded struct {
	code   knowledge.Code
	tokens encoder.Tokens
}

func (c *codes) of(said string) coded {
	c.mu.Lock()
	made, ok := c.known[said]
	c.mu.Unlock()
	if ok {
		return made
	}
	r, _ := c.encoder.Read(context.Background(), said) // it fails only when its context ends
	made = coded{knowledge.Pack(r.Vector), r.Tokens}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.known[said] = made
	return made
}

// tokens returns those of the sentences of passages.
func (c *codes) tokens(_ context.Context, hits []knowledge.Hit) [][]encoder.Tokens {
	all := make([][]encoder.Tokens, len(hits))
	for i, hit := range hits {
		for _, said := range hit.Said()[knowledge.SentencesFrom:] {
			all[i] = append(all[i], c.of(said).tokens)
		}
	}
	return all
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
	k.finder = k.finds(c, nil)
	return k, err
}

// finds returns what finds the passages but those that are left out.
func (k *corpus) finds(c *codes, without func(knowledge.Passage) bool) answer.Finder {
	return answer.Finder{Index: k.index(c, without), Vectors: answer.NewVectors(c.encoder), Tokens: c.tokens}
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
			p.Views = append(p.Views, c.of(said).code)
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
