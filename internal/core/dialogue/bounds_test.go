package dialogue_test

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/encoder"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/tool"
)

// nonsense is words that nobody knows, each of them misspelt.
func nonsense(bytes int, seed int64) string {
	r := rand.New(rand.NewSource(seed))
	var b strings.Builder
	for b.Len() < bytes {
		for range 3 + r.Intn(9) {
			b.WriteByte(byte('a' + r.Intn(26)))
		}
		b.WriteByte(' ')
	}
	return b.String()
}

// Whatever somebody writes, a turn takes little time and leaves a small trace, and
// what was not read is not passed over in silence.
func TestATurnIsBounded(t *testing.T) {
	s := frontDesk(t)
	const size = 50_000
	for name, said := range map[string]string{
		"one long sentence": nonsense(size, 1),
		"one long word":     strings.Repeat("boat", size/4),
		"questions":         strings.Repeat("where is the pier? ", size/19),
		"two in one":        strings.Repeat("how much is it and can I bring my dog ", size/38),
		"question marks":    strings.Repeat("?", size),
		"dots":              strings.Repeat("a.", size/2),
		"lines":             strings.Repeat("boat\n", size/5),
		"places":            strings.Repeat("hallow point to gannet holm ", size/28),
		"addresses":         strings.Repeat("a@example.org ", size/14),
		"numbers":           strings.Repeat("07700 900123 ", size/13),
		"names":             strings.Repeat("my name is Ada ", size/15),
		"accents":           strings.Repeat("é̂̂̂̂", size/10),
		"zero widths":       strings.Repeat("b\u200boat", size/7),
		"thanks":            strings.Repeat("thanks ", size/7),
		"wishes":            strings.Repeat("talk to a ", size/10),
		"anger":             strings.Repeat("never sick of ", size/14),
		"not utf-8":         strings.Repeat("\xff\xfe ", size/3),
	} {
		t.Run(name, func(t *testing.T) {
			decide := func(said string) (dialogue.Decision, time.Duration) {
				s.Messages = []dialogue.Incoming{{ID: "m", Text: said}}
				started := time.Now()
				return dialogue.Decide(t.Context(), s), time.Since(started)
			}
			decide(said) // what is made once is made
			_, quarter := decide(said[:len(said)/4])
			d, whole := decide(said)
			// The machine is noisy; work that grows with the square takes sixteen times as long.
			if whole > 4*quarter+2*time.Second {
				t.Errorf("it took %s, a quarter of it %s", whole, quarter)
			}
			trace, err := json.Marshal(d.Trace)
			if err != nil {
				t.Fatal(err)
			}
			if len(trace) > 100_000 {
				t.Errorf("the trace has %d bytes", len(trace))
			}
			if says := find[dialogue.Say](d); len(d.Calls) == 0 && len(says) != 1 {
				t.Errorf("%d replies, %+v", len(says), d.Trace)
			}
		})
	}
	_, reply := talk(t, s, dialogue.Result{}, "Is there food on board? "+strings.Repeat("la ", size))
	if !strings.Contains(reply, "soup") || !strings.Contains(reply, "only its beginning") {
		t.Errorf("a long message is answered with %q", reply)
	}
}

// A turn ends with its time, and says that it did.
func TestATurnStopsInTime(t *testing.T) {
	s := frontDesk(t)
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	s.Messages = []dialogue.Incoming{{ID: "m", Text: "Is there food on board? Where is the pier?"}}
	d := dialogue.Decide(ctx, s)
	if says := find[dialogue.Say](d); len(d.Trace.Understood) != 0 || len(says) != 1 {
		t.Errorf("out of time, %d questions were dealt with, %v was said", len(d.Trace.Understood), says)
	}
}

// Words that readers of numbers take are none.
func TestOnlyDigitsAreNumbers(t *testing.T) {
	s := frontDesk(t)
	seats := seatsTool(t, s)
	s.Tools = []dialogue.Tool{seats}
	for said, want := range map[string]any{
		"book seats for my nan": nil, "book seats for inf": nil, "book seats for infinity": nil, "book 0x1p9 seats": nil,
		"book 99999999999999999999999 seats": nil, "book 4 seats": 4.0, "book seats for 12 people": 12.0,
	} {
		s.Messages = []dialogue.Incoming{{ID: "m", Text: said}}
		d := dialogue.Decide(t.Context(), s)
		if _, err := json.Marshal(d.State); err != nil {
			t.Errorf("%q: the state cannot be kept: %v", said, err)
		}
		switch {
		case want == nil && (len(d.Calls) > 0 || d.State.Open == nil || d.State.Open.Missing != "seats"):
			t.Errorf("%q: %+v, want to be asked how many", said, d.Trace.Tools)
		case want != nil && (len(d.Calls) != 1 || d.Calls[0].Arguments["seats"] != want):
			t.Errorf("%q: called %+v, want %v", said, d.Calls, want)
		}
	}
}

