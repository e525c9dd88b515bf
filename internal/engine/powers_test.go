package engine

import (
	"encoding/json"
	"net/http"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/core/bot"
)

// What a brief grants happens, and people see it: a mark stands with the contact and in line
// with the messages, and what a customer confirmed is proposed as a house answer, once.
func TestPowersThatAreGrantedAreUsed(t *testing.T) {
	s := openStage(t)
	s.put("bot", strings.Replace(brief, "capture:", `threshold: 0.99
offer_threshold: 0.05
proposes: true
marks:
  - { tag: group, about: comes with many, when: ["We are a group of forty.", "We come with the whole club."] }
  - { stage: enquiry, when: ["I have a question about a booking."] }
capture:`, 1))
	talk := s.rings("0201", "1", "We come with the whole club. How much does a bicycle cost?")
	s.until("the contact is marked", func() bool { return slices.Contains(s.contacts()[0].Tags, "group") })
	if lines := s.lines(talk); !slices.ContainsFunc(lines, func(l string) bool { return strings.Contains(l, "Tagged: group") }) {
		t.Errorf("in line with the messages stands %q", lines)
	}
	if stage := s.contacts()[0].Stage; stage != "" {
		t.Errorf("the stage is %q, of which nothing was said", stage)
	}
	if said := s.answered(1)[0]; !strings.Contains(said, "not sure") {
		t.Fatalf("nothing is offered: %q", said)
	}
	s.rings("0201", "2", "yes")
	proposed := func() int {
		lessons, err := s.Store().Lessons(t.Context(), "proposed", 10)
		s.must(err)
		return len(lessons)
	}
	s.until("it is proposed", func() bool { return proposed() == 1 })
	lessons, err := s.Store().Lessons(t.Context(), "proposed", 10)
	s.must(err)
	if l := lessons[0]; l.Question != "How much does a bicycle cost?" || !strings.Contains(l.Answer, "£2.50") || l.Author != "Pip" {
		t.Errorf("proposed is %+v", l)
	}
	s.must(s.Library.Propose(t.Context(), talk, "another", "how much does a bicycle cost", lessons[0].Answer, "Pip"))
	if proposed() != 1 {
		t.Error("the same is proposed twice")
	}
}

// A builder reads what a brief grants, in sentences with titles, and what is missing yet.
func TestABriefIsToldInPowersAndWhatItLacks(t *testing.T) {
	s := openStage(t)
	read := func(text string) bot.Brief {
		b, err := bot.Parse("b", []byte(text))
		s.must(err)
		return b
	}
	powers, missing, err := s.ExplainBot(t.Context(), read(brief))
	s.must(err)
	var says []string
	for _, p := range powers {
		says = append(says, p.Says)
	}
	for _, want := range []string{"It uses the tool tides.", "writes a row into the sheet enquiries once these are known: E-mail.", "writes the contact to outside", "asks the team crew to come in when a customer asks for a person, when it does not know the answer and when the customer is angry."} {
		if !strings.Contains(strings.Join(says, "\n"), want) {
			t.Errorf("%q is not among %q", want, says)
		}
	}
	if len(missing) > 0 {
		t.Errorf("the front desk lacks %q", missing)
	}
	_, missing, err = s.ExplainBot(t.Context(), read("bot: lone\nname: Lone\nsources: [prices.md]\n"))
	s.must(err)
	for _, want := range []string{"The source prices.md is not there", "Nobody is named", "No customer reaches it"} {
		if !slices.ContainsFunc(missing, func(m string) bool { return strings.Contains(m, want) }) {
			t.Errorf("%q is not among %q", want, missing)
		}
	}
	for text, want := range map[string]string{
		"marks: [{ tag: vip, when: [a] }]":                         `"vip" is not a tag of the workspace; the settings declare: group`,
		"marks: [{ stage: won, when: [a] }]":                       `"won" is not a stage`,
		"marks: [{ tag: group, stage: enquiry, when: [a] }]":       "a tag, or a stage",
		"marks: [{ tag: group }]":                                  "give examples",
		"marks: [{ stage: enquiry, on: conversation, when: [a] }]": "always the contact's",
	} {
		if _, err := s.Documents.Put(t.Context(), "bot", "b", "bot: b\nname: B\n"+text+"\n", 0); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", text, err)
		}
	}
}

// A model proposes what stands in notes, of which nobody has to take anything; where it cannot,
// the built-in means do, and say why. What it says that no brief has is left out.
func TestAModelSetsNotesInOrder(t *testing.T) {
	s := openStage(t)
	s.put("connection", "connection: desk\nkind: model\naddress: "+s.world.URL+"/v1\nmodel: large\n")
	s.put("settings", "settings: main\ntitle: Brackwater Ferries\ntime_zone: Europe/London\nmodel: desk\nstages:\n  - { stage: enquiry, label: Enquiry }\ntags: [group]\n")
	says := func(content string) {
		s.world.answers(func(w http.ResponseWriter, _ *http.Request) {
			raw, _ := json.Marshal(map[string]any{"choices": []any{map[string]any{"message": map[string]any{"role": "assistant", "content": content}, "finish_reason": "stop"}}})
			_, _ = w.Write(raw)
		})
	}
	const notes = "Never promise a seat. we want it all a bit lighter"
	says(`{"values": {"voice.tone": "light", "rules": ["never promise a seat", "never guess"], "tools": ["refund"], "threshold": 0.01}}`)
	p := s.SetInOrder(t.Context(), notes)
	if p.By != "desk" && p.By != "" || p.Values["voice.tone"] != "light" || !reflect.DeepEqual(p.Values["rules"], []any{"never promise a seat", "never guess"}) || p.Values["tools"] != nil || p.Values["threshold"] != nil {
		t.Errorf("the model proposes %+v", p)
	}
	says("Sorry, I cannot do that.")
	p = s.SetInOrder(t.Context(), notes)
	if p.Why == "" || !reflect.DeepEqual(p.Values["rules"], []any{"Never promise a seat"}) || len(p.Placed) != 2 {
		t.Errorf("a model that talks nonsense leaves %+v", p)
	}
	used, err := s.Store().ModelTotals(t.Context(), s.clock.Now().Add(-time.Hour))
	s.must(err)
	if len(used) == 0 {
		t.Error("what the model used is not noted")
	}
}
