package steps_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/flow"
)

// A player plays a run: it keeps what a run does, and its state goes through JSON between
// two steps, as it does between two starts of the service.
type player struct {
	t       *testing.T
	flow    *flow.Checked
	state   flow.State
	now     time.Time
	contact contact.Memory
	talk    *flow.Talk
	said    []string // not looked at yet
	effects []flow.Effect
	path    []flow.Passed
	n       int
}

// knows has a bot that knows one thing.
type knows struct {
	flow.Unaided
	question, answer string
}

func (k knows) Answer(bot, question string, whole bool) (flow.Answered, bool) {
	if k.question != "" && strings.Contains(question, k.question) {
		return flow.Answered{Known: true, Confidence: 0.9, Words: k.answer, Effects: []flow.Effect{flow.Say{Text: k.answer}}}, true
	}
	return flow.Answered{}, true
}
func (knows) Classify(said string, labels []flow.Label) (string, float64, bool) {
	for _, l := range labels {
		if _, ok := flow.Contains(said, l.Examples); ok {
			return l.Name, 0.8, true
		}
	}
	return "", 0.1, true
}

func (knows) Extract(said string, _ []flow.Wanted) (map[string]string, bool) {
	return map[string]string{"mood": "glad"}, true
}

func start(t *testing.T, source string, event map[string]any, first string) *player {
	t.Helper()
	f, err := language.Parse("flow", []byte(source))
	if err != nil {
		t.Fatal(err)
	}
	d := ferries(t)
	checked, found := f.Check(d)
	for _, x := range found {
		if !x.Warning {
			t.Fatal(x.Problem)
		}
	}
	p := &player{t: t, flow: checked, now: time.Date(2026, 11, 26, 9, 0, 0, 0, checked.Settings.Zone()), contact: contact.Memory{}, talk: &flow.Talk{Channel: "website"}}
	var heard []flow.Heard
	if first != "" {
		heard = append(heard, flow.Heard{ID: "m0", Text: first, At: p.now})
	}
	p.state = flow.Begin(event, heard...)
	p.step(flow.Event{Kind: flow.Began})
	return p
}

// lists are those of the workspace.
var lists = map[string][]any{
	"contacts":                {map[string]any{"name": "Ada", "trips": 3.0}, map[string]any{"name": "Bo", "trips": 0.0}},
	"conversations today":     {map[string]any{"contact": "Ada", "grade": 5.0}},
	"sheet group-enquiries":   {map[string]any{"Name": "Ada"}, map[string]any{"Name": "Bo"}, map[string]any{"Name": "Cy"}},
	"conversations yesterday": {},
}

func (p *player) step(e flow.Event) {
	p.t.Helper()
	out := p.flow.Advance(p.state, e, flow.Stage{
		Now: p.now, Run: "r1", Started: p.now, Contact: p.contact, Talk: p.talk, Bot: "front-desk", Conduct: knows{question: "wifi", answer: "There is none on board."},
		Fields: p.flow.Settings.Fields, Tags: []string{"regular"}, Stands: "enquiry", Lists: func(name string) []any { return lists[name] },
		Open: func(_ string, at time.Time) (bool, time.Time, bool) {
			return at.Hour() >= 8, time.Date(at.Year(), at.Month(), at.Day(), 8, 0, 0, 0, at.Location()).AddDate(0, 0, 1), true
		},
	})
	raw, err := json.Marshal(out.State)
	if err != nil {
		p.t.Fatal(err)
	}
	p.path = append(p.path, out.Passed...)
	p.state = flow.State{}
	if err := json.Unmarshal(raw, &p.state); err != nil {
		p.t.Fatal(err)
	}
	for _, e := range out.Effects {
		switch e := e.(type) {
		case flow.Say:
			p.said = append(p.said, e.Text)
			p.talk.Lines = append(p.talk.Lines, flow.Line{By: "bot", Text: e.Text, At: p.now})
		case flow.Keep:
			p.contact = p.contact.With(e.Fact)
		}
		p.effects = append(p.effects, e)
	}
}