// One who answers as fast as a program, or always in the same words, is stopped; a
// person who is quick now and then is not.
func TestLoopsAreSeen(t *testing.T) {
	at := time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC)
	// exchange is answers after so long, the bot's reply before each.
	exchange := func(words func(i int) string, after ...time.Duration) (talk []dialogue.Moment) {
		now := at
		for i, wait := range after {
			talk = append(talk, dialogue.Moment{By: dialogue.Bot, At: now})
			now = now.Add(wait)
			talk = append(talk, dialogue.Moment{By: dialogue.Customer, At: now, Text: words(i)})
		}
		return talk
	}
	times := func(n int, d time.Duration) (list []time.Duration) {
		for range n {
			list = append(list, d)
		}
		return list
	}
	other := func(i int) string { return fmt.Sprint("question number ", i) }
	same := func(int) string { return "I am out of the office until Monday." }
	short := func(int) string { return "yes" }
	person := exchange(other, times(20, 100*time.Millisecond)...)
	person = append(person, dialogue.Moment{By: dialogue.Person, At: at})
	for name, c := range map[string]struct {
		talk []dialogue.Moment
		want int
	}{
		"a program":                {exchange(other, times(20, 300*time.Millisecond)...), 20},
		"an out-of-office":         {exchange(same, times(9, time.Hour)...), 8},
		"a person":                 {exchange(other, times(20, 20*time.Second)...), 0},
		"a person who says yes":    {exchange(short, times(9, 15*time.Second)...), 0},
		"a person who is quick":    {exchange(other, append(times(5, time.Second), 9*time.Second)...), 0},
		"a pace nobody can keep":   {exchange(other, times(30, 5*time.Second)...), 15},
		"a person came in between": {person, 0},
		"many before one reply":    {append(exchange(other, times(1, time.Second)...), exchange(other, times(1, time.Hour)...)[1:]...), 1},
		"nothing":                  {nil, 0},
	} {
		if got := dialogue.Streak(c.talk); got != c.want {
			t.Errorf("%s: %d, want %d", name, got, c.want)
		}
	}
	var paused time.Duration
	for streak := range 100 {
		paused += dialogue.LoopPause(streak)
	}
	if paused < time.Minute || dialogue.LoopPause(3) != 0 {
		t.Errorf("in all a loop is held up for %s", paused)
	}
	s := frontDesk(t)
	s.Messages, s.Streak = []dialogue.Incoming{{ID: "m", Text: "Is there food on board?"}}, 15
	d := dialogue.Decide(t.Context(), s)
	if handed := find[dialogue.Escalate](d); len(find[dialogue.Say](d)) != 0 || len(handed) != 1 || handed[0].Reason != bot.OnLoop || d.State.Lead != dialogue.Waiting {
		t.Errorf("a loop ends with %+v", d.Effects)
	}
	s.State = d.State
	if d = dialogue.Decide(t.Context(), s); len(d.Effects) != 0 || d.Trace.Code != dialogue.CodeLoop {
		t.Errorf("a stopped loop goes on with %+v", d.Effects)
	}
}

// What a turn came to is what is said of it.
func TestCodesAreTrue(t *testing.T) {
	s := frontDesk(t)
	s.Brief.OfferThreshold = 1
	quiet := s
	quiet.Brief.Escalate.On = nil
	waiting := s
	waiting.State.Lead = dialogue.Waiting
	asked := s
	for i := range 12 {
		asked.State.Asked = append(asked.State.Asked, dialogue.Asked{Question: fmt.Sprint(i), Answer: "x"})
	}
	for name, c := range map[string]struct {
		s    dialogue.Snapshot
		said string
		code dialogue.Code
		has  string
		not  string
	}{
		"off topic":                       {s, "is the captain married?", dialogue.CodeOffTopic, "not something I can help", ""},
		"part unknown, nobody told":       {quiet, "Is there food on board? Can I rent a canoe at the pier?", dialogue.CodeAnsweredInPart, "I don't know", "asked a colleague"},
		"part unknown, people told":       {s, "Is there food on board? Can I rent a canoe at the pier?", dialogue.CodeAnsweredInPart, "asked a colleague", ""},
		"anger that brings nobody in":     {quiet, "This is ridiculous! Is there food on board?", dialogue.CodeAnswered, "soup", "don't know"},
		"goodbye while waiting":           {waiting, "bye", dialogue.CodeSmallTalk, "odbye", "added that"},
		"thanks beside the 13th question": {asked, "Thanks! Is there food on board?", dialogue.CodeAnswered, "soup", ""},
		"a question while waiting":        {waiting, "Is there food on board?", dialogue.CodeAnswered, "soup", ""},
		"something to add while waiting":  {waiting, "ok", dialogue.CodeAdded, "colleague", ""},
	} {
		d, reply := talk(t, c.s, dialogue.Result{}, c.said)
		if d.Trace.Code != c.code || !strings.Contains(reply, c.has) || c.not != "" && strings.Contains(reply, c.not) {
			t.Errorf("%s: %s, %q; want %s, with %q, without %q", name, d.Trace.Code, reply, c.code, c.has, c.not)
		}
	}
	broken := dialogue.GiveUp(s, "it broke")
	if handed := find[dialogue.Escalate](broken); len(handed) != 1 || handed[0].Reason != bot.OnFault || len(find[dialogue.Say](broken)) != 1 || broken.Trace.Code != dialogue.CodeFault {
		t.Errorf("given up with %+v", broken.Effects)
	}
}

