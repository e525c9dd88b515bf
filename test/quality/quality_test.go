package main

import (
	"os"
	"testing"

	"urgentparrot.example/internal/core/encoder"
	"urgentparrot.example/internal/core/quiz"
)

// The questions that nothing was fitted on are answered well enough to let a bot
// speak to customers.
func TestMeasuredQuestionsMeetTheBars(t *testing.T) {
	if err := os.Chdir("../.."); err != nil {
		t.Fatal(err)
	}
	e, err := encoder.Shared()
	if err != nil {
		t.Fatal(err)
	}
	c := &codes{encoder: e, known: map[string]coded{}}
	kinds := map[string]quiz.Group{}
	var all quiz.Group
	for _, at := range [][2]string{{"ferries", "demo/knowledge"}, {"bedrow", "test/quality/bedrow"}, {"sedgelog", "test/quality/sedgelog"}} {
		k, err := readCorpus(at[0], at[1], c)
		if err != nil {
			t.Fatal(err)
		}
		questions, err := readQuiz("test/quality", at[0]+"-measured")
		if err != nil {
			t.Fatal(err)
		}
		r := k.judge(questions)
		for kind, g := range r.Kinds {
			kinds[kind] = add(kinds[kind], g)
		}
		all = add(all, r.All)
	}
	// Since the finder is taught customers' words, it finds fewer paraphrases of manuals among
	// the first three (70 in 100 before), and more of them first (45).
	for _, bar := range []struct {
		kind              string
		first, firstThree int // in 100
	}{{"direct", 92, 98}, {"misspelt", 80, 85}, {"paraphrase", 50, 64}, {"two-part", 70, 80}} {
		g := kinds[bar.kind]
		if 100*g.First < bar.first*g.Questions || 100*g.FirstThree < bar.firstThree*g.Questions {
			t.Errorf("%s: of %d, %d first and %d among three; wanted %d and %d in 100", bar.kind, g.Questions, g.First, g.FirstThree, bar.first, bar.firstThree)
		}
	}
	answerable, answered := all.Questions-all.Unanswerable, all.AnsweredRight+all.AnsweredWrong
	if 100*all.UnanswerableAnswered > 12*all.Unanswerable {
		t.Errorf("%d of %d unanswerable questions were answered", all.UnanswerableAnswered, all.Unanswerable)
	}
	if 100*all.AnsweredRight < 45*answerable || 100*all.AnsweredWrong > 20*answered {
		t.Errorf("of %d, %d were answered rightly and %d wrongly", answerable, all.AnsweredRight, all.AnsweredWrong)
	}
}
