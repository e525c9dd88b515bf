package main

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/quiz"
)

// The made-up businesses: passages, and questions with the sentences that answer them.
// Some only judge, on some the last layers are fitted, on all others encoder, judge and
// words of customers are trained.
const (
	businesses = "test/quality/businesses"
	judged     = "judged"
	fitted     = "fitted"
)

// businessesFor returns the names of the businesses for a use.
func businessesFor(use string) ([]string, error) {
	raw, err := os.ReadFile(businesses + "-split.json")
	if err != nil {
		return nil, err
	}
	var split map[string][]string
	if err := json.Unmarshal(raw, &split); err != nil {
		return nil, err
	}
	return split[use], nil
}

// readBusiness reads one business: a source for each of its passages, as a builder who
// keeps a page for each would have.
func readBusiness(name string, c *codes) (*corpus, []quiz.Question, error) {
	raw, err := os.ReadFile(filepath.Join(businesses, name+".json"))
	if err != nil {
		return nil, nil, err
	}
	var b struct {
		Passages []struct {
			ID, Text string
			Trail    []string
		}
		Questions []struct {
			Q, Kind, After, Passage, Quote string
			Passages, Quotes               []string
		}
	}
	if err := json.Unmarshal(raw, &b); err != nil {
		return nil, nil, err
	}
	k := &corpus{name: name, quotes: map[string]string{}}
	for _, p := range b.Passages {
		document := knowledge.Document{Sections: []knowledge.Section{{Trail: p.Trail, Text: p.Text}}}
		for _, passage := range document.Passages() {
			passage.ID, passage.Source, passage.SourceID = fmt.Sprintf("%s#%d", p.ID, passage.Position), p.ID, p.ID
			k.passages = append(k.passages, passage)
		}
	}
	var questions []quiz.Question
	for i, asked := range b.Questions {
		q := quiz.Question{ID: fmt.Sprintf("%s-%03d", name, i), Question: asked.Q, Kind: asked.Kind, After: asked.After}
		switch asked.Kind {
		case "unanswerable":
			q.Unanswerable = true
		case "two":
			for _, source := range asked.Passages {
				q.Parts = append(q.Parts, quiz.Part{Source: quiz.Sources{source}})
			}
		default:
			q.Source = quiz.Sources{asked.Passage}
			k.quotes[q.ID] = asked.Quote
		}
		questions = append(questions, q)
	}
	k.finder = k.finds(c, nil)
	return k, questions, nil
}

// merged puts businesses together into one, as a builder has who keeps more pages than
// these: what is fitted must hold for larger knowledge too.
func merged(businesses []*corpus, asked [][]quiz.Question, c *codes) (*corpus, []quiz.Question) {
	k := &corpus{name: "several"}
	var questions []quiz.Question
	for i, b := range businesses {
		k.name += " " + b.name
		for _, p := range b.passages {
			p.ID, p.Source, p.SourceID = b.name+"-"+p.ID, b.name+"-"+p.Source, b.name+"-"+p.SourceID
			k.passages = append(k.passages, p)
		}
		for _, q := range asked[i] {
			if len(q.Parts) > 0 {
				continue
			}
			sources := quiz.Sources{}
			for _, s := range q.Source {
				sources = append(sources, b.name+"-"+s)
			}
			q.Source = sources
			questions = append(questions, q)
		}
	}
	k.finder = k.finds(c, nil)
	return k, questions
}

// quoted compares a quote with the sentences that answer, by their words: the share of
// these that it holds, and the share of it that they are.
func quoted(said, wanted string) (held, exact float64) {
	a, b := strings.Fields(strings.ToLower(said)), strings.Fields(strings.ToLower(wanted))
	share := func(of, in []string) float64 {
		left := slices.Clone(in)
		n := 0
		for _, w := range of {
			if i := slices.Index(left, w); i >= 0 {
				left = slices.Delete(left, i, i+1)
				n++
			}
		}
		return float64(n) / float64(max(len(of), 1))
	}
	return share(b, a), share(a, b)
}

