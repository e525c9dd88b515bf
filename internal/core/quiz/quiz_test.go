package quiz

import (
	"math"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
)

// reply says words from the first of some passages; "" withholds.
func reply(words string, confidence float64, found ...string) answer.Reply {
	r := answer.Reply{Words: words}
	for _, said := range found {
		source, said, _ := strings.Cut(said, ": ")
		c := answer.Candidate{Hit: knowledge.Hit{Passage: knowledge.Passage{Source: source, Text: said}}, Confidence: confidence}
		c.Quote = text.Span{Start: 0, End: len(said)}
		r.Candidates = append(r.Candidates, c)
	}
	return r
}

func TestAnswersAreJudged(t *testing.T) {
	questions, err := Parse(strings.NewReader(`
{"id":"1","question":"right first, said","kind":"direct","mentions":["£6|six pounds"],"source":"fares.md"}
{"id":"2","question":"right second, wrong said","kind":"direct","mentions":["£6"],"source":["fares.md","prices.md"]}
{"id":"3","question":"right first, withheld","kind":"direct","mentions":["noon"]}
{"id":"4","question":"never found","mentions":["nowhere"]}
{"id":"5","question":"the words of another source","mentions":["£6"],"source":"fares.md"}
{"id":"6","question":"both parts","kind":"two","parts":[{"mentions":["£6"]},{"mentions":["noon"]}]}
{"id":"7","question":"one part","kind":"two","parts":[{"mentions":["£6"]},{"mentions":["noon"]}]}
{"id":"8","question":"unanswerable, withheld","unanswerable":true}
{"id":"9","question":"unanswerable, answered","unanswerable":true}
`))
	if err != nil {
		t.Fatal(err)
	}
	replies := map[string][]answer.Reply{
		"1": {reply("It is Six  Pounds.", 0.9, "docs/fares.md: It is Six  Pounds.")},
		"2": {reply("It is £9.", 0.8, "fares.md: It is £9.", "prices.md: It is £6.")},
		"3": {reply("", 0.4, "day.md: At noon.")},
		"4": {reply("", 0.1, "day.md: At noon.")},
		"5": {reply("It is £6.", 0.7, "rumours.md: It is £6.")},
		"6": {reply("£6.", 0.9, "a: £6."), reply("Noon.", 0.9, "b: Noon.")},
		"7": {reply("£6.", 0.9, "a: £6."), reply("", 0.2, "b: Midnight.", "b: Noon.")},
		"8": {reply("", 0.3, "a: £6.")},
		"9": {reply("£6.", 0.6, "a: £6.")},
	}
	asked := map[string]string{}
	for _, q := range questions {
		asked[q.Question] = q.ID
	}
	r := Run(questions, func(q, _ string) []answer.Reply { return replies[asked[q]] })
	want := Group{Questions: 9, First: 3, FirstThree: 5, MRR: (1 + 0.5 + 1 + 0 + 0 + 1 + 0.5) / 7, AnsweredRight: 2, AnsweredWrong: 2, Withheld: 3, Unanswerable: 2, UnanswerableAnswered: 1, AUROC: (2 + 1 + 2) / 6.0}
	got := r.All
	got.reciprocal, got.sure, got.unsure = 0, nil, nil
	if math.Abs(got.MRR-want.MRR) > 1e-9 || math.Abs(got.AUROC-want.AUROC) > 1e-9 {
		t.Errorf("rates: %v and %v, want %v and %v", got.MRR, got.AUROC, want.MRR, want.AUROC)
	}
	got.MRR, got.AUROC = want.MRR, want.AUROC
	if got.First != want.First || got.FirstThree != want.FirstThree || got.AnsweredRight != want.AnsweredRight || got.AnsweredWrong != want.AnsweredWrong ||
		got.Withheld != want.Withheld || got.Unanswerable != want.Unanswerable || got.UnanswerableAnswered != want.UnanswerableAnswered || got.Questions != want.Questions {
		t.Errorf("got %+v, want %+v", got, want)
	}
	var why []string
	for _, f := range r.Failures {
		why = append(why, f.ID+" "+f.Why)
	}
	if got := strings.Join(why, "; "); got != "2 answered wrongly; 3 withheld; 4 withheld; 5 answered wrongly; 7 answered in part; 9 answered although nothing answers it" {
		t.Errorf("failures: %s", got)
	}
	times, right := 0, 0
	for _, b := range r.Calibration {
		times, right = times+b.Times, right+b.Right
	}
	if times != 9 || right != 3 || r.Calibration[9].Times != 3 || len(r.Kinds) != 3 || r.Kinds["direct"].Questions != 3 {
		t.Errorf("calibration %+v, kinds %+v", r.Calibration, r.Kinds)
	}
}

func TestABadQuizIsNamedByItsLine(t *testing.T) {
	for quiz, says := range map[string]string{
		"":                                     "no question",
		"{\"question\":\"a\"}\nnot json":       "line 2",
		"{\"id\":\"1\"}":                       "line 1: the question is missing",
		"{\"question\":\"a\",\"source\":7}":    "line 1",
		strings.Repeat("x", longestLine+1):     "longer than 64 kB",
		"\ufeff{\"question\":\"a\"}\n\n[1, 2]": "line 3",
	} {
		if _, err := Parse(strings.NewReader(quiz)); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%.40q: %v, want one that says %q", quiz, err, says)
		}
	}
}
