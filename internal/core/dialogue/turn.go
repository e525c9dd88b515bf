package dialogue

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/text"
)

// Decide decides one turn. What comes in is looked at in this order: details
// that the customer gives, a wish for a person, anger, the open question of a
// tool, and then each thing the messages ask. While a person leads, nothing is
// said.
func Decide(s Snapshot) Decision {
	t := newTurn(s)
	t.remember()
	t.timed("understand")
	if s.State.Lead == LedByPerson {
		t.trace.Decision, t.trace.Why = "silent", "a person leads the conversation"
		return t.decision()
	}
	switch {
	case WantsPerson(t.said):
		t.handOver(bot.OnWish, "asked for a person", bot.WishGranted)
	case isAngry(t.said):
		t.state.Angry = true
		t.handOver(bot.OnAnger, "is angry", bot.Calm)
	default:
		t.reply()
	}
	if len(t.calls) == 0 {
		t.send()
		t.capture()
	}
	t.timed("compose")
	return t.decision()
}

// A turn is the work on one decision.
type turn struct {
	Snapshot
	state   State
	known   map[string]string
	said    string // all messages, a line each
	learnt  []string
	effects []Effect
	calls   []Call
	trace   Trace
	started time.Duration

	opening   []string // goes before the answers
	answers   []string
	citations []answer.Citation
	unknown   []string // questions without an answer
}

func newTurn(s Snapshot) *turn {
	t := &turn{Snapshot: s, state: s.State, known: maps.Clone(s.Known)}
	if t.known == nil {
		t.known = map[string]string{}
	}
	t.state.Asked = slices.Clone(s.State.Asked)
	lines := make([]string, len(s.Messages))
	for i, m := range s.Messages {
		lines[i] = m.Text
	}
	t.said = strings.Join(lines, "\n")
	t.trace.Threshold = s.Brief.Threshold
	t.timed("")
	return t
}

// timed notes how long the part of the turn took that ends here.
func (t *turn) timed(part string) {
	if t.Elapsed == nil {
		return
	}
	now := t.Elapsed()
	if part != "" {
		t.trace.Timings = append(t.trace.Timings, Timing{part, (now - t.started).Microseconds()})
	}
	t.started = now
}

// reply deals with each thing that was asked.
func (t *turn) reply() {
	if t.state.Open != nil && t.fillOpen() || t.state.Choice != nil && t.chosen() {
		return
	}
	parts := answer.Split(t.said)
	greeted, chatted := false, false
	questions := slices.ContainsFunc(parts, func(p answer.Part) bool { return p.Kind == answer.Question })
	for _, part := range parts {
		if t.state.Lead != LedByBot && part.Kind != answer.Question && part.Kind != answer.Statement {
			continue
		}
		note := func(outcome string) {
			t.trace.Understood = append(t.trace.Understood, Understood{Part: part, Outcome: outcome})
		}
		switch part.Kind {
		case answer.Greeting:
			greeted = true
			note("greeted")
		case answer.Thanks, answer.Farewell, answer.AboutBot:
			wording := map[answer.Kind]string{answer.Thanks: bot.Thanked, answer.Farewell: bot.Farewell, answer.AboutBot: bot.WhoIAm}[part.Kind]
			t.answers = append(t.answers, t.word(wording, ""))
			chatted = true
			note("small talk")
		default:
			if part.Kind == answer.Statement && !t.asksSomething(part.Text) {
				note("nothing asked")
				continue
			}
			t.ask(part, part.Kind == answer.Statement && questions)
		}
	}
	t.timed("find")
	if len(t.calls) > 0 {
		t.trace.Decision, t.trace.Why = "calling a tool", "a question is one that a tool answers"
		return
	}
	t.conclude(greeted, chatted)
}

// asksSomething reports whether a statement wants an answer: it has telling
// words beside the details that were taken up.
func (t *turn) asksSomething(statement string) bool {
	if len(t.learnt) > 0 {
		if name := t.known["name"]; name != "" && text.Name(statement) == name {
			return false
		}
		if text.Email(statement) != "" || text.Phone(statement, t.Settings.Region) != "" {
			return false
		}
	}
	return t.Finder.Asks(statement)
}

// What a trace keeps of the passages that were weighed.
const (
	tracedPassages = 4
	tracedRunes    = 400
)