// byKind sorts kinds as people would read them.
func byKind(a, b string) int {
	order := []string{"direct", "short", "typo", "paraphrase", "long", "mail", "statement", "followup", "two", "twist", "unanswerable"}
	return cmp.Or(cmp.Compare(slices.Index(order, a), slices.Index(order, b)), cmp.Compare(a, b))
}

// A tally is what was counted of one kind of question, over businesses.
type tally struct {
	quiz.Group
	bm25, before quiz.Group
	held, exact  float64 // of the quotes of what was answered rightly
	quoted       int
}

// measureBusinesses puts the questions of all businesses for a use and prints totals, never
// single questions.
func measureBusinesses(use string, c *codes, earlier string) error {
	names, err := businessesFor(use)
	if err != nil {
		return err
	}
	kinds := map[string]*tally{}
	of := func(kind string) *tally {
		if kinds[kind] == nil {
			kinds[kind] = &tally{}
		}
		return kinds[kind]
	}
	var verdicts []quiz.Verdict
	var confidences []float64
	var rights []bool
	type measured struct {
		k                     *corpus
		report, plain, before quiz.Report
		err                   error
	}
	each := make([]measured, len(names))
	var working sync.WaitGroup
	places := make(chan struct{}, runtime.GOMAXPROCS(0))
	for i, name := range names {
		working.Go(func() {
			places <- struct{}{}
			defer func() { <-places }()
			m := &each[i]
			var questions []quiz.Question
			if m.k, questions, m.err = readBusiness(name, c); m.err != nil {
				return
			}
			m.report = m.k.judge(questions)
			if m.plain, m.err = plainBM25(m.k.passages, questions); m.err == nil && earlier != "" {
				m.before, m.err = putEarlier(earlier, m.k, questions)
			}
		})
	}
	working.Wait()
	for _, m := range each {
		if m.err != nil {
			return m.err
		}
		k, report, plain, before := m.k, m.report, m.plain, m.before
		for kind, g := range report.Kinds {
			for _, name := range []string{kind, "all"} {
				t := of(name)
				t.Group, t.bm25, t.before = add(t.Group, g), add(t.bm25, plain.Kinds[kind]), add(t.before, before.Kinds[kind])
			}
		}
		verdicts = append(verdicts, report.Verdicts...)
		for _, v := range report.Verdicts {
			if v.Answered {
				confidences, rights = append(confidences, v.Confidence), append(rights, v.Right)
			}
			if quote := k.quotes[v.ID]; quote != "" && v.Right {
				held, exact := quoted(v.Said, quote)
				for _, name := range []string{v.Kind, "all"} {
					t := of(name)
					t.held, t.exact, t.quoted = t.held+held, t.exact+exact, t.quoted+1
				}
			}
		}
	}
	print := func(kind string) {
		t := of(kind)
		n := t.Questions - t.Unanswerable
		if n == 0 {
			return
		}
		share := func(n, of int) string { return fmt.Sprintf("%.1f", 100*float64(n)/float64(max(of, 1))) }
		line := fmt.Sprintf("  %-12s %6d   %5s %5s   %5s %5s", kind, n, share(t.First, n), share(t.FirstThree, n), share(t.bm25.First, n), share(t.bm25.FirstThree, n))
		if earlier != "" {
			line += fmt.Sprintf("   %5s %5s", share(t.before.First, n), share(t.before.FirstThree, n))
		}
		fmt.Printf("%s   %6s %6s   %6s %6s   %6.2f %6.2f\n", line, share(t.AnsweredRight, n), share(t.AnsweredWrong, n), share(t.OfferedRight, n), share(t.OfferedWrong, n), t.held/float64(max(t.quoted, 1)), t.exact/float64(max(t.quoted, 1)))
	}
	fmt.Printf("%d businesses, %s\n  %-12s %6s   %11s   %11s", len(names), use, "in 100", "asked", "first three", "plain BM25")
	if earlier != "" {
		fmt.Printf("   %11s", "before")
	}
	fmt.Printf("   %6s %6s   %13s   %13s\n", "right", "wrong", "offered: right", "wrong; quote: held, exact")
	order := slices.Sorted(maps.Keys(kinds))
	slices.SortStableFunc(order, byKind)
	for _, kind := range order {
		print(kind)
	}
	all := of("all")
	answerable, sent := all.Questions-all.Unanswerable, all.AnsweredRight+all.AnsweredWrong
	fmt.Printf("  answered rightly %.1f of the answerable; of the sent %.1f wrong; of the unanswerable %.1f answered (%d of %d)\n", 100*float64(all.AnsweredRight)/float64(answerable),
		100*float64(all.AnsweredWrong)/float64(max(sent, 1)), 100*float64(all.UnanswerableAnswered)/float64(max(all.Unanswerable, 1)), all.UnanswerableAnswered, all.Unanswerable)
	fmt.Printf("  answered or offered rightly %.1f; of the unanswerable %.1f offered something\n", 100*float64(all.AnsweredRight+all.OfferedRight)/float64(answerable), 100*float64(all.UnanswerableOffered)/float64(max(all.Unanswerable, 1)))
	if earlier != "" {
		b := all.before
		fmt.Printf("  before: answered rightly %.1f; wrong %.1f; unanswerable answered %.1f\n", 100*float64(b.AnsweredRight)/float64(answerable),
			100*float64(b.AnsweredWrong)/float64(max(b.AnsweredRight+b.AnsweredWrong, 1)), 100*float64(b.UnanswerableAnswered)/float64(max(b.Unanswerable, 1)))
	}
	fmt.Print("  of answers with a confidence of")
	for from := 0.0; from < 0.95; from += 0.1 {
		n, right := 0, 0
		for i, confidence := range confidences {
			if confidence >= from && confidence < from+0.1 {
				n++
				if rights[i] {
					right++
				}
			}
		}
		if n > 0 {
			fmt.Printf(" %.1f: %d of %d right;", from, right, n)
		}
	}
	fmt.Print("\n")
	sweep(verdicts)
	fmt.Println()
	return nil
}

