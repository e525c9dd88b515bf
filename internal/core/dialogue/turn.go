package dialogue

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/template"
	"urgentparrot.example/internal/core/text"
)

// callsInTurn bounds how many tools one turn may call.
const callsInTurn = 4

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
	case wantsPerson(t.said):
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

// remember takes up what the customer says of themselves.
func (t *turn) remember() {
	for _, m := range t.Messages {
		for _, d := range []struct{ detail, value string }{
			{"name", text.Name(m.Text)},
			{"email", text.Email(m.Text)},
			{"phone", text.Phone(m.Text, t.Settings.Region)},
		} {
			if d.value == "" || d.value == t.known[d.detail] {
				continue
			}
			t.known[d.detail] = d.value
			t.learnt = append(t.learnt, d.detail)
			t.trace.Learnt = append(t.trace.Learnt, d.detail+": "+d.value)
			t.effects = append(t.effects, Remember{d.detail, d.value, m.ID})
		}
	}
	if name := t.known["name"]; name != "" {
		t.known["first_name"] = strings.Fields(name)[0]
	}
	t.Known = t.known
}

// handOver brings people in, once; the customer is told.
func (t *turn) handOver(reason, why, wording string) {
	if t.state.Lead == Waiting {
		t.say(bot.AlreadyTold, "")
		t.trace.Decision, t.trace.Why = "added", "the customer "+why+" and a person has been told already"
		return
	}
	if !t.Brief.EscalatesOn(reason) {
		t.say(bot.NotKnown, "")
		t.trace.Decision, t.trace.Why = "not handed over", "the brief does not bring people in for: "+reason
		return
	}
	t.say(wording, "")
	t.trace.Decision, t.trace.Why = "handed over", "the customer "+why
	t.escalate(reason)
}