// play follows a script: "> words" of the customer, "+30m" of time, "< words" that are said
// next, "end words" of how the run ended, "effect words", "x = value" that is kept.
func (p *player) play(script string) {
	p.t.Helper()
	for _, line := range strings.Split(strings.TrimSpace(script), "\n") {
		line = strings.TrimSpace(line)
		switch {
		case strings.HasPrefix(line, "> "):
			p.n++
			p.talk.Lines = append(p.talk.Lines, flow.Line{By: "customer", Text: line[2:], At: p.now})
			p.step(flow.Event{Kind: flow.Reply, Heard: flow.Heard{ID: fmt.Sprintf("m%d", p.n), Text: line[2:], At: p.now}})
		case strings.HasPrefix(line, "+"):
			d, err := flow.ParseDuration(line[1:])
			if err != nil {
				p.t.Fatal(err)
			}
			for until := p.now.Add(d); ; {
				w := p.state.Wait
				if w == nil || w.Until.IsZero() || w.Until.After(until) {
					p.now = until
					break
				}
				p.now = w.Until
				p.step(flow.Event{Kind: flow.Time, Wait: w.ID})
			}
		case strings.HasPrefix(line, "gives "): // what the tool that is waited for gives, as JSON
			var v any
			if err := json.Unmarshal([]byte(line[6:]), &v); err != nil {
				p.t.Fatal(err)
			}
			p.step(flow.Event{Kind: flow.Result, Effect: p.state.Wait.Effect, Value: v})
		case strings.HasPrefix(line, "breaks "): // why it gives nothing
			p.step(flow.Event{Kind: flow.Result, Effect: p.state.Wait.Effect, Error: line[7:]})
		case line == "skip", line == "retry", line == "resume":
			p.step(flow.Event{Kind: map[string]flow.EventKind{"skip": flow.Skipped, "retry": flow.Retried, "resume": flow.Resumed}[line]})
		case line == "taken", line == "given back", line == "closed":
			p.talk.ByPerson, p.talk.Closed = line == "taken", line == "closed"
		case strings.HasPrefix(line, "waits for "):
			if p.state.Wait == nil || string(p.state.Wait.For) != line[10:] {
				p.t.Fatalf("it waits for %+v, and ended %+v", p.state.Wait, p.state.End)
			}
		case strings.HasPrefix(line, "did "):
			var all []string
			for _, passed := range p.path {
				all = append(all, passed.Number+" "+passed.Words)
			}
			if !strings.Contains(strings.Join(all, "\n"), line[4:]) {
				p.t.Fatalf("its path holds no %q but\n%s", line[4:], strings.Join(all, "\n"))
			}
		case line == "no effect":
			if len(p.effects) > 0 {
				p.t.Fatalf("there is the effect %s", p.effects[0])
			}
		case line == "< nothing":
			if len(p.said) > 0 {
				p.t.Fatalf("it says %q and not nothing", p.said)
			}
		case strings.HasPrefix(line, "< "):
			if len(p.said) == 0 || !strings.Contains(p.said[0], line[2:]) {
				p.t.Fatalf("it says %q and not %q; it waits for %+v, and ended %+v", p.said, line[2:], p.state.Wait, p.state.End)
			}
			p.said = p.said[1:]
		case strings.HasPrefix(line, "end "):
			if p.state.End == nil || !strings.Contains(p.state.End.How+": "+p.state.End.Why, line[4:]) {
				p.t.Fatalf("it ended with %+v, not %q; it waits for %+v", p.state.End, line[4:], p.state.Wait)
			}
		case strings.HasPrefix(line, "effect "):
			var all []string
			for _, e := range p.effects {
				all = append(all, fmt.Sprintf("%s %#v", e, e))
			}
			if !strings.Contains(strings.Join(all, "\n"), line[7:]) {
				p.t.Fatalf("there is no effect %q among\n%s", line[7:], strings.Join(all, "\n"))
			}
		default:
			name, want, _ := strings.Cut(line, " = ")
			got := fmt.Sprint(p.state.Values[name])
			if field, ok := strings.CutPrefix(name, "contact."); ok {
				got = p.contact[field].Value
			}
			if got != want {
				p.t.Fatalf("%s is %s, not %s", name, got, want)
			}
		}
	}
}

const group = `flow: group-crossing
when:
  - message: { channel: website, contains: [group, school class] }
steps:
  - say: "Happy to help with a group crossing."
  - ask: "How many of you will travel?"
    save: party_size
    as: integer
    check: "party_size >= 8 && party_size <= 400"
    otherwise: "Please give me a number from 8 to 400."
    tries: 2
  - ask: "Which e-mail address should the quote go to?"
    save: contact.email
    patience: 30m
    if_silent:
      - say: "Shall I keep your enquiry open?"
      - await_reply: 1d
      - branch:
          - if: "!replied"
            steps: [ { close: "No address given" } ]
  - record: { sheet: group-enquiries, row: { E-mail: "{{ contact.email }}", People: "{{ party_size }}" } }
  - say: "The quote for {{ party_size }} is on its way to {{ contact.email }}."
`

