package triggers_test

import (
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/flow/steps"
	"urgentparrot.example/internal/core/flow/triggers"
	"urgentparrot.example/internal/core/workspace"
)

// house is a workspace with settings, a channel and a form.
type house struct{ settings workspace.Settings }

func (h house) Find(kind, name string) document.Document {
	switch {
	case kind == "settings":
		return h.settings
	case kind == "channel" && (name == "website" || name == "text-line"):
		return &workspace.Channel{Name: name}
	case kind == "form" && name == "lost":
		return workspace.Form{Name: name, Fields: []workspace.FormField{{Name: "what", As: "text", Required: true}}}
	}
	return nil
}
func (house) Names(string) []string { return []string{"website", "text-line"} }

// fires checks a flow with one trigger.
func fires(t *testing.T, trigger string) *flow.Checked {
	t.Helper()
	settings, err := workspace.ParseSettings("s", []byte("settings: s\ntime_zone: Europe/London\nstages: [ { stage: booked, label: Booked } ]\ntags: [group]\n"))
	if err != nil {
		t.Fatal(err)
	}
	f, err := (&flow.Language{Steps: steps.All, Triggers: triggers.All}).Parse("f", []byte("flow: f\nwhen:\n  - "+trigger+"\nsteps:\n  - note: Fired\n"))
	if err != nil {
		t.Fatalf("%s: %v", trigger, err)
	}
	checked, found := f.Check(house{settings})
	for _, x := range found {
		if !x.Warning {
			t.Fatalf("%s: %v", trigger, x.Problem)
		}
	}
	return checked
}

var now = time.Date(2026, 11, 26, 9, 0, 0, 0, time.UTC)

// stage has a contact who said something.
func stage(said string) flow.Stage {
	return flow.Stage{
		Now: now, Contact: contact.Memory{"name": {Field: "name", Value: "Ada Moss"}}, Stands: "booked", Tags: []string{"group"}, Fields: contact.Standard(),
		Talk: &flow.Talk{Channel: "website", Lines: []flow.Line{{By: "customer", Text: said, At: now}}},
	}
}

// alike finds a text like examples that share a word of some length with it.
func alike(said string, examples []string) float64 {
	for _, e := range examples {
		for w := range strings.FieldsSeq(strings.ToLower(e)) {
			if len(w) > 4 && strings.Contains(strings.ToLower(said), w) {
				return 0.9
			}
		}
	}
	return 0.1
}