func (t *turn) escalate(reason string) {
	t.state.Lead = Waiting
	t.state.Open = nil
	priority := "normal"
	if reason == bot.OnAnger {
		priority = "high"
	}
	summary := t.summary()
	t.effects = append(t.effects, Escalate{reason, priority, summary})
	if notify := t.Brief.Escalate; notify.Notify != "" {
		who := "A customer"
		if name := t.known["name"]; name != "" {
			who = name
		}
		t.effects = append(t.effects, Notify{
			Connection: notify.Notify, To: notify.To,
			Subject: fmt.Sprintf("%s waits on %s (%s)", who, t.Channel.Title, reason),
			Body:    summary.String(),
		})
	}
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

// use calls a tool, or says what came of it, or asks for what is missing. It
// returns the outcome for the trace.
func (t *turn) use(tool Tool, arguments map[string]any, question string, likeness float64) string {
	record := func(outcome string) string {
		t.trace.Tools = append(t.trace.Tools, ToolUse{tool.Tool.Tool, likeness, arguments, outcome})
		return outcome
	}
	if missing := tool.complete(arguments); missing != nil {
		t.state.Open = &OpenQuestion{Tool: tool.Tool.Tool, Arguments: arguments, Missing: missing.Name, Question: question}
		t.answers = append(t.answers, missing.Ask)
		return record("asked for " + missing.Name)
	}
	t.state.Open = nil
	call := Call{tool.Tool.Tool, arguments}
	if err := tool.CheckArguments(arguments); err != nil {
		t.unknown = append(t.unknown, question)
		return record("the arguments do not fit: " + err.Error())
	}
	at := slices.IndexFunc(t.Results, func(r Result) bool { return r.key() == call.key() })
	switch {
	case at < 0 && len(t.Results)+len(t.calls) >= callsInTurn:
		t.unknown = append(t.unknown, question)
		return record("too many calls in one turn")
	case at < 0:
		t.calls = append(t.calls, call)
		return record("called")
	case t.Results[at].Error != "":
		t.note(Asked{Question: question})
		t.answers = append(t.answers, tool.Sorry)
		return record("failed: " + t.Results[at].Error)
	}
	values := t.values(question)
	values.Arguments, values.Result = arguments, t.Results[at].Value
	words, err := tool.Fill(values)
	if err != nil {
		t.note(Asked{Question: question})
		t.answers = append(t.answers, tool.Sorry)
		return record("no words for the result: " + err.Error())
	}
	t.answered(question, words)
	return record("answered by the tool")
}

// askAgain is how often a tool's question is put before it is given up.
const askAgain = 2

// fillOpen takes the value that a tool waits for out of what was said. It
// reports whether that settled the turn; if not, the message is looked at like
// any other, and the question is put again behind the answer.
func (t *turn) fillOpen() bool {
	open := *t.state.Open
	at := slices.IndexFunc(t.Tools, func(tool Tool) bool { return tool.Tool.Tool == open.Tool })
	if at < 0 {
		t.state.Open = nil
		return false
	}
	tool := t.Tools[at]
	heard := tool.hear(t.said, open.Missing, t.Now)
	if _, ok := heard[open.Missing]; ok {
		arguments := maps.Clone(open.Arguments)
		maps.Copy(arguments, heard)
		outcome := t.use(tool, arguments, open.Question, 1)
		t.trace.Understood = append(t.trace.Understood, Understood{
			Part: answer.Part{Text: t.said, Kind: answer.Statement}, Outcome: "filled " + open.Missing + "; " + outcome,
		})
		switch {
		case len(t.calls) > 0:
			t.trace.Decision, t.trace.Why = "calling a tool", "the missing detail was given"
		case len(t.unknown) > 0:
			t.conclude(false, false)
		default:
			t.trace.Decision, t.trace.Why = "answered", "a tool gave the answer"
		}
		return true
	}
	open.Tries++
	t.state.Open = &open
	if open.Tries >= askAgain {
		t.state.Open = nil
	}
	return false
}

// conclude settles a turn once every part has been looked at.
func (t *turn) conclude(greeted, chatted bool) {
	open := t.state.Open
	switch {
	case len(t.unknown) > 0 && len(t.answers) == 0 && t.state.Lead == Waiting:
		t.noteUnknown()
		t.say(bot.Waiting, "")
		t.trace.Decision, t.trace.Why = "added", "the question is not known, and a person has been told already"
	case len(t.unknown) > 0 && len(t.answers) == 0 && open != nil && open.Tries > 0:
		t.unknown = nil
		t.reask(open)
		t.trace.Decision, t.trace.Why = "asked again", "the reply did not hold "+open.Missing
	case len(t.unknown) > 0:
		t.notKnown()
	case t.state.Choice != nil && len(t.answers) == 1:
		t.trace.Decision, t.trace.Why = "asked which", "two passages may be meant, and neither is known well enough"
	case len(t.answers) > 0:
		if t.Brief.WhileWaiting == "acknowledge" && t.state.Lead == Waiting {
			t.answers, t.citations = nil, nil
			t.say(bot.Waiting, "")
			t.trace.Decision, t.trace.Why = "added", "a person has been told already"
			return
		}
		t.trace.Decision, t.trace.Why = "answered", "what answers it is known well enough"
		if chatted && len(t.state.Asked) == len(t.State.Asked) {
			t.trace.Decision, t.trace.Why = "small talk", "nothing was asked"
		}
		if open != nil && open.Tries > 0 {
			t.reask(open)
		}
	case open != nil && open.Tries > 0:
		t.reask(open)
		t.trace.Decision, t.trace.Why = "asked again", "the reply did not hold "+open.Missing
	case len(t.learnt) > 0:
		t.say(bot.Noted, "")
		t.trace.Decision, t.trace.Why = "noted", "the customer gave details and asked nothing"
	case t.state.Lead == Waiting:
		t.say(bot.Waiting, "")
		t.trace.Decision, t.trace.Why = "added", "nothing was asked, and a person has been told already"
	case greeted:
		t.say(bot.Welcome, "")
		t.trace.Decision, t.trace.Why = "small talk", "there was only a greeting"
	default:
		t.say(bot.HowToHelp, "")
		t.trace.Decision, t.trace.Why = "small talk", "nothing was asked"
	}
	switch {
	case greeted || t.state.Replies == 0 && t.state.Lead != Waiting:
		t.opening = append(t.opening, t.word(bot.Greeting, ""))
	case slices.Contains(t.learnt, "name") && t.trace.Decision != "noted":
		t.opening = append(t.opening, t.word(bot.Named, ""))
	}
}

func (t *turn) reask(open *OpenQuestion) {
	for _, tool := range t.Tools {
		if tool.Tool.Tool == open.Tool {
			t.answers = append(t.answers, tool.Hear[open.Missing].Ask)
		}
	}
}

// notKnown owns up to what is not known, and brings people in if the brief says
// so.
func (t *turn) notKnown() {
	t.noteUnknown()
	escalates := t.Brief.EscalatesOn(bot.OnNotKnown)
	switch {
	case len(t.answers) > 0:
		for _, question := range t.unknown {
			t.say(bot.PartUnknown, question)
		}
		t.trace.Decision = "answered in part"
	case escalates:
		t.say(bot.HandedOver, "")
		t.trace.Decision = "handed over"
	default:
		t.say(bot.NotKnown, "")
		t.trace.Decision = "not known"
	}
	t.trace.Why = fmt.Sprintf("no passage answers %q with a confidence of %.2f or more", t.unknown[0], t.Brief.Threshold)
	if escalates && t.state.Lead == LedByBot {
		t.escalate(bot.OnNotKnown)
	}
}

func (t *turn) noteUnknown() {
	for _, question := range t.unknown {
		t.note(Asked{Question: question})
		t.effects = append(t.effects, Missed{question})
	}
}

func (t *turn) word(wording, question string) string {
	return t.Brief.Word(wording, t.state.Replies, t.values(question))
}

func (t *turn) say(wording, question string) {
	if words := t.word(wording, question); words != "" {
		t.answers = append(t.answers, words)
	}
}

// send makes the reply out of the answers, within the channel's limit.
func (t *turn) send() {
	if len(t.answers) == 0 {
		return
	}
	limit := t.Channel.Abilities().Limit
	opening := strings.Join(t.opening, " ")
	if limit > 0 {
		room := (limit - len([]rune(opening)) - 2*len(t.answers)) / len(t.answers)
		for i, words := range t.answers {
			t.answers[i] = text.Fit(words, max(room, 40), false)
		}
	}
	joined := strings.Join(t.answers, "\n\n")
	if opening != "" {
		joined = opening + " " + joined
	}
	say := Say{Text: text.Fit(joined, limit, true), Citations: t.citations}
	for _, m := range t.Messages {
		say.Answers = append(say.Answers, m.ID)
	}
	t.effects = append(t.effects, say)
	t.state.Replies++
}

// capture writes the contact's details out once all that the brief needs are
// known, and again when they change.
func (t *turn) capture() {
	capture := t.Brief.Capture
	if capture == nil {
		return
	}
	var fingerprint []string
	for _, detail := range capture.Needs {
		if t.known[detail] == "" {
			return
		}
	}
	details := map[string]string{}
	for _, detail := range template.Details {
		if value := t.known[detail]; value != "" {
			details[detail] = value
			fingerprint = append(fingerprint, detail+"="+value)
		}
	}
	captured := strings.Join(fingerprint, "\n")
	if captured == t.state.Captured {
		return
	}
	t.state.Captured = captured
	if capture.Sheet != "" {
		question := ""
		if len(t.state.Asked) > 0 {
			question = t.state.Asked[0].Question
		}
		cells, err := capture.Cells(t.values(question))
		if err != nil {
			t.trace.Effects = append(t.trace.Effects, "row not written: "+err.Error())
		} else {
			t.effects = append(t.effects, WriteRow{capture.Sheet, cells})
		}
	}
	if capture.CRM != "" {
		t.effects = append(t.effects, Sync{capture.CRM, details})
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

// summary sums the conversation up for the person who takes it.
func (t *turn) summary() Summary {
	s := Summary{Mood: "calm", LastSaid: text.Squeeze(t.said)}
	if t.state.Angry {
		s.Mood = "angry"
	}
	for _, a := range t.state.Asked {
		if a.Answer == "" {
			s.Open = append(s.Open, a.Question)
		} else {
			s.Asked = append(s.Asked, a.Question)
		}
	}
	for _, detail := range []string{"name", "email", "phone"} {
		if value := t.known[detail]; value != "" {
			s.Details = append(s.Details, detail+": "+value)
		}
	}
	return s
}

// String gives the summary as plain text.
func (s Summary) String() string {
	var b strings.Builder
	list := func(head string, items []string) {
		if len(items) > 0 {
			fmt.Fprintf(&b, "%s:\n", head)
			for _, item := range items {
				fmt.Fprintf(&b, "- %s\n", item)
			}
		}
	}
	fmt.Fprintf(&b, "Last said: %s\n", s.LastSaid)
	list("Not answered yet", s.Open)
	list("Answered by the bot", s.Asked)
	list("Known", s.Details)
	fmt.Fprintf(&b, "Mood: %s\n", s.Mood)
	return b.String()
}
