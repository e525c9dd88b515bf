package main

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/api"
	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/quiz"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/library"
)

// quizLimit is the largest quiz, in bytes.
const quizLimit = 16 << 20

// quiz puts a file of questions to the service's knowledge.
func (c *call) quiz(cl *client.Client, file, botName string) error {
	raw, err := c.readInput(file)
	if err != nil {
		return err
	}
	report, err := cl.Quiz(c.ctx, client.Quiz{Bot: botName, Questions: string(raw)})
	if err != nil {
		return err
	}
	return c.printQuiz(report)
}

// readInput reads a file, or standard input for "-".
func (c *call) readInput(file string) ([]byte, error) {
	in := c.in
	if file != "-" {
		f, err := os.Open(file)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		in = f
	}
	raw, err := io.ReadAll(io.LimitReader(in, quizLimit+1))
	if err == nil && len(raw) > quizLimit {
		err = fmt.Errorf("%s has more than %d MB", file, quizLimit>>20)
	}
	return raw, err
}

// quizFolder puts a file of questions to a folder, without a running service.
func (c *call) quizFolder(f knowledgeFlags, file string) error {
	raw, err := c.readInput(file)
	if err != nil {
		return err
	}
	questions, err := quiz.Parse(strings.NewReader(string(raw)))
	if err != nil {
		return fmt.Errorf("%s: %w", file, err)
	}
	desk, done, err := c.folder(f.data, f.bot)
	if err != nil {
		return err
	}
	defer done()
	var out client.QuizReport
	if raw, err = json.Marshal(desk.Quiz(c.ctx, questions)); err == nil {
		err = json.Unmarshal(raw, &out)
	}
	if err != nil {
		return err
	}
	return c.printQuiz(out)
}

// folder reads a folder of documents, or the workspace of a data folder, and
// returns the desk of a bot over it.
func (c *call) folder(folder, botName string) (desk library.Desk, done func(), err error) {
	done = func() {}
	workspaces, err := engine.Folders(folder)
	if err != nil {
		return desk, done, err
	}
	if len(workspaces) > 0 {
		w, err := engine.Open(c.ctx, workspaces[0], engine.Options{Still: true})
		if err != nil {
			return desk, done, fmt.Errorf("%w; leave -data out to ask the running service", err)
		}
		if desk, err = w.Desk(botName); err != nil {
			return desk, done, fmt.Errorf("there is no bot called %s in %s", botName, folder)
		}
		return desk, func() { _ = w.Close() }, nil // nothing was changed
	}
	cache := ""
	if dir, err := os.UserCacheDir(); err == nil {
		cache = filepath.Join(dir, "urgent-parrot")
	}
	shown := isTerminal(c.screen)
	reader, err := c.reader(nil)
	if err != nil {
		return desk, done, err
	}
	defer reader.Close()
	read, err := library.ReadFolder(c.ctx, reader, folder, cache, func(n, all int) {
		if shown && n%16 == 0 {
			fmt.Fprintf(c.screen, "\rencoding %d of %d passages ", n, all)
		}
	})
	if shown {
		fmt.Fprint(c.screen, "\r\033[K")
	}
	for name, why := range read.Failed {
		fmt.Fprintf(c.errors, "not read: %s: %s\n", name, why)
	}
	return read.Desk, done, err
}

func (c *call) searchFolder(f knowledgeFlags, question string) error {
	desk, done, err := c.folder(f.data, f.bot)
	if err != nil {
		return err
	}
	defer done()
	return c.printFound(api.Found(question, desk.Search(c.ctx, question), desk.Bars()))
}

func (c *call) printQuiz(r client.QuizReport) error {
	return c.print(r, func(w io.Writer) {
		fmt.Fprintln(w, "KIND\tQUESTIONS\tFIRST\tFIRST THREE\tMRR\tRIGHT\tWRONG\tOFFERED RIGHT\tWRONG\tWITHHELD\tUNANSWERABLE ANSWERED\tOFFERED")
		row := func(kind string, g client.QuizGroup) {
			n := g.Questions - g.Unanswerable
			share := func(count int) string {
				if n == 0 {
					return "-"
				}
				return fmt.Sprintf("%d (%d%%)", count, 100*count/n)
			}
			fmt.Fprintf(w, "%s\t%d\t%s\t%s\t%.2f\t%s\t%d\t%s\t%d\t%d\t%d of %d\t%d\n", kind, g.Questions, share(g.First), share(g.FirstThree), g.MRR, share(g.AnsweredRight), g.AnsweredWrong, share(g.OfferedRight), g.OfferedWrong, g.Withheld, g.UnanswerableAnswered, g.Unanswerable, g.UnanswerableOffered)
		}
		var kinds []string
		for kind := range r.Kinds {
			kinds = append(kinds, kind)
		}
		slices.Sort(kinds)
		for _, kind := range kinds {
			row(kind, r.Kinds[kind])
		}
		row("all", r.All)
		fmt.Fprintf(w, "\nAnswered from a confidence of %.2f on; offered where one of the first three is right with %.2f.\n", r.Threshold, r.OfferThreshold)
		fmt.Fprintf(w, "\nArea under the ROC curve of confidence: %.2f\n\nCONFIDENCE\tTIMES\tRIGHT FIRST\n", r.All.AUROC)
		for _, b := range r.Calibration {
			if b.Times > 0 {
				fmt.Fprintf(w, "%.1f to %.1f\t%d\t%d%%\n", b.From, b.To, b.Times, 100*b.Right/b.Times)
			}
		}
		if len(r.Failures) > 0 {
			fmt.Fprintln(w)
		}
		for _, f := range r.Failures {
			fmt.Fprintf(w, "%s: %s (%s, confidence %s)\n", f.ID, f.Question, f.Why, answer.Shown(f.Confidence))
			if f.Wanted != "" {
				fmt.Fprintf(w, "  wanted: %s\n", f.Wanted)
			}
			if f.Found != "" {
				fmt.Fprintf(w, "  found: %s: %s\n", f.Source, shorten(strings.ReplaceAll(f.Found, "\n", " "), 140))
			}
		}
	})
}

// askFolder puts one question to a folder, without a running service.
func (c *call) askFolder(folder, botName, question string) error {
	desk, done, err := c.folder(folder, botName)
	if err != nil {
		return err
	}
	defer done()
	a, err := api.Answer(desk.Ask(c.ctx, question))
	if err != nil {
		return err
	}
	return c.printAnswer(a)
}