// Each kind of trigger fires by what it is for, and says why it does not by anything else.
func TestTriggersFireByWhatTheyAreFor(t *testing.T) {
	says := func(text, on string, first bool) flow.Happening {
		return flow.Happening{Kind: triggers.Message, Values: map[string]any{"text": text, "channel": on, "first": first}}
	}
	changed := func(what, from, to string) flow.Happening {
		return flow.Happening{Kind: triggers.Contact, Values: map[string]any{"what": what, "from": from, "to": to}}
	}
	becomes := func(what string) flow.Happening {
		return flow.Happening{Kind: triggers.Conversation, Values: map[string]any{"what": what, "reason": "wish", "channel": "website", "idle": "2h0m0s"}}
	}
	posts := func(v any) flow.Happening {
		return flow.Happening{Kind: triggers.Webhook, Values: map[string]any{"body": v}}
	}
	for _, c := range []struct {
		trigger string
		by      flow.Happening
		why     string // it does not fire; "": it does
	}{
		{"message: { contains: [school class, group] }", says("Our GROUP would like to come", "website", true), ""},
		{"message: { contains: [school class, group] }", says("a class of a school", "website", true), "none of the words under contains"},
		{"message: { contains: [van, school class] }", says("two vans please", "website", true), ""},
		{"message: { contains: [van, school class] }", says("Several school classes", "website", true), ""},
		{"message: { contains: [boats] }", says("is there a boat?", "website", true), ""},
		{"message: { contains: [van] }", says("a vanity case", "website", true), "none of the words under contains"},
		{"message: { exactly: [van] }", says("vans", "website", true), "none of the messages"},
		{"message: { contains: [group] }", says("regrouping", "website", true), "none of the words under contains"},
		{"message: { exactly: [parking] }", says(" Parking! ", "website", true), ""},
		{"message: { exactly: [parking] }", says("parking please", "website", true), "none of the messages under exactly"},
		{"message: { about: [\"I lost my umbrella\"] }", says("my umbrella is gone", "website", true), ""},
		{"message: { about: [\"I lost my umbrella\"] }", says("what does it cost?", "website", true), "not like the examples"},
		{"message: { channel: text-line, contains: [group] }", says("group", "website", true), "another channel"},
		{"message: { first: true, contains: [group] }", says("group", "website", false), "not the first message"},
		{"message: { if: \"contact.stage == 'booked'\" }", says("hi", "website", true), ""},
		{"message: { if: \"'vip' in contact.tags\" }", says("hi", "website", true), "(contact.tags is group)"},
		{"message: { if: \"conversation.said('refund')\" }", says("a refund please", "website", true), ""},
		{"contact: { created: true }", changed("created", "", ""), ""},
		{"contact: { created: true }", changed("stage", "", "booked"), "something else"},
		{"contact: { stage: booked }", changed("stage", "", "booked"), ""},
		{"contact: { stage: booked }", changed("stage", "booked", ""), "it is \"\" now"},
		{"contact: { field: email, from: \"\" }", changed("field email", "a@example.org", "b@example.org"), "it was"},
		{"contact: { field: email, to: b@example.org }", changed("field email", "", "a@example.org"), "a@example.org"},
		{"contact: { field: email }", changed("field phone", "", "1"), "something else"},
		{"contact: { tag: group }", changed("tag", "", "group"), ""},
		{"contact: { untag: group }", changed("tag", "", "group"), "something else"},
		{"contact: { untag: group }", changed("untag", "group", ""), ""},
		{"conversation: { becomes: escalated, if: \"event.reason == 'wish'\" }", becomes("escalated"), ""},
		{"conversation: { becomes: escalated, if: \"event.reason == 'anger'\" }", becomes("escalated"), "event.reason is wish"},
		{"conversation: { becomes: closed }", becomes("escalated"), "something else"},
		{"conversation: { idle: 2h }", becomes("idle"), ""},
		{"conversation: { idle: 3h }", becomes("idle"), "not idle for so long"},
		{"conversation: { becomes: closed, channel: text-line }", becomes("closed"), "another channel"},
		{"webhook: { if: \"event.body.total > 10\" }", posts(map[string]any{"total": 12.0}), ""},
		{"webhook: { if: \"event.body.total > 10\" }", posts(map[string]any{"total": 2.0}), "total: 2"},
		{"webhook: { if: \"event.body.total > 10\" }", posts(map[string]any{}), "could not be looked at"},
		{"form: lost", flow.Happening{Kind: triggers.Form, Values: map[string]any{"form": "lost", "what": "hat"}}, ""},
		{"form: lost", flow.Happening{Kind: triggers.Form, Values: map[string]any{"form": "found"}}, "another form"},
		{"by hand: { with: [boat, day?] }", flow.Happening{Kind: flow.ByHand, Values: map[string]any{"boat": "Sorrel"}}, ""},
		{"by hand: { with: [boat, day?] }", flow.Happening{Kind: flow.ByHand, Values: map[string]any{"day": "today"}}, "it was not given boat"},
		{"by hand", flow.Happening{Kind: flow.ByHand, Values: map[string]any{}}, ""},
		{"schedule: \"0 9 * * *\"", flow.Happening{Kind: triggers.Schedule, Flow: "f", Values: map[string]any{"at": now.Format(time.RFC3339)}}, ""},
		{"schedule: \"0 9 * * *\"", flow.Happening{Kind: flow.ByHand, Values: map[string]any{}}, "no such trigger"},
	} {
		said, _ := c.by.Values["text"].(string)
		trigger, why := fires(t, c.trigger).Fits(c.by, stage(said), alike)
		if (trigger != nil) != (c.why == "") || !strings.Contains(why, c.why) {
			t.Errorf("%s by %v: %v, %q", c.trigger, c.by.Values, trigger != nil, why)
		}
	}
}

// What a trigger gives as a sample fires it.
func TestASampleFiresItsTrigger(t *testing.T) {
	sampled := map[string]bool{}
	for _, kind := range triggers.All {
		sampled[kind.Name] = kind.Sample == nil
	}
	for _, trigger := range []string{
		"message: { exactly: [parking] }", "message: { contains: [school class], first: true }", "message: { about: [\"I lost my umbrella\"] }", "message: { first: true }",
		"contact: { created: true }", "contact: { stage: booked }", "contact: { field: email, to: a@example.org }", "contact: { tag: group }", "contact: { untag: group }",
		"conversation: { becomes: closed }", "conversation: { becomes: escalated, channel: text-line }", "conversation: { idle: 90m }", "schedule: \"0 9 * * 1-5\"", "by hand",
	} {
		f := fires(t, trigger)
		kind := f.Triggers[0].Kind
		sampled[kind.Name] = true
		if got, why := f.Fits(flow.Happening{Kind: kind.Name, Values: kind.Sample(f.Triggers[0], now)}, stage(""), alike); got == nil {
			t.Errorf("%s: %s", trigger, why)
		}
	}
	for name, all := range sampled {
		if !all {
			t.Errorf("no sample of %s was tried", name)
		}
	}
}
