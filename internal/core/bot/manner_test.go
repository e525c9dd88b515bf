package bot

import (
	"slices"
	"strings"
	"testing"
)

const clerk = `bot: desk
name: The desk
duties: [help travellers, "take bookings."]
order: [greet, find out when, offer a boat]
voice: { tone: friendly and short, length: short, address: formal, call: { guys: travellers, ship: boat } }
examples:
  - { customer: "Is there a boat?", bot: "There is, at nine." }
rules: [Never promise a seat.]
remembers: [name, email]
limits: { length: 600, turns: 12 }
assistant: when asked
pass:
  - { to: bot/freight, about: vans, when: ["Can I bring a van?"] }
  - { to: team/office, about: complaints, when: ["I want to complain."] }
escalate: { on: [not known], to: person/ada, notify: mail }
capture: { needs: [email], sheet: leads, crm: crm, row: { Who: "{{ contact.name }}", Mail: "{{ contact.email }}" } }
model: { use: small, tells: [name] }
`

// How a bot is to speak is told to a model in plain sentences, what it must keep to last; and what
// things are to be called it says itself too.
func TestTheMannerOfABot(t *testing.T) {
	b, err := Parse("desk.yaml", []byte(clerk))
	if err != nil {
		t.Fatal(err)
	}
	want := []string{
		"You help travellers.", "You take bookings.", "The order of the talk: greet; then find out when; then offer a boat.", "Your tone: friendly and short.",
		"Reply in one or two short sentences.", "Address customers formally, not by their first name.", `Say "travellers", not "guys".`, `Say "boat", not "ship".`,
		`An example of how you speak, not of what is true. Customer: "Is there a boat?" You: "There is, at nine."`, "You must keep to this: Never promise a seat.",
	}
	if got := b.Manner(); !slices.Equal(got, want) {
		t.Errorf("the manner is\n%s\nand not\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	if got := b.Called("Hello guys, the Ship leaves; the shipyard is closed."); got != "Hello travellers, the boat leaves; the shipyard is closed." {
		t.Errorf("it says %q", got)
	}
	if !b.Formal() || b.SaysAssistant() || !b.MayRemember("email") || b.MayRemember("phone") {
		t.Errorf("formal %v, says that it is an assistant %v, remembers an address %v and a phone %v", b.Formal(), b.SaysAssistant(), b.MayRemember("email"), b.MayRemember("phone"))
	}
	plain := Plain()
	if len(plain.Manner()) > 0 || plain.Formal() || !plain.SaysAssistant() || !plain.MayRemember("phone") || !plain.LooksEverywhere() {
		t.Errorf("a bot that was told nothing has the manner %q", plain.Manner())
	}
}

// A reply is as long as the brief, its style and the channel allow, whichever allows the least.
func TestTheLengthOfReplies(t *testing.T) {
	for _, c := range []struct {
		limits  int
		style   string
		channel int
		want    int
	}{{0, "", 0, 0}, {0, "", 160, 160}, {600, "", 0, 600}, {600, "", 160, 160}, {600, "short", 0, shortReply}, {200, "short", 1_200, 200}, {0, "full", 1_200, 1_200}} {
		b := Brief{Limits: Limits{Length: c.limits}, Voice: Voice{Length: c.style}}
		if got := b.Letters(c.channel); got != c.want {
			t.Errorf("%d letters by the brief, %q, on a channel of %d: %d, not %d", c.limits, c.style, c.channel, got, c.want)
		}
	}
}

// A brief names all that must be there for it to work, each at its place.
func TestWhatABriefRefersTo(t *testing.T) {
	b, err := Parse("desk.yaml", []byte(clerk))
	if err != nil {
		t.Fatal(err)
	}
	at := map[string]string{}
	for _, r := range b.Refers() {
		at[r.Path+" "+r.Name] = r.Kind
	}
	for path, kind := range map[string]string{
		"$.pass[0].to freight": "bot", "$.pass[1].to office": "team", "$.escalate.to ada": "person", "$.escalate.notify mail": "connection", "$.capture.sheet leads": "sheet", "$.capture.crm crm": "connection", "$.model.use small": "connection",
	} {
		if at[path] != kind {
			t.Errorf("%s is a %q, not a %s", path, at[path], kind)
		}
	}
	for reason, is := range map[string]bool{OnNotKnown: true, OnWish: true, OnLoop: true, OnFault: true, OnAnger: false} {
		if b.EscalatesOn(reason) != is {
			t.Errorf("people come in on %s: %v", reason, !is)
		}
		if words := Because(reason); words == reason {
			t.Errorf("%s is said as %q", reason, words)
		}
	}
	if Because("a storm") != "a storm" {
		t.Error("a reason of another kind does not stand as it is")
	}
}
