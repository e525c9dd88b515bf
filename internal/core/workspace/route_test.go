package workspace

import (
	"strings"
	"testing"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/template"
)

const routed = `channel: website
kind: website
bot: front-desk
routes:
  - { bot: night, hours: office, outside: true }
  - { bot: svea, languages: [sv, no] }
  - { bot: freight, tag: freight }
  - { bot: groups, if: "question.contains('school') || contact.island.orValue('') == 'Gannet Holm'" }
`

func readChannel(source string) (ch Channel, err error) {
	c := document.Decode("c.yaml", []byte(source), &ch)
	if !c.Failed() {
		ch.Check(c)
	}
	return ch, c.Err()
}

// A conversation goes to the first bot whose conditions all hold, and else to the channel's.
func TestANewConversationGoesToTheBotThatFits(t *testing.T) {
	ch, err := readChannel(routed)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		what string
		a    Arrival
		bot  string
	}{
		{"nothing holds", Arrival{Language: "en"}, "front-desk"},
		{"in the night, whatever else holds", Arrival{Open: func(string) bool { return false }, Language: "sv", Tags: []string{"freight"}}, "night"},
		{"in Swedish", Arrival{Language: "sv"}, "svea"},
		{"of a language that cannot be told", Arrival{}, "front-desk"},
		{"of somebody with the tag", Arrival{Tags: []string{"regular", "freight"}}, "freight"},
		{"of somebody with another tag", Arrival{Tags: []string{"regular"}}, "front-desk"},
		{"about a school", Arrival{Values: template.Values{Question: "a school class of 30"}}, "groups"},
		{"of an islander", Arrival{Values: template.Values{Contact: map[string]string{"island": "Gannet Holm"}}}, "groups"},
	} {
		if c.a.Open == nil {
			c.a.Open = func(string) bool { return true }
		}
		if bot := ch.BotFor(c.a); bot != c.bot {
			t.Errorf("%s: it goes to %s, want %s", c.what, bot, c.bot)
		}
	}
	refers := map[string]bool{}
	for _, r := range ch.Refers() {
		refers[r.Kind+" "+r.Name] = true
	}
	for _, needed := range []string{"bot night", "bot svea", "hours office", "bot groups"} {
		if !refers[needed] {
			t.Errorf("it does not say that it needs the %s", needed)
		}
	}
	for wrong, says := range map[string]string{
		"routes: [{ bot: night }]":                        "say when night receives",
		"routes: [{ bot: night, outside: true, tag: a }]": "outside of which hours",
		"routes: [{ bot: night, if: \"question.\" }]":     "in \"question.\"",
		"routes: [{ bot: Night Owl, tag: a }]":            "is not a name",
	} {
		if _, err := readChannel("channel: c\nbot: front-desk\n" + wrong + "\n"); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", wrong, err)
		}
	}
}