// A matter that is forbidden is so in other words too, also where the knowledge would
// answer it, and nothing else is.
func TestForbiddenMattersAreRecognisedReworded(t *testing.T) {
	s := frontDesk(t)
	e, err := encoder.Shared()
	if err != nil {
		t.Fatal(err)
	}
	leaflet := knowledge.Passage{ID: "leaflet", Source: "leaflet.md", Trail: []string{"Health"}, Text: "After an operation you can travel on every boat. Ginger pills help against seasickness."}
	for _, said := range leaflet.Said() {
		leaflet.Views = append(leaflet.Views, pack(t, e, said))
	}
	s.Finder.Index = s.Finder.Index.Change(nil, []knowledge.Passage{leaflet})
	for _, said := range []string{"can I travel on a boat after my operation?", "do pills help against seasickness?"} {
		allowed := s
		allowed.Brief.Forbidden = nil
		if _, reply := talk(t, allowed, dialogue.Result{}, said); strings.Contains(reply, "doctor or a pharmacist") || strings.Contains(reply, "don't know") {
			t.Fatalf("%q: nothing would answer it but %q", said, reply)
		}
		if _, reply := talk(t, s, dialogue.Result{}, said); !strings.Contains(reply, "doctor or a pharmacist") {
			t.Errorf("%q is answered: %q", said, reply)
		}
	}
	for said, forbidden := range map[string]bool{
		"is it safe to travel when i'm expecting?":                true,
		"wich pils should I take agianst seasickness":             true,
		"I am pregnant. Is it safe for me to travel on the boat?": true,
		"I had an operation last week, can I travel?":             true,
		"Which tablets help against seasickness?":                 true,
		"Is there food on board?":                                 false,
		"can i take my bike on the boat?":                         false,
		"do dogs travel free?":                                    false,
		"When do I get my money back when a boat is cancelled?":   false,
		"is it safe to travel with my laptop?":                    false,
		"which binoculars should I take for the seals?":           false,
		"Can I travel without a passport?":                        false,
		"is it safe to leave my bag on the rack?":                 false,
	} {
		d, reply := talk(t, s, dialogue.Result{}, said)
		if got := strings.Contains(reply, "doctor or a pharmacist"); got != forbidden || forbidden && d.Trace.Code != dialogue.CodeForbidden {
			t.Errorf("%q: %q (%s)", said, reply, d.Trace.Code)
		}
	}
}

func FuzzSplit(f *testing.F) {
	for _, seed := range []string{"hello", "how much is it and can I bring my dog?", "Thanks! Bye.", "e.g. at 5 p.m. on Mon.", "\xff?\n\u200b", "a. B. c?"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, said string) {
		if len(said) > 1<<12 {
			return
		}
		started := time.Now()
		total := 0
		for _, part := range answer.Split(said) {
			if strings.TrimSpace(part.Text) == "" {
				t.Errorf("an empty part of %q", said)
			}
			total += len(part.Text)
		}
		if total > 2*len(said)+8 || time.Since(started) > time.Second {
			t.Errorf("%d bytes became %d in %s", len(said), total, time.Since(started))
		}
	})
}

func seatsTool(t *testing.T, s dialogue.Snapshot) dialogue.Tool {
	t.Helper()
	seats, err := tool.Parse("seats", []byte(`tool: seats
title: Book seats
connection: timetable
path: /seats
when: [book seats]
arguments:
  type: object
  properties:
    seats: {type: integer}
  required: [seats]
comes_from:
  seats: {ask: How many seats?}
say:
  - text: Booked.
sorry: I cannot book now.
`))
	if err != nil {
		t.Fatal(err)
	}
	return dialogue.PrepareTool(s.Settings.Analyzer(), seats)
}
