// Quality measures how well the knowledge answers: the questions in this folder are put to
// the demo's knowledge, to the manual of a desktop program, to the handbook of a software
// project, and to twelve made-up businesses that are only judged, of which totals are
// printed. What is called fit was used to fit weights, what is called measured or judged
// only to measure. Beside it stand plain BM25 (SQLite FTS5) on the same passages and, for
// the businesses, the program from before it was taught customers' words.
package main

import (
	"errors"
	"flag"
	"fmt"
	"os"
	"slices"

	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/encoder"
	"urgentparrot.example/internal/core/quiz"
)

func main() {
	fitting := flag.Bool("fit", false, "fit the weights anew and write them")
	on := flag.String("on", "", "measure only the made-up businesses for a `use`: judged or fitted")
	reads := flag.String("reads", "", "measure what a model is given to read of the made-up businesses for a `use`: judged or fitted")
	failures := flag.Bool("failures", false, "show what was not answered rightly")
	only := flag.String("only", "", "measure only this `corpus`: a folder with documents; its questions in -quiz")
	file := flag.String("quiz", "", "with -only: the `file` with questions, without its ending")
	flag.Float64Var(&threshold, "threshold", threshold, "the confidence from which a question is answered")
	flag.Parse()
	if err := run(*fitting, *failures, *only, *file, *on, *reads); err != nil {
		fmt.Fprintln(os.Stderr, "quality:", err)
		os.Exit(1)
	}
}

// together is how many businesses are put together into larger knowledge for fitting.
const together = 3

var threshold = bot.DefaultThreshold

func run(fitting, failures bool, only, file, on, reads string) error {
	e, err := encoder.Shared()
	if err != nil {
		return err
	}
	c := &codes{encoder: e, known: map[string]coded{}}
	if on != "" {
		return errors.Join(measureBusinesses(on, c, ""), measureFramed(on, c), measureForbidden(on, c))
	}
	if reads != "" {
		return measureReading(reads, c)
	}
	if only != "" {
		k, err := readCorpus("", only, c)
		if err != nil {
			return err
		}
		questions, err := readQuiz("", file)
		if err != nil {
			return err
		}
		return measure(k, "given", questions, failures)
	}
	var corpora []*corpus
	var quizzes [][]quiz.Question
	for _, at := range [][2]string{{"ferries", "demo/knowledge"}, {"bedrow", "test/quality/bedrow"}, {"sedgelog", "test/quality/sedgelog"}} {
		k, err := readCorpus(at[0], at[1], c)
		if err != nil {
			return err
		}
		questions, err := readQuiz("test/quality", at[0]+"-fit")
		if err != nil {
			return err
		}
		corpora, quizzes = append(corpora, k), append(quizzes, questions)
	}
	if fitting {
		names, err := businessesFor(fitted)
		if err != nil {
			return err
		}
		for _, name := range names {
			k, questions, err := readBusiness(name, c)
			if err != nil {
				return err
			}
			corpora, quizzes = append(corpora, k), append(quizzes, questions)
		}
		for n := len(corpora) - len(names); n+together <= len(corpora) && corpora[n].quotes != nil; n += together {
			k, questions := merged(corpora[n:n+together], quizzes[n:n+together], c)
			corpora, quizzes = append(corpora, k), append(quizzes, questions)
		}
		return fit(corpora, quizzes, "internal/core/answer/fitted.json")
	}
	for i, k := range corpora {
		measured, err := readQuiz("test/quality", k.name+"-measured")
		if err != nil {
			return err
		}
		if err := measure(k, "fit", quizzes[i], failures); err != nil {
			return err
		}
		if err := measure(k, "measured", measured, failures); err != nil {
			return err
		}
	}
	folder, err := os.MkdirTemp("", "earlier")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	return errors.Join(measureBusinesses(judged, c, buildEarlier(folder)), measureFramed(judged, c), measureForbidden(judged, c))
}

func measure(k *corpus, part string, questions []quiz.Question, failures bool) error {
	report := k.judge(questions)
	plain, err := plainBM25(k.passages, questions)
	if err != nil {
		return err
	}
	fmt.Printf("%s, %s: %d questions on %d passages\n", k.name, part, len(questions), len(k.passages))
	fmt.Printf("  %-14s %9s %6s %6s %6s %6s %6s %6s %9s   %s\n", "", "questions", "first", "three", "mrr", "right", "wrong", "held", "unanswer.", "plain BM25: first, three")
	row := func(kind string, g, plain quiz.Group) {
		n := g.Questions - g.Unanswerable
		line := fmt.Sprintf("  %-14s %9d", kind, g.Questions)
		if n > 0 {
			line += fmt.Sprintf(" %5d%% %5d%% %6.2f %6d %6d %6d", 100*g.First/n, 100*g.FirstThree/n, g.MRR, g.AnsweredRight, g.AnsweredWrong, g.Withheld)
		} else {
			line += fmt.Sprintf(" %6s %6s %6s %6s %6s %6s", "", "", "", "", "", "")
		}
		if g.Unanswerable > 0 {
			line += fmt.Sprintf(" %4d/%4d", g.UnanswerableAnswered, g.Unanswerable)
		} else {
			line += fmt.Sprintf(" %9s", "")
		}
		if n > 0 {
			line += fmt.Sprintf("   %d%%, %d%%", 100*plain.First/n, 100*plain.FirstThree/n)
		}
		fmt.Println(line)
	}
	var kinds []string
	for kind := range report.Kinds {
		kinds = append(kinds, kind)
	}
	slices.Sort(kinds)
	for _, kind := range kinds {
		row(kind, report.Kinds[kind], plain.Kinds[kind])
	}
	row("all", report.All, plain.All)
	fmt.Printf("  area under the ROC curve %.2f; calibration:", report.All.AUROC)
	for _, b := range report.Calibration {
		if b.Times > 0 {
			fmt.Printf(" %.1f: %d/%d", b.From, b.Right, b.Times)
		}
	}
	fmt.Print("\n\n")
	if failures {
		for _, f := range report.Failures {
			fmt.Printf("  %s (%.2f, %s): %s\n    wanted %s\n    found %s: %.200q\n    said %.200q\n", f.Why, f.Confidence, f.Kind, f.Question, f.Wanted, f.Source, f.Found, f.Answer)
		}
	}
	return nil
}