func TestQuestionsListen(t *testing.T) {
	event := map[string]any{"kind": "message", "text": "x", "channel": "website", "first": true}
	for name, c := range map[string]struct{ first, script string }{
		"plainly": {"we are a group", `
			< Happy to help
			< How many
			> 34 of us
			< Which e-mail
			> its ada@example.org thanks
			< The quote for 34 is on its way to ada@example.org
			party_size = 34
			effect row in the sheet
			end done`},
		"what was said already": {"hi, can you take a school class of 30 on friday?", `
			< Happy
			< Which e-mail
			party_size = 30
			> ada@example.org
			< The quote for 30`},
		"numbers in words": {"a group", `
			< Happy
			< How many
			> about thirty four i think
			< Which e-mail
			party_size = 34`},
		"a correction": {"a group", `
			< Happy
			< How many
			> 30
			< Which e-mail
			> no sorry, 32
			< Which e-mail
			party_size = 32
			> ada@example.org
			< The quote for 32`},
		"a correction in one message": {"a group", `
			< Happy
			< How many
			> 30, no sorry 35
			< Which e-mail
			party_size = 35`},
		"what does not hold": {"a group", `
			< Happy
			< How many
			> 3
			< from 8 to 400
			> twelve
			< Which e-mail
			party_size = 12`},
		"out of tries": {"a group", `
			< Happy
			< How many
			> a few
			< from 8 to 400
			> quite a few
			< I do not get it
			effect to people: no clear answer
			end done`},
		"something in between": {"a group", `
			< Happy
			< How many
			> is there wifi?
			< There is none on board
			< How many
			> and wifi on the pier?
			< There is none on board
			< How many
			> 40
			< Which e-mail`},
		"silence, then an answer": {"a group", `
			< Happy
			< How many
			> 40
			< Which e-mail
			+29m
			< nothing
			+2m
			< keep your enquiry open
			+20h
			> oh, ada@example.org
			< The quote for 40
			end done`},
		"silence": {"a group", `
			< Happy
			< How many
			> 40
			< Which e-mail
			+2d
			< keep your enquiry open
			effect closes: No address given
			end done: closed`},
		"two values in one message": {"a group", `
			< Happy
			< How many
			> 30 of us, write to ada@example.org
			< The quote for 30 is on its way to ada@example.org`},
		"another's address": {"a group", `
			< Happy
			< How many
			> 30
			< Which e-mail
			> my colleague's address is bo@example.org
			< I did not get that`},
	} {
		t.Run(name, func(t *testing.T) { start(t, group, event, c.first).play(c.script) })
	}
}

const followUp = `flow: follow-up
when: by hand
steps:
  - loop:
      at_most: 4
      steps:
        - wait: { for: 1d, or_reply: true }
        - branch:
            - if: "replied"
              steps: [ { end: "They replied" } ]
        - say: "{{ round == 1 ? 'Did the quote arrive?' : 'Shall we still keep a place for you?' }}"
  - set: { stage: booked }
`

// What is set to a number, a time, or yes and no, is one; what only looks like a number is a
// text.
func TestWhatIsSetKeepsItsKind(t *testing.T) {
	start(t, `flow: kinds
when: by hand
speak_on: website
steps:
  - set: { values: { n: 5, code: 07700, price: 1.50, told: "5", due: "{{ now + duration('24h') }}" } }
  - set: { values: { more: "{{ n + 1 }}", late: "{{ due < now }}" } }
  - set: { values: { eve: "{{ time('2026-12-24 18:00') - duration('24h') }}" } }
  - say: "{{ more }}, {{ code }}, {{ price }}, {{ told + '!' }}, {{ late ? 'late' : 'in time' }}, {{ due }}, {{ eve > now ? eve : now }}, {{ workspace.open('ticket-office') ? 'open' : 'shut' }}"
  - say: "{{ spoken(eve) }}; {{ spoken('2026-12-24') }}; {{ spoken('soon') }}; {{ spoken(now - duration('24h')) }}"
  - wait: { until: "time(told)" }
`, nil, "").play(`
		< 6, 07700, 1.50, 5!, in time, 2026-11-27 09:00, 2026-12-23 18:00, open
		< Wednesday 23 December, 18:00; Thursday 24 December; soon; Wednesday 25 November, 09:00
		end failed: step 6 (line 10): "time(told)": "5" is no time`)
}

