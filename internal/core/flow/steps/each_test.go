package steps_test

import (
	"fmt"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/flow/steps"
)

// Each step does what it says, alone and where it fails: its steps, and what a player of it
// sees. What a script begins with is the customer's first words.
func TestEachStepDoesWhatItSays(t *testing.T) {
	tried := map[string]bool{}
	for _, c := range []struct{ what, steps, script string }{
		{"say: filled in", `- say: "Hello {{ contact.first_name.orValue('you') }}, it is {{ now.getHours() }}."`, `
			< Hello you, it is 9.
			did 1 said “Hello you
			end done`},
		{"say: with choices", `- say: { text: Which?, choices: ["{{ contact.island.orValue('Hallow Point') }}", Gannet Holm] }`, `
			< Which?
			effect Choices:[]string{"Hallow Point", "Gannet Holm"}`},
		{"say: after a pause", `- say: { text: Now., pause: 20s }`, `
			< nothing
			+19s
			< nothing
			+1s
			< Now.`},
		{"say: nothing", `- say: "{{ contact.name.orValue('') }}"`, `
			< nothing
			no effect
			did 1 nothing to say`},
		{"say: one of some wordings", `- loop: { at_most: 30, steps: [ { say: { vary: [Ahoy., Hello., Good day.] } } ] }
- say: Enough.`, `
			effect Ahoy.
			effect Hello.
			effect Good day.`},
		{"say: while a person leads", `- wait: 1m
- say: Hello.`, `
			taken
			+1m
			< nothing
			waits for person
			did 2 held back: a person has the conversation
			given back
			resume
			< Hello.`},
		{"say: in a closed conversation", `- wait: 1m
- say: Hello.`, `
			closed
			+1m
			< nothing
			waits for talk`},
		{"say: left out", `- say: { text: Hello., if: "'group' in contact.tags" }`, `
			< nothing
			did 1 left out: it is not so that “group” is in contact.tags (contact.tags is regular)
			end done`},
		{"ask: a value that is known", `- set: { values: { contact.email: ada@example.org } }
- ask: Which address?
  save: contact.email
- ask: Which address now?
  save: contact.email
  reuse: false`, `
			< Which address now?
			did 2 not asked: contact.email is known (ada@example.org)
			> bo@example.org
			contact.email = bo@example.org`},
		{"ask: yes or no", `- ask: Shall I book?
  save: book
  as: boolean
- say: "{{ book ? 'Booked.' : 'Not booked.' }}"`, `
			< Shall I book?
			> perhaps
			< I did not get that. Shall I book?
			> no thanks
			< Not booked.`},
		{"ask: read back", `- ask: How many?
  save: n
  as: integer
  confirm: true
- say: "{{ n }} it is."`, `
			< How many?
			> twelve
			< That is 12. Is that right?
			> no
			< How many?
			> make it 14
			< That is 14.
			> yes
			< 14 it is.`},
		{"ask: what nobody knows, in between", `- ask: How many?
  save: n
  as: integer
  otherwise: A number, please.`, `
			< How many?
			> are there cats?
			< That I cannot tell you just now. How many?
			> hm
			< A number, please.
			> 3
			n = 3`},
		{"ask: a day read back", `- ask: When?
  save: day
  as: date
  confirm: true`, `
			< When?
			> christmas eve, the 24th of december
			< That is Thursday 24 December. Is that right?
			> yes
			end done`},
		{"ask: in vain", `- ask: How many?
  save: n
  as: integer
  tries: 2
  if_unclear: [ { say: Never mind., }, { end: Unclear } ]`, `
			< How many?
			> a lot
			< How many?
			> really a lot
			< Never mind.
			end done: Unclear`},
		{"await_reply: it comes", `- say: Well?
- await_reply: 1h
  save: said
- say: "{{ replied ? said : 'Nothing.' }}"`, `
			< Well?
			+59m
			> All right
			< All right
			end done`},
		{"await_reply: it does not", `- await_reply: 1h
- say: "{{ replied ? 'Thanks.' : 'Nothing.' }}"`, `
			+1h
			< Nothing.
			did 1 no reply within 1 hour`},
		{"answer: what is known", `- answer: "Is there wifi?"
- say: "{{ answered }} {{ confidence }}"`, `
			< There is none on board.
			< yes 0.9`},
		{"answer: what is not", `- answer: "Are there cats?"
- say: "{{ answered }}"`, `
			< no`},
		{"extract: by form", `- extract: { from: "30 of us on 2026-12-24, ada@example.org", values: [ { name: people, as: integer }, { name: day, as: date }, { name: mail, as: email }, { name: phone, as: phone } ] }
  save: found
- say: "{{ found.people + 1 }} on {{ found.day }} for {{ found.mail }}, {{ found.phone == '' ? 'no number' : found.phone }}"`, `
			< 31 on 2026-12-24 for ada@example.org, no number`},
		{"classify: by examples", `- classify: { text: "we lost a hat", labels: [ { label: lost, about: lost things, examples: [lost a hat] }, { label: cargo, about: vans, examples: [a van] } ] }
  save: which
- say: "{{ which }} {{ sure }}"`, `
			< lost 0.8`},
		{"classify: none fits", `- classify: { text: "hello", labels: [ { label: lost, about: lost things, examples: [lost a hat] } ] }
  save: which
- say: "{{ which == '' ? 'None' : which }}"`, `
			< None
			did 1 decided: none fits`},
		{"phrase: put together and cut", `- phrase: { from: ["First a sentence.", "{{ contact.name.orValue('') }}", "Then one that is too long to fit."], at_most: 40 }
  save: words
- say: "{{ words }}"`, `
			< First a sentence.`},
		{"summarise: the conversation", `- summarise: { parts: [grade] }
  save: sum
- say: "{{ sum.grade }} {{ sum.mood }} {{ size(sum.measures) }}"`, `
			< 5 calm 1`},
		{"branch: the first that holds", `- branch:
    - if: "conversation.said('wifi')"
      steps: [ { say: Wifi. } ]
    - if: "contact.stage == 'enquiry'"
      steps: [ { say: Enquiry. } ]
    - else: [ { say: Neither. } ]
- say: After.`, `
			< Enquiry.
			< After.
			did 1 it is not so that “wifi” was said
			did 1 it is so that contact.stage is “enquiry” (contact.stage is enquiry)`},
		{"branch: none", `- branch:
    - if: "contact.stage == 'booked'"
      steps: [ { say: Booked. } ]
- say: After.`, `
			< After.`},
		{"wait: for a time", `- wait: 2d
- say: Now.`, `
			+47h
			< nothing
			+1h
			< Now.`},
		{"wait: until a time", `- wait: { until: "time('2026-11-26 18:00')" }
- say: Evening.`, `
			+8h
			< nothing
			+1h
			< Evening.`},
		{"wait: until a time that has passed", `- wait: { until: "time('2026-11-25 18:00')", if_past: end }
- say: Too late.`, `
			< nothing
			end done`},
		{"wait: until people are there", `- wait: { office_hours: ticket-office }
- say: Open.`, `
			< Open.`},
		{"wait: or a reply", `- wait: { for: 2d, or_reply: true }
- say: "{{ replied ? 'You wrote.' : 'Silence.' }}"`, `
			+1d
			> hello?
			< You wrote.`},
		{"wait: skipped by a person", `- wait: 2d
- say: Now.`, `
			skip
			< Now.`},
		{"wait: longer than a year", `- wait: { until: "time('2028-01-01')" }`, `
			end failed: step 1 (line 5): 2028-01-01 is more than a year away`},
		{"loop: so often", `- loop: { at_most: 3, steps: [ { say: "Round {{ round }}." } ] }`, `
			< Round 1.
			< Round 2.
			< Round 3.
			end done`},
		{"loop: while", `- set: { values: { n: 0 } }
- loop:
    while: "n < 2"
    at_most: 9
    steps:
      - set: { values: { n: "{{ n + 1 }}" } }
- say: "{{ n }}"`, `
			< 2`},
		{"loop: over rows, cut", `- loop:
    sheet: group-enquiries
    at_most: 2
    steps: [ { say: "{{ number }}: {{ item.Name }}" } ]`, `
			< 1: Ada
			< 2: Bo
			< nothing
			did 1 the list has 3 items; the first 2 are taken`},
		{"loop: over contacts", `- loop: { over: contacts, steps: [ { say: { text: "{{ item.name }}", if: "item.trips > 0" } } ] }`, `
			< Ada
			< nothing`},
		{"loop: over nothing", `- loop: { over: conversations yesterday, steps: [ { say: x } ] }
- say: Done.`, `
			< Done.`},
		{"loop: over what is no list", `- loop: { each: "event.item.orValue('x')", steps: [ { say: x } ] }`, `fails`},
		{"start and end", `- start: { flow: thanks, with: { about: "{{ contact.stage }}" } }
- end: That is all`, `
			effect Flow:"thanks", For:"", Values:map[string]interface {}{"about":"enquiry"}
			< nothing
			end done: That is all`},
		{"set: a stage, and a field that it does not fit", `- set: { stage: booked }
- set: { values: { contact.email: nobody } }
  on_error: [ { say: That is none. } ]
- say: "{{ contact.stage }}"`, `
			< That is none.
			< booked
			effect Stage:"booked"
			did 2 failed: "nobody" is not an e-mail address`},
		{"tag, untag, note and count", `- tag: group
- untag: regular
- note: "At {{ contact.stage }}"
- count: kind words
- say: "{{ contact.tags }}"`, `
			< group
			effect tags group
			effect takes the tag regular away
			effect Text:"At enquiry"
			effect counts kind words
			end done`},
		{"tag and untag: of the conversation", `- tag: { tag: group, on: conversation }
- untag: { tag: regular, on: conversation }`, `
			effect Tag:"group", Off:false, OnTalk:true
			effect Tag:"regular", Off:true, OnTalk:true
			did 1 tagged the conversation group`},
		{"record: with a key and without", `- record: { sheet: group-enquiries, key: "{{ contact.stage }}", row: { Name: "{{ 'A' + 'da' }}" } }
- record: { sheet: group-enquiries, row: { People: "5" } }`, `
			effect Cells:map[string]string{"Name":"Ada"}
			effect Key:"run/r1/
			did 2 wrote a row in the sheet group-enquiries`},
		{"sync and notify", `- sync: client-book
- notify: { connection: office-mail, to: team/crew, subject: "{{ contact.stage }}", text: Look. }`, `
			effect contact to client-book
			effect To:"team/crew", Subject:"enquiry", Body:"Look."`},
		{"call: what it gives", `- call: { tool: timetable, with: { to: Sorrel, seats: 2, day: "{{ now }}" } }
  save: boats
- say: "{{ boats.next }} and {{ size(boats.all) }} more"`, `
			effect "seats":2, "to":"Sorrel"
			waits for result
			gives {"next": "07:10", "all": ["08:00", "09:00"]}
			< 07:10 and 2 more`},
		{"call: it breaks, and is called again", `- call: { tool: timetable }
- say: Never.`, `
			breaks no boat
			end failed: step 1 (line 5): the tool timetable failed: no boat
			retry
			waits for result
			gives {}
			< Never.`},
		{"call: it breaks, and that is foreseen", `- call: { tool: timetable }
  on_error: [ { say: Please ring us. } ]
- say: After.`, `
			breaks no boat
			< Please ring us.
			< After.
			end done`},
		{"call: it never answers", `- call: { tool: timetable }`, `
			+11m
			end failed: step 1 (line 5): the tool timetable did not answer within 10 minutes`},
		{"assign", `- assign: bot/front-desk
- say: Over.`, `
			effect to the bot front-desk
			< Over.`},
		{"escalate", `- escalate: { because: "At {{ contact.stage }}", to: team/crew, priority: high, say: A colleague comes. }`, `
			< A colleague comes.
			effect To:"team/crew", Because:"At enquiry", Priority:"high"
			end done: handed over: At enquiry`},
		{"close", `- close`, `
			effect closes:
			end done: closed the conversation`},
	} {
		t.Run(c.what, func(t *testing.T) {
			for line := range strings.Lines(c.steps) {
				for _, kind := range steps.All {
					if strings.Contains(" "+line, fmt.Sprintf("- %s", kind.Name)) || strings.Contains(line, "{ "+kind.Name+":") {
						tried[kind.Name] = true
					}
				}
			}
			p := start(t, "flow: one\nwhen: by hand\nspeak_on: website\nsteps:\n  "+strings.ReplaceAll(c.steps, "\n", "\n  ")+"\n", map[string]any{"kind": "by hand"}, "")
			if c.script == "fails" {
				if p.state.End == nil || p.state.End.How != "failed" {
					t.Errorf("it ended %+v", p.state.End)
				}
				return
			}
			p.play(c.script)
		})
	}
	for _, kind := range steps.All {
		if kind.Missing == "" && !tried[kind.Name] {
			t.Errorf("the step %s was not tried", kind.Name)
		}
	}
}
