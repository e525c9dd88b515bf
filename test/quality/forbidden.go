package main

import (
	"context"
	"fmt"
	"os"
	"strings"

	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/quiz"
	"urgentparrot.example/internal/library"
)

// A matter is one that a brief forbids, with rewordings of its examples.
type matter struct {
	rule     bot.Rule
	reworded []string
}

// readMatters reads matters: "= ABOUT", "- EXAMPLE", and rewordings; what begins with "x "
// is near a matter and to be answered.
func readMatters(file string) (matters []matter, near []string, err error) {
	raw, err := os.ReadFile(file)
	if err != nil {
		return nil, nil, err
	}
	for line := range strings.Lines(string(raw)) {
		line = strings.TrimSpace(line)
		kind, rest, _ := strings.Cut(line, " ")
		switch {
		case line == "" || kind == "#":
		case kind == "=":
			matters = append(matters, matter{rule: bot.Rule{About: rest, Reply: "On " + rest + " I must not say anything."}})
		case kind == "-":
			m := &matters[len(matters)-1]
			m.rule.Questions = append(m.rule.Questions, rest)
		case kind == "x":
			near = append(near, rest)
		default:
			m := &matters[len(matters)-1]
			m.reworded = append(m.reworded, line)
		}
	}
	return matters, near, nil
}

// oneIn is how many rewordings, and questions, there are for each that is put.
const oneIn = 3

// measureForbidden puts the rewordings of matters to bots that are forbidden them, and the
// questions of the businesses, and prints what becomes of both.
func measureForbidden(use string, c *codes) error {
	matters, near, err := readMatters("internal/core/dialogue/testdata/forbidden.txt")
	if err != nil {
		return err
	}
	names, err := businessesFor(use)
	if err != nil {
		return err
	}
	type tally struct{ refused, answered, offered, other int }
	count := func(t *tally, code dialogue.Code) {
		switch code {
		case dialogue.CodeForbidden:
			t.refused++
		case dialogue.CodeAnswered, dialogue.CodeAnsweredInPart:
			t.answered++
		case dialogue.CodeOffered:
			t.offered++
		default:
			t.other++
		}
	}
	var reworded, ordinary, strange, free, close tally
	var before []quiz.Question // those of the business before: nothing here answers them
	for at, name := range names {
		k, questions, err := readBusiness(name, c)
		if err != nil {
			return err
		}
		desk := library.PlainDesk(k.finder)
		plain := desk.Snapshot
		for _, m := range matters {
			desk.Snapshot.Brief.Forbidden = append(desk.Snapshot.Brief.Forbidden, m.rule)
		}
		code := func(s dialogue.Snapshot, said string) dialogue.Code {
			s.Messages = []dialogue.Incoming{{ID: "1", Text: said}}
			return desk.Decide(context.Background(), s).Trace.Code
		}
		for _, m := range matters {
			for i, said := range m.reworded {
				if (i+at)%oneIn > 0 {
					continue
				}
				count(&reworded, code(desk.Snapshot, said))
			}
		}
		for _, said := range near {
			count(&close, code(desk.Snapshot, said))
		}
		for i, q := range questions {
			if q.After == "" && (i+at)%oneIn == 0 {
				count(&ordinary, code(desk.Snapshot, q.Question))
				count(&free, code(plain, q.Question))
			}
		}
		for i, q := range before {
			if q.After == "" && (i+at)%oneIn == 0 {
				count(&strange, code(desk.Snapshot, q.Question))
			}
		}
		before = questions
	}
	fmt.Printf("forbidden matters, %d in %d businesses (%s), in 100:\n", len(matters), len(names), use)
	for _, row := range []struct {
		name string
		tally
	}{{"their rewordings", reworded}, {"near, but allowed", close}, {"other questions", ordinary}, {"those of other businesses", strange}, {"these without the matters", free}} {
		n := float64(row.refused+row.answered+row.offered+row.other) / 100
		fmt.Printf("  %-26s %6.1f refused %6.1f answered %6.1f offered something %6.1f neither\n", row.name, float64(row.refused)/n, float64(row.answered)/n, float64(row.offered)/n, float64(row.other)/n)
	}
	return nil
}