// Parts of a posted body may be missing, and what stands for them is said; so it may be of what
// is always there.
func TestPartsOfABodyMayBeMissing(t *testing.T) {
	const flow = "flow: a\nwhen:\n  - webhook\nspeak_on: website\nsteps:\n  - say: \"{{ event.body.total.orValue(7) }} {{ event.body.customer.name.orValue('nobody') }} {{ event.body.customer.name.hasValue() ? 'known' : 'not known' }} {{ event.body.x.y.z.orValue('deep') }} {{ event.kind.orValue('x') }}\"\n"
	for body, says := range map[string]string{
		`{"customer": {"name": "Ada"}}`: "7 Ada known deep webhook", `{"total": 3}`: "3 nobody not known deep webhook", `{"x": {"y": {"z": "here"}}}`: "7 nobody not known here webhook", `{"total": 0, "customer": {}}`: "0 nobody not known deep webhook",
	} {
		var v any
		if err := json.Unmarshal([]byte(body), &v); err != nil {
			t.Fatal(err)
		}
		start(t, flow, map[string]any{"kind": "webhook", "body": v}, "").play("< " + says)
	}
}

// A record is asked for part by part: what a reply lacks is asked for, what was said already
// is not.
func TestARecordIsAskedForPartByPart(t *testing.T) {
	const outing = `flow: outing
when:
  - message: { contains: [outing] }
speak_on: website
steps:
  - ask: Which day, how many of you, to which island, and what for?
    save: trip
    as: record
    fields:
      - { name: day, about: the day, as: date }
      - { name: people, about: how many, as: integer }
      - { name: island, about: the island, as: choice, choices: [Gannet Holm, Hallow Point] }
      - { name: why, about: what it is for, as: text }
    check: "trip.people < 60"
    otherwise: Fifty-nine at most.
    confirm: CONFIRM
  - say: "{{ trip.people + 1 }} seats to {{ trip.island }} on {{ trip.day }}: {{ trip.why }}."
`
	for name, c := range map[string]struct{ first, script string }{
		"part by part": {"an outing", `
			< Which day, how many
			> tomorrow to gannet holm
			< I still need: how many, what it is for
			> 30 of us
			< I still need: what it is for
			> a birthday
			< 31 seats to Gannet Holm on 2026-11-27: a birthday.
			end done`},
		"what was said already": {"an outing to hallow point for 3 tomorrow", `
			< I still need: what it is for
			> fishing
			< 4 seats to Hallow Point on 2026-11-27: fishing.`},
		"a correction": {"an outing", `
			< Which day
			> 30 of us tomorrow to hallow point
			< I still need: what it is for
			> no sorry, 32
			< I still need: what it is for
			> a choir
			< 33 seats`},
		"what does not hold": {"an outing", `
			< Which day
			> 70 of us tomorrow to hallow point
			< I still need
			> a choir
			< Fifty-nine at most.
			> 40 of us tomorrow to hallow point
			< I still need
			> a choir
			< 41 seats`},
		"nothing of it": {"an outing", `
			< Which day
			> hm
			< Fifty-nine at most.
			> hm hm
			< Fifty-nine at most.
			> hm hm hm
			< I do not get it
			end done`},
		"something in between": {"an outing", `
			< Which day
			> 3 of us
			< I still need: the day, the island, what it is for
			> is there wifi?
			< There is none on board
			< I still need: the day, the island, what it is for`},
		"silence": {"an outing", `
			< Which day
			+25h
			end done: nobody answered`},
	} {
		t.Run(name, func(t *testing.T) {
			start(t, strings.Replace(outing, "CONFIRM", "false", 1), map[string]any{"text": c.first}, c.first).play(c.script)
		})
	}
	start(t, strings.Replace(outing, "CONFIRM", "true", 1), map[string]any{"text": "an outing"}, "an outing").play(`
		< Which day
		> 3 of us tomorrow to hallow point
		< I still need: what it is for
		> fishing
		< day: 2026-11-27
		> yes
		< 4 seats to Hallow Point on 2026-11-27: fishing.`)
}

// A follow-up waits over days, and stops at the first reply.
func TestAFollowUpStopsAtAReply(t *testing.T) {
	start(t, followUp, nil, "").play(`
		< nothing
		+1d
		< Did the quote arrive?
		+1d
		< Shall we still
		+5h
		> yes please
		end done: They replied
		+9d
		< nothing`)
	start(t, followUp, nil, "").play(`
		+4d
		< Did the quote
		< Shall we
		< Shall we
		< Shall we
		effect stage booked
		end done: came to its end`)
}
