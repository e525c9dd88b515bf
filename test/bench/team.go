package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"runtime/pprof"
	"slices"
	"time"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/encoder"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/tool"
	"urgentparrot.example/internal/core/workspace"
)

// The team of a large business.
const (
	teamBots     = 20
	teamTools    = 50 // that each bot may use
	teamPassages = 10_000
	teamAsked    = 400
)

// measureTeam prints how long a turn is decided by a bot that may pass to 19 others and use 50
// tools, over 10,000 passages.
func measureTeam() error {
	l, err := newLibrary()
	if err != nil {
		return err
	}
	var all []knowledge.Passage
	tokens := map[string][]encoder.Tokens{}
	for i := range teamPassages {
		p := l.passage()
		p.ID, p.Source = fmt.Sprint(i), fmt.Sprintf("manual-%d.md", i%teamBots)
		p.SourceID = p.Source
		tokens[p.ID] = encoder.ParseTokens(p.Tokens)
		p.Tokens = nil
		all = append(all, p)
	}
	questions := make([]string, 2*teamAsked)
	for i := range questions {
		switch q := l.question(all); i % 4 {
		case 0:
			questions[i] = q
		case 1:
			questions[i] = fmt.Sprintf("can you %s %s for me on friday after three?", l.word(), l.word())
		case 2:
			questions[i] = "I have a question. " + q + " And what about " + l.word() + "?"
		default:
			questions[i] = fmt.Sprintf("how much is the %s in town %d?", l.word(), i%9)
		}
	}
	settings, err := workspace.ParseSettings("main", []byte("settings: main\ntitle: The works\n"))
	if err != nil {
		return err
	}
	e, err := encoder.Shared()
	if err != nil {
		return err
	}
	finder := answer.Finder{Index: knowledge.Build(text.NewAnalyzer("en", nil), all), Vectors: answer.NewVectors(e), Lately: &answer.Lately{}, Tokens: func(_ context.Context, hits []knowledge.Hit) [][]encoder.Tokens {
		found := make([][]encoder.Tokens, len(hits))
		for i, hit := range hits {
			found[i] = tokens[hit.ID]
		}
		return found
	}}
	var tools []dialogue.Tool
	for i := range teamTools {
		made, err := tool.Parse("t", fmt.Appendf(nil, `tool: tool-%[1]d
connection: c
path: /x
when: ["What is the %[2]s of %[3]s?", "Is there a %[2]s today?", "When does the %[3]s come?", "Show me the %[4]s.", "Can I %[2]s the %[4]s?"]
arguments: { type: object, required: [town], properties: { town: { type: string, enum: [Town %[1]d, Port %[1]d] }, day: { type: string, format: date }, at: { type: string, format: time-of-day }, n: { type: integer } } }
comes_from: { town: { ask: "Which town?" } }
say: [{ text: x }]
sorry: No.
`, i, l.word(), l.word(), l.word()))
		if err != nil {
			return err
		}
		tools = append(tools, dialogue.PrepareTool(text.NewAnalyzer("en", nil), made))
	}
	briefs := map[string]bot.Brief{}
	for i := range teamBots {
		source := fmt.Sprintf("bot: bot-%d\nname: Bot\nsources: [manual-%d.md]\npass:\n", i, i)
		for j := range teamBots {
			if i != j {
				source += fmt.Sprintf("  - { to: bot/bot-%d, about: %s, when: [\"Who knows about %s?\", \"I need a %s.\", \"My %s is lost.\"] }\n", j, l.word(), l.word(), l.word(), l.word())
			}
		}
		name := fmt.Sprintf("bot-%d", i)
		if briefs[name], err = bot.Parse(name, []byte(source)); err != nil {
			return err
		}
	}
	base := dialogue.Snapshot{Now: time.Now(), State: dialogue.State{Lead: dialogue.LedByBot}, Settings: settings, Channel: workspace.Channel{Name: "c", Title: "c"}, Abilities: workspace.Abilities{Limit: 1200}, Tools: tools, Finder: finder}
	var as func(name string) dialogue.Snapshot
	as = func(name string) dialogue.Snapshot {
		s := base
		s.Brief = briefs[name]
		s.Finder.Scope.Sources = map[string]int{s.Brief.Sources[0]: 0}
		s.Finder.Sources = s.Brief.Sources[0]
		s.Other = func(other string, work func(dialogue.Snapshot, bool)) { work(as(other), true) }
		return s
	}
	var one, two []time.Duration // a message of one question, and of two behind a sentence that only leads up to them
	passed := 0
	for round := range 2 { // the first, with other questions, learns what the examples of tools and bots mean
		one, two, passed = nil, nil, 0
		if round == 1 && *profile != "" {
			file, err := os.Create(*profile)
			if err != nil {
				return err
			}
			defer file.Close()
			if err := pprof.StartCPUProfile(file); err != nil {
				return err
			}
			defer pprof.StopCPUProfile()
		}
		for i, q := range questions[round*teamAsked:][:teamAsked] {
			s := as(fmt.Sprintf("bot-%d", i%teamBots))
			s.Messages = []dialogue.Incoming{{ID: "1", Text: q}}
			begun := time.Now()
			d := dialogue.Decide(context.Background(), s)
			if took := time.Since(begun); i%4 == 2 {
				two = append(two, took)
			} else {
				one = append(one, took)
			}
			if len(d.Trace.Passed) > 0 {
				passed++
			}
			if d.Trace.Code == "" {
				return errors.New("a turn came to nothing")
			}
		}
	}
	fmt.Printf("20 bots, 50 tools, 10,000 passages; of %d messages %d are passed on\n", teamAsked, passed)
	for _, of := range []struct {
		what, aim string
		took      []time.Duration
	}{{"a turn with one question", "   (aim: p99 under 25 ms)", one}, {"a turn with two questions in three sentences", "", two}} {
		slices.Sort(of.took)
		n := len(of.took)
		fmt.Printf("%-58s %10s %10s%s\n", of.what+", p50 and p99", of.took[n/2].Round(10*time.Microsecond), of.took[n*99/100].Round(10*time.Microsecond), of.aim)
	}
	return nil
}