// begin returns at most so many runes of a text.
func begin(s string, runes int) string {
	for i := range s {
		if runes == 0 {
			return s[:i] + "…"
		}
		runes--
	}
	return s
}

// ask finds what answers one question: a tool, the knowledge, or nothing. What
// only goes with a question ("we are 34") need not be answered.
func (t *turn) ask(part answer.Part, beside bool) {
	u := Understood{Part: part}
	found := t.Finder.Find(part.Text, t.state.LastQuestion)
	candidates := found.Candidates
	if found.Mended != part.Text {
		u.Mended = found.Mended
	}
	for i, c := range candidates[:min(len(candidates), tracedPassages)] {
		u.Passages = append(u.Passages, Weighed{
			PassageID: c.ID, Source: c.Source, Trail: c.Trail, Question: c.Question, Text: begin(c.Text, tracedRunes),
			Score: c.Score, Coverage: c.Coverage, Meaning: c.Meaning, Confidence: c.Confidence, Missing: c.Missing,
			Quoted: i == 0 && c.Confidence >= t.Brief.Threshold,
		})
	}
	defer func() { t.trace.Understood = append(t.trace.Understood, u) }()
	unquoted := func() {
		for i := range u.Passages {
			u.Passages[i].Quoted = false
		}
	}

	for _, tool := range t.Tools {
		if likeness := tool.likeness(t.Finder.Index, found.Mended); likeness >= toolLikeness {
			unquoted()
			u.Outcome = t.use(tool, tool.hear(part.Text, "", t.Now), part.Text, likeness)
			return
		}
	}
	if rule, ok := t.forbidden(part.Text); ok {
		unquoted()
		u.Outcome = "forbidden: " + rule.About
		t.note(Asked{part.Text, rule.Reply})
		t.answers = append(t.answers, rule.Reply)
		return
	}
	if len(candidates) > 0 && candidates[0].Confidence >= t.Brief.Threshold {
		u.Outcome = fmt.Sprintf("answered with confidence %.2f", candidates[0].Confidence)
		t.quote(part.Text, candidates[0])
		return
	}
	switch {
	case beside:
		u.Outcome = "said beside a question"
	case t.offTopic(part, found):
		u.Outcome = "off topic"
		t.answers = append(t.answers, t.word(bot.OffTopicSaid, part.Text))
	case t.choose(part.Text, candidates):
		u.Outcome = "asked which is meant"
	default:
		u.Outcome = "not known"
		t.unknown = append(t.unknown, part.Text)
	}
}

// quote answers a question from a passage.
func (t *turn) quote(question string, c answer.Candidate) {
	t.answered(question, c.Words(t.Channel.Abilities().Limit))
	if t.Channel.Abilities().Cites && !slices.ContainsFunc(t.citations, func(o answer.Citation) bool { return o.PassageID == c.ID }) {
		t.citations = append(t.citations, c.Cite())
	}
	t.state.LastQuestion = question
}

// answered notes an answer, once: two questions may have the same.
func (t *turn) answered(question, words string) {
	t.note(Asked{question, words})
	if slices.Contains(t.answers, words) {
		return
	}
	if strings.Contains(t.LastReply, words) {
		t.answers = append(t.answers, t.word(bot.Again, question)+" "+words)
		return
	}
	t.answers = append(t.answers, words)
}

// note remembers a question, for the summary.
func (t *turn) note(a Asked) {
	t.state.Asked = append(t.state.Asked, a)
	if extra := len(t.state.Asked) - keptQuestions; extra > 0 {
		t.state.Asked = t.state.Asked[extra:]
	}
}

func (t *turn) decision() Decision {
	if len(t.calls) > 0 {
		return Decision{Calls: t.calls, State: t.State, Trace: t.trace}
	}
	for _, e := range t.effects {
		t.trace.Effects = append(t.trace.Effects, describe(e))
	}
	return Decision{State: t.state, Effects: t.effects, Trace: t.trace}
}

func describe(e Effect) string {
	switch e := e.(type) {
	case Say:
		return fmt.Sprintf("reply of %d characters", len([]rune(e.Text)))
	case Remember:
		return "remember " + e.Detail
	case Escalate:
		return "escalate: " + e.Reason
	case Missed:
		return "gap: " + e.Question
	case Notify:
		return "notify " + e.To
	case WriteRow:
		return "row in sheet " + e.Sheet
	case Sync:
		return "contact to " + e.Connection
	}
	return fmt.Sprintf("%T", e)
}
