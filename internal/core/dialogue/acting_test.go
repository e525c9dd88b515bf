package dialogue_test

import (
	"slices"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/thinker"
)

// What a tool says is something to stand on, and nothing else is.
func TestATurnOfAModelWithATool(t *testing.T) {
	s := reader(t)
	question := "When is the next boat to Hallow Point?"
	m := &scripted{t: t, boats: map[string]any{"departures": []any{
		map[string]any{"from": "Brackwater", "to": "Hallow Point", "date": "2026-11-24", "day": "today", "leaves": "09:45", "arrives": "10:30", "boat": "Sandpiper"},
	}}}
	m.replies = []any{
		&thinker.Reply{Calls: []thinker.Call{{ID: "c1", Name: "timetable", Arguments: map[string]any{"to": "Hallow Point"}}}},
		m.says("reply", "The next boat to Hallow Point leaves today at 9:45 and arrives at 10:30. @T1", "There is another at 12:15. @T1"),
	}
	d := m.hears(s, question)
	words, _ := reply(d)
	if !strings.Contains(words, "9:45") || strings.Contains(words, "12:15") {
		t.Errorf("it says %q; %s", words, d.Trace.BuiltIn)
	}
	if len(d.Trace.Tools) != 1 || d.Trace.Tools[0].Arguments["from"] != "Brackwater" {
		t.Errorf("the tool was used so: %+v", d.Trace.Tools)
	}
	last := m.asked[1].Messages[len(m.asked[1].Messages)-1]
	if last.Role != thinker.ToolSaid || last.CallID != "c1" || !strings.Contains(last.Text, `"id":"T1"`) {
		t.Errorf("the model is told %+v", last)
	}
}

// What a tool says is no answer to a question about something else.
func TestAToolsAnswerMustAnswerTheQuestionToo(t *testing.T) {
	s := reader(t)
	m := &scripted{t: t, boats: map[string]any{"departures": []any{
		map[string]any{"from": "Brackwater", "to": "Gannet Holm", "date": "2026-11-24", "day": "today", "leaves": "12:00", "arrives": "13:20", "boat": "Grey Heron"},
	}}}
	m.replies = []any{
		&thinker.Reply{Calls: []thinker.Call{{ID: "c1", Name: "timetable", Arguments: map[string]any{"to": "Gannet Holm"}}}},
		m.says("reply", "The next boat to Gannet Holm leaves today at 12:00. @T1"),
	}
	d := m.hears(s, "how much for me and my bike to gannet holm and back?")
	if words, _ := reply(d); strings.Contains(words, "12:00") || !strings.Contains(d.Trace.BuiltIn, "beside the question") {
		t.Errorf("%q, %q", words, d.Trace.BuiltIn)
	}
}

// A model marks, and passes on, only what the brief grants, and who takes the conversation has
// the question in the same turn.
func TestAModelUsesThePowersOfTheBriefAndNoOthers(t *testing.T) {
	asks := func(name string, to string) *thinker.Reply {
		return &thinker.Reply{Calls: []thinker.Call{{ID: "c", Name: name, Arguments: map[string]any{"to": to}}}}
	}
	s := reader(t)
	const question = "Do dogs travel free, given how your crew treated us?"
	on := passageWith(t, s, question, "Dogs travel free")
	s.Brief.Marks = []bot.Mark{{Tag: "complaint", On: "conversation", About: "complains", When: []string{"I want to complain."}}}
	m := &scripted{t: t, replies: []any{asks("mark", "tag complaint"), ""}}
	m.replies[1] = m.says("reply", "Dogs travel free. @"+on)
	d := m.hears(s, question)
	if tags := find[flow.Tag](d); len(tags) != 1 || tags[0].Tag != "complaint" {
		t.Errorf("the model marks, and what happens is %v", d.Effects)
	}
	if words, _ := reply(d); !strings.Contains(words, "Dogs travel free") {
		t.Errorf("beside the mark it says %q", words)
	}
	functions := m.asked[0].Functions
	if !slices.ContainsFunc(functions, func(f thinker.Function) bool { return f.Name == "mark" && strings.Contains(f.About, "complains") }) || slices.ContainsFunc(functions, func(f thinker.Function) bool { return f.Name == "pass_on" }) {
		t.Errorf("the model may choose among %v", functions)
	}
	for _, made := range []*thinker.Reply{asks("mark", "tag vip"), asks("mark", "stage booked"), asks("pass_on", "bot/freight"), asks("pass_on", "person/robin")} {
		m := &scripted{t: t, replies: []any{made}}
		d := m.hears(s, question)
		if len(find[flow.Tag](d))+len(find[flow.Stand](d))+len(find[dialogue.Pass](d)) > 0 || !strings.Contains(d.Trace.BuiltIn, "not granted") {
			t.Errorf("the model asks for %v: %v, because %q", made.Calls, d.Effects, d.Trace.BuiltIn)
		}
	}

	s, _ = brackwater(t)
	s.Model, s.Brief.Model = reader(t).Model, reader(t).Brief.Model
	m = &scripted{t: t, replies: []any{asks("pass_on", "bot/freight")}}
	d = m.hears(s, "is there anything in the way of lifting gear on board")
	if d.Bot != "freight" || len(d.Trace.Passed) == 0 || !strings.Contains(d.Trace.Passed[0].Why, "the model") {
		t.Errorf("the model passes the question on, and %s has it: %+v", d.Bot, d.Trace.Passed)
	}
}
