package dialogue_test

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/thinker"
	"urgentparrot.example/internal/core/tool"
)

// lastUse is the latest use of a tool.
func lastUse(d dialogue.Decision) (name string, arguments map[string]any) {
	if len(d.Trace.Tools) == 0 {
		return "", nil
	}
	use := d.Trace.Tools[len(d.Trace.Tools)-1]
	return use.Tool, use.Arguments
}

// What a tool needs is found anywhere in the talk, in any order; what is said after its answer
// corrects it or asks the same for something else, and a new question is none of that.
func TestDetailsAreFoundAnywhereInTheTalk(t *testing.T) {
	boats := dialogue.Result{Value: map[string]any{"departures": []any{}}}
	for _, c := range []struct {
		said []string
		want string // the arguments of the last call, "" for none
	}{
		{[]string{"We are four and want to go to Hallow Point on Friday.\nWhen is there a boat?"}, `{"date":"2026-11-27","from":"Brackwater","to":"Hallow Point"}`},
		{[]string{"when is the next boat", "gannet holm"}, `{"from":"Brackwater","to":"Gannet Holm"}`},
		{[]string{"when is the next boat", "tomorrow after three", "to gannet holm"}, `{"after":"15:00","date":"2026-11-25","from":"Brackwater","to":"Gannet Holm"}`},
		{[]string{"when is the next boat to gannet holm", "no, Hallow Point"}, `{"from":"Brackwater","to":"Hallow Point"}`},
		{[]string{"when is the next boat to gannet holm", "and tomorrow afternoon?"}, `{"after":"12:00","date":"2026-11-25","from":"Brackwater","to":"Gannet Holm"}`},
		{[]string{"when is the next boat to gannet holm tomorrow", "sorry, I meant next friday"}, `{"date":"2026-12-04","from":"Brackwater","to":"Gannet Holm"}`},
		{[]string{"when is the next boat to gannet holm", "and the last boat?"}, `{"from":"Brackwater","to":"Gannet Holm","which":"last"}`},
		{[]string{"when is the next boat to gannet holm", "can I take my dog to Hallow Point?"}, ""},
		{[]string{"when is the next boat to gannet holm", "thank you"}, ""},
		{[]string{"when did Brackwater Ferries begin?"}, ""},
	} {
		s := frontDesk(t)
		s.Now = time.Date(2026, 11, 24, 9, 0, 0, 0, s.Settings.Zone())
		d, reply := talk(t, s, boats, c.said...)
		name, arguments := lastUse(d)
		raw, _ := json.Marshal(arguments)
		if c.want == "" && name != "" || c.want != "" && (name != "timetable" || string(raw) != c.want) {
			t.Errorf("%q: %s is called with %s; want %s (%s)", c.said, name, raw, c.want, reply)
		}
	}
	s := frontDesk(t)
	s.Talk = []thinker.Line{{By: "customer", Text: "My gran lives on Hallow Point."}, {By: "bot", Text: "How can I help?"}}
	if d, _ := talk(t, s, boats, "When is the next boat?"); len(d.Trace.Tools) == 0 || d.Trace.Tools[0].Arguments["to"] != "Hallow Point" {
		t.Errorf("what was said before is not taken up: %+v", d.Trace.Tools)
	}
}

// A call that a person has to allow is not made before; what they say reaches the customer,
// and a second word from the same person does nothing.
func TestACallWaitsForThePersonWhoAllowsIt(t *testing.T) {
	s := frontDesk(t)
	d, said := talk(t, s, dialogue.Result{}, "please refund my ticket BF-1042")
	if len(d.Calls) > 0 || !strings.Contains(said, "asked a colleague") {
		t.Fatalf("%q, %+v", said, d.Calls)
	}
	var asked dialogue.Allow
	for _, e := range d.Effects {
		if a, is := e.(dialogue.Allow); is {
			asked = a
		}
	}
	if asked.Tool != "refund" || asked.Arguments["number"] != "BF-1042" {
		t.Fatalf("what people are asked to allow is %+v", asked)
	}
	wake := func(a dialogue.Allowed) dialogue.Snapshot {
		raw, _ := json.Marshal(a)
		s := s
		s.State, s.Messages = d.State, nil
		s.Wakes = []dialogue.Wake{{Kind: dialogue.ByAllowance, Body: string(raw)}}
		return s
	}
	yes := wake(dialogue.Allowed{Allow: asked, Yes: true, By: "Robin"})
	calls := dialogue.Decide(t.Context(), yes)
	if len(calls.Calls) != 1 || calls.Calls[0].Tool != "refund" {
		t.Fatalf("allowed, it calls %+v", calls.Calls)
	}
	yes.Results = []dialogue.Result{{Call: calls.Calls[0], Value: map[string]any{"refunded": true, "amount": 25.9}}}
	if words, _ := reply(dialogue.Decide(t.Context(), yes)); !strings.Contains(words, "£25.9") {
		t.Errorf("after the call it says %q", words)
	}
	no := dialogue.Decide(t.Context(), wake(dialogue.Allowed{Allow: asked, By: "Robin", Why: "The boat has left."}))
	if words, _ := reply(no); len(no.Calls) > 0 || !strings.Contains(words, "cannot be done") || !strings.Contains(words, "The boat has left.") {
		t.Errorf("not allowed, it says %q and calls %+v", words, no.Calls)
	}
	made := wake(dialogue.Allowed{Allow: asked, Yes: true, By: "Robin"})
	made.Wakes[0].Body = strings.Replace(made.Wakes[0].Body, `"arguments":{"number":"BF-1042"}`, `"arguments":{"number":"BF-9999"}`, 1)
	if d := dialogue.Decide(t.Context(), made); len(d.Calls) > 0 {
		t.Errorf("another call than the one that was allowed is made: %+v", d.Calls)
	}
	led := wake(dialogue.Allowed{Allow: asked, Yes: true, By: "Robin"})
	led.State.Lead = dialogue.LedByPerson
	if d := dialogue.Decide(t.Context(), led); len(d.Calls) > 0 || len(d.Effects) > 0 {
		t.Errorf("while a person leads, it does %+v", d.Effects)
	}
}

// A detail that must be verified is not taken from what anybody says.
func TestWhatMustBeVerifiedIsNotTakenFromWords(t *testing.T) {
	s := frontDesk(t)
	booking, err := tool.Parse("booking", []byte(`tool: booking
title: My booking
connection: ledger
path: /bookings
when: [When is my booking?, What have I booked?]
arguments: { type: object, required: [email], properties: { email: { type: string, format: email } } }
comes_from: { email: { memory: email, verified: true } }
say: [{ text: You have a booking. }]
sorry: Not now.
`))
	if err != nil {
		t.Fatal(err)
	}
	s.Tools = append(s.Tools, dialogue.PrepareTool(s.Settings.Analyzer(), booking))
	s.Messages = []dialogue.Incoming{{ID: "1", Text: "What have I booked? My mail is ines@example.net"}}
	if d := dialogue.Decide(t.Context(), s); len(d.Calls) > 0 {
		t.Errorf("a claimed address is looked up: %+v", d.Calls)
	}
	s.Memory = contact.Memory{"email": {Field: "email", Value: "ada@example.org", Verified: true}}
	if d := dialogue.Decide(t.Context(), s); len(d.Calls) != 1 || d.Calls[0].Arguments["email"] != "ada@example.org" {
		t.Errorf("with a verified address it calls %+v", d.Calls)
	}
}