// What may be answered or offered wrongly, in 100, where the bars are set.
const (
	mostUnanswerable = 8
	mostWrong        = 12
	mostOffered      = 45
)

// sweep prints how much is answered rightly, and offered, with thresholds that keep to the
// limits.
func sweep(verdicts []quiz.Verdict) {
	answerable, none := 0, 0
	for _, v := range verdicts {
		if v.None {
			none++
		} else {
			answerable++
		}
	}
	slices.SortFunc(verdicts, func(a, b quiz.Verdict) int { return cmp.Compare(b.Confidence, a.Confidence) })
	right, wrong, unanswerable, best, from := 0, 0, 0, 0, 1.0
	for _, v := range verdicts {
		switch {
		case v.None:
			unanswerable++
		case v.Place == 1:
			right++
		default:
			wrong++
		}
		if 100*unanswerable <= mostUnanswerable*none && 100*wrong <= mostWrong*(right+wrong) && right > best {
			best, from = right, v.Confidence
		}
	}
	fmt.Printf("  with at most %d in 100 unanswerable answered and %d wrong of the sent: %.1f answered rightly, from %.2f on", mostUnanswerable, mostWrong, 100*float64(best)/float64(answerable), from)
	slices.SortFunc(verdicts, func(a, b quiz.Verdict) int { return cmp.Compare(b.Likely, a.Likely) })
	right, unanswerable = 0, 0
	for _, most := range []int{30, mostOffered} {
		right, unanswerable = 0, 0
		for _, v := range verdicts {
			if v.None {
				if unanswerable++; 100*unanswerable > most*none {
					fmt.Printf("; with %d in 100 offered something: right among three %.1f, from %.2f on", most, 100*float64(right)/float64(answerable), v.Likely)
					break
				}
			} else if v.Place >= 1 && v.Place <= 3 {
				right++
			}
		}
	}
	fmt.Println()
}

func add(a, b quiz.Group) quiz.Group {
	a.Questions += b.Questions
	a.First += b.First
	a.FirstThree += b.FirstThree
	a.AnsweredRight += b.AnsweredRight
	a.AnsweredWrong += b.AnsweredWrong
	a.OfferedRight += b.OfferedRight
	a.OfferedWrong += b.OfferedWrong
	a.UnanswerableOffered += b.UnanswerableOffered
	a.Unanswerable += b.Unanswerable
	a.UnanswerableAnswered += b.UnanswerableAnswered
	return a
}
