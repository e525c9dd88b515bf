package dialogue

import (
	"context"
	"math"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/text"
)

// Decide decides one turn. What comes in is looked at in this order: facts that
// the customer tells of themselves, a wish for a person, anger, the open question
// of a tool, and then each thing the messages ask. While a person leads, nothing
// is said.
//
// What a turn costs is bounded: of a long message the beginning is read, of many
// questions the first are answered, and when the time of ctx runs out the rest is left;
// the customer is told. Where ctx is cancelled the decision is worth nothing.
func Decide(ctx context.Context, s Snapshot) Decision {
	t := newTurn(ctx, s)
	t.remember()
	t.mark()
	t.timed("understand")
	t.listenIn()
	t.wakeRuns()
	t.carryOn()
	switch {
	case t.unfinished():
		return t.decision()
	case t.said == "" && len(t.answers) > 0:
		t.send()
		return t.decision()
	case t.Blocked && t.said != "":
		t.came(CodeSilent, "the contact is blocked")
		return t.decision()
	case s.State.Lead == LedByPerson:
		t.came(CodeSilent, "a person leads the conversation")
		return t.decision()
	case s.State.Lead == Closed:
		t.came(CodeSilent, "the conversation is closed")
		return t.decision()
	case t.leftToPeople() != "" && t.said != "":
		t.came(CodeSilent, t.leftToPeople())
		if t.next.Lead == LedByBot {
			t.came(CodeHandedOver, t.leftToPeople())
			t.escalate(bot.OnNoBots)
		}
		return t.decision()
	case t.said == "" && len(s.Wakes) > 0 && s.Wakes[0].Kind == ByHandBack:
		t.came(CodeSilent, "a person led the conversation")
		return t.decision()
	case t.said == "" && len(t.changed) > 0:
		t.came(CodeInFlow, "a flow went on")
		return t.decision()
	case t.said == "":
		t.came(CodeSilent, "nothing was said")
		return t.decision()
	case t.opts():
		return t.decision()
	case s.Streak >= streakEnds:
		t.stopLoop()
		return t.decision()
	case WantsPerson(t.said) && !(onlyACall(t.said) && t.foreseen()):
		t.handOver(bot.OnWish, "asked for a person", bot.WishGranted)
	case s.Brief.Limits.Turns > 0 && s.State.Replies >= s.Brief.Limits.Turns && s.State.Lead == LedByBot:
		t.handOver(bot.OnTurns, "has had as many replies as the bot may give", bot.WishGranted)
	default:
		angry := isAngry(t.said)
		t.next.Angry = t.next.Angry || angry
		switch {
		case angry && (s.Brief.EscalatesOn(bot.OnAnger) || s.State.Lead == Waiting):
			t.handOver(bot.OnAnger, "is angry", bot.Calm)
		case t.inFlow():
			return t.decision()
		default:
			t.reply()
		}
	}
	if !t.unfinished() {
		t.send()
		t.capture()
		t.sayGoodbye()
	}
	t.timed("compose")
	return t.decision()
}

// Replies returns what a bot finds for each thing that a message asks, after a
// question ("" if there was none), as Decide does.
func Replies(ctx context.Context, s Snapshot, message, after string) []answer.Reply {
	s.State = State{Lead: LedByBot, LastQuestion: after}
	s.Messages = []Incoming{{ID: "1", Text: message}}
	return Decide(ctx, s).Replies
}

// A turn is the work on one decision.
type turn struct {
	Snapshot
	ctx     context.Context
	next    State  // becomes the state
	said    string // all messages, a line each
	learnt  []string
	effects []Effect
	calls   []Call
	think   *Thought
	replies []answer.Reply
	trace   Trace
	started time.Duration

	opening     []string // goes before the answers
	answers     []string
	offered     string // what is offered, behind the answers
	offeredFor  string // the question that it is for
	citations   []answer.Citation
	unknown     []string // questions without an answer
	refused     string   // of these, the one for which what was offered was refused: it is a gap already
	before      string   // what was said just before the question
	previous    string   // the question that was asked before it, which it may follow
	lastUnknown bool     // and whether that has no answer, if it was asked in this turn
	asked       int      // questions that were dealt with
	offTopic    int      // of these
	forbidden   int      // of these
	cut         bool     // not all of what came was read
	hold        bool     // the reply waits for a person

	runs    []Run // as they stand now
	changed []RunChange
	reading bool // a model has read, and found no answer: nothing is answered without it

	led       []string // the bots that were asked this question
	gaveOn    []string // the bots whose model gave the message on
	takesOver string   // the first words of the bot that it was passed to
	handed    bool     // a question was passed to people

	listened *listening         // the text that was read for tools last
	apart    map[string]*asking // questions that were held against tools

	toldWhoItIs bool // it was asked what it is, and said so
	goodbye     bool // the customer said goodbye
}

func newTurn(ctx context.Context, s Snapshot) *turn {
	t := &turn{Snapshot: s, ctx: ctx, next: s.State, apart: map[string]*asking{}}
	t.next.Asked, t.next.Earlier = slices.Clone(s.State.Asked), slices.Clone(s.State.Earlier)
	t.next.AskedBack = false
	t.Messages, t.runs = slices.Clone(s.Messages), slices.Clone(s.Runs)
	var lines []string
	for i, m := range t.Messages {
		read := text.FirstWords(m.Text, readRunes)
		t.Messages[i].Text = text.Plain(read)
		if !m.Left {
			lines = append(lines, t.Messages[i].Text)
			t.cut = t.cut || len(read) < len(m.Text)
		}
	}
	t.said = strings.Join(lines, "\n")
	t.trace.Threshold, t.trace.OfferThreshold = s.Brief.Threshold, s.Brief.OfferThreshold
	t.Abilities.Limit = s.Brief.Letters(s.Abilities.Limit)
	t.led = []string{s.Brief.Name}
	t.timed("")
	return t
}

// What is read of one message, in runes, and how many things that a turn's messages
// say, and ask, are dealt with.
const (
	readRunes = 4_000
	readParts = 40
	readAsked = 8
)

// came notes what the turn came to.
func (t *turn) came(code Code, why string) { t.trace.Code, t.trace.Why = code, why }

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

// bars are those of the brief. What a model has read and found no answer in is offered at
// most.
func (t *turn) bars() answer.Bars {
	if t.reading {
		return answer.Bars{Answer: math.Inf(1), Offer: t.Brief.OfferThreshold}
	}
	return answer.Bars{Answer: t.Brief.Threshold, Offer: t.Brief.OfferThreshold}
}

// reply deals with each thing that was asked.
func (t *turn) reply() {
	if t.next.Open != nil && t.fillOpen() || t.next.Offer != nil && t.settle() {
		return
	}
	parts := answer.Split(t.said)
	greeted, chatted := false, false
	questions := slices.ContainsFunc(parts, func(p answer.Part) bool { return p.Kind == answer.Question })
	if !questions {
		t.leaveOne(parts)
	}
	statements := 0
	for _, part := range parts {
		if part.Kind == answer.Statement {
			statements++
		}
	}
	if t.Model != nil {
		if t.routed(parts) || t.read(parts) {
			return
		}
	}
	asked := 0
	for i, part := range parts {
		if i == readParts || asked == readAsked || t.ctx.Err() != nil {
			t.cut = true
			break
		}
		note := func(outcome string) {
			t.trace.Understood = append(t.trace.Understood, Understood{Part: part, Outcome: outcome})
		}
		switch part.Kind {
		case answer.Greeting:
			greeted = true
			note("greeted")
		case answer.Told:
			note("nothing asked")
		case answer.Thanks, answer.Farewell, answer.AboutBot:
			wording := map[answer.Kind]string{answer.Thanks: bot.Thanked, answer.Farewell: bot.Farewell, answer.AboutBot: bot.WhoIAm}[part.Kind]
			t.answers = append(t.answers, t.word(wording, ""))
			chatted = true
			t.toldWhoItIs = t.toldWhoItIs || part.Kind == answer.AboutBot
			t.goodbye = t.goodbye || part.Kind == answer.Farewell
			note("small talk")
		default:
			if part.Kind == answer.Statement && (questions && statements > fewStatements || !t.asksSomething(part.Text)) {
				note("nothing asked")
				continue
			}
			asked++
			if t.before = ""; i > 0 && parts[i-1].Kind == answer.Statement {
				t.before = parts[i-1].Text
			}
			t.previous = t.next.LastQuestion
			t.led = append(slices.Clone(t.gaveOn), t.Brief.Name)
			unknown := len(t.unknown)
			for beside := part.Kind == answer.Statement && questions; t.ask(part, beside); {
				continue // with the bot that it was passed to
			}
			t.lastUnknown = len(t.unknown) > unknown
		}
	}
	t.timed("find")
	if len(t.calls) > 0 {
		t.came(CodeCalling, "a question is one that a tool answers")
		return
	}
	t.conclude(greeted, chatted)
}

// leaveOne leaves of statements that may want an answer, in a message that asks nothing in
// form, the one that is known best: they tell one story ("I lost my hat. It was red.").
func (t *turn) leaveOne(parts []answer.Part) {
	best, likeliest := -1, 0.0
	for i, part := range parts[:min(len(parts), readParts)] {
		if part.Kind != answer.Statement || t.ctx.Err() != nil || !t.asksSomething(part.Text) {
			continue
		}
		if found := t.Finder.Find(t.ctx, part, t.next.LastQuestion); best < 0 || found.Likely > likeliest {
			best, likeliest = i, found.Likely
		}
	}
	for i := range parts {
		if parts[i].Kind == answer.Statement && i != best {
			parts[i].Kind = answer.Told
		}
	}
}

// asksSomething reports whether a statement wants an answer: it has telling
// words beside the facts that were taken up.
func (t *turn) asksSomething(statement string) bool {
	if len(t.learnt) > 0 && len(t.Settings.Fields.Hear(statement, t.Settings.Region)) > 0 {
		return false
	}
	if t.Finder.Asks(statement) {
		return true
	}
	// Few words, none of which the knowledge has, may yet mean something in it.
	found := t.Finder.Find(t.ctx, answer.Part{Text: statement, Kind: answer.Statement}, "")
	return len(found.Candidates) > 0 && found.Likely >= t.Brief.OfferThreshold
}

// What a trace keeps of the passages that were weighed.
const (
	tracedPassages = 4
	tracedRunes    = 400
)

// fewStatements is how many statements may stand beside a question to be looked at by
// themselves: more of them tell a story.
const fewStatements = 2

// surelyAsked is how well a statement beside a question must be known to be answered by
// itself: most only tell the story, which is looked at with the question.
const surelyAsked = 0.9

// besideQuestion is the outcome of what only goes with a question.
const besideQuestion = "said beside a question"

// ask finds what answers one question: a tool, the knowledge, or nothing. What
// only goes with a question ("we are 34") need not be answered. It reports whether the
// question was passed to another bot, which is to be asked.
func (t *turn) ask(part answer.Part, beside bool) (passed bool) {
	u := Understood{Part: part}
	bars := t.bars()
	if beside {
		bars.Answer, bars.Offer = max(bars.Answer, surelyAsked), 1
	}
	bare := t.bare(part.Text)
	compared := t.Finder.Ahead(t.ctx, t.comparisons(part, bare))
	reply := t.Finder.Reply(t.ctx, part, t.previous, bars, t.Abilities.Limit)
	compared()
	found, candidates := reply.Found, reply.Candidates
	if !beside || reply.Words != "" {
		t.next.LastQuestion = found.Asks()
	}
	if found.Mended != part.Text {
		u.Mended = found.Mended
	}
	for i, c := range candidates[:min(len(candidates), tracedPassages)] {
		u.Passages = append(u.Passages, Weighed{
			PassageID: c.ID, Source: c.Source, Trail: c.Trail, Question: c.Question, Text: text.Short(c.Text, tracedRunes),
			Score: c.Score, Coverage: c.Coverage, Meaning: c.Meaning, Confidence: c.Confidence, Missing: c.Missing,
			Sure: c.Sure, Lacks: c.Lacks, Quoted: i == 0 && reply.Words != "",
		})
	}
	u.Likely = reply.Likely
	defer func() {
		t.trace.Understood = append(t.trace.Understood, u)
		if u.Outcome != besideQuestion && !passed {
			t.replies = append(t.replies, reply)
		}
	}()
	unquoted := func() {
		reply.Words, reply.Offer = "", nil
		for i := range u.Passages {
			u.Passages[i].Quoted = false
		}
	}

	if tool, likeness, ok := t.toolFor(part, found, bare); ok {
		unquoted()
		u.Outcome = t.use(tool, t.gather(tool, part.Text), part.Text, likeness)
		return false
	}
	if outcome, ok := t.followsUp(part); ok {
		unquoted()
		u.Outcome = outcome
		return false
	}
	rule, is := t.forbids(part, reply)
	leans := t.lastUnknown && t.Finder.PointsBack(part.Text) // on a question that nobody can answer
	if to := t.passTo(part, reply); to != nil && !beside && !leans && t.mayPass(*to, part, reply, is) {
		unquoted()
		u.Outcome = "passed to " + to.who
		t.pass(*to)
		return !to.toPeople()
	}
	switch is {
	case doubtful:
		unquoted()
	case forbidden, surely:
		unquoted()
		u.Outcome = "forbidden: " + rule.About
		t.note(Asked{part.Text, rule.Reply})
		t.forbidden++
		if !slices.Contains(t.answers, rule.Reply) {
			t.answers = append(t.answers, rule.Reply)
		}
		return false
	}
	if strings.TrimSpace(reply.Words) != "" {
		u.Outcome = "answered with confidence " + answer.Shown(candidates[0].Confidence)
		t.quote(part.Text, candidates[0])
		return false
	}
	switch {
	case beside:
		u.Outcome = besideQuestion
	case is == doubtful:
		u.Outcome = "not answered: it may be " + rule.About
		t.missed(part.Text)
	case t.isOffTopic(part, found):
		u.Outcome = "off topic"
		if t.asked++; t.offTopic == 0 {
			t.say(bot.OffTopicSaid, part.Text)
		}
		t.offTopic++
	case t.settledBefore(part.Text):
		u.Outcome = "answered as the customer said before"
	case leans:
		u.Outcome = "not known, as the question before it"
		t.missed(part.Text)
	case t.saysAlready(reply):
		u.Outcome = "what would be offered was said already"
	case t.offer(part.Text, reply):
		u.Outcome = "offered what was found, likely with " + answer.Shown(reply.Likely)
		for i := range u.Passages {
			u.Passages[i].Offered = slices.ContainsFunc(t.next.Offer.Options, func(o Option) bool { return o.PassageID == u.Passages[i].PassageID })
		}
	default:
		u.Outcome = "not known"
		t.missed(part.Text)
	}
	return false
}

// missed notes a question without an answer.
func (t *turn) missed(question string) {
	if !slices.Contains(t.unknown, question) {
		t.unknown = append(t.unknown, question)
	}
}

// quote answers a question from a passage.
func (t *turn) quote(question string, c answer.Candidate) {
	t.answered(question, c.Words(t.Abilities.Limit))
	t.cite(c)
}

// cite names where what is said stands, once.
func (t *turn) cite(c answer.Candidate) { t.citeAt(c.Cite()) }

func (t *turn) citeAt(place answer.Citation) {
	if t.Abilities.Cites && !slices.ContainsFunc(t.citations, func(o answer.Citation) bool { return o.PassageID == place.PassageID }) {
		t.citations = append(t.citations, place)
	}
}

// answered notes an answer, once: two questions may have the same, or one that the other holds.
func (t *turn) answered(question, words string) {
	t.note(Asked{question, words})
	if slices.ContainsFunc(t.answers, func(said string) bool { return strings.Contains(said, words) }) {
		return
	}
	if strings.Contains(t.LastReply, words) {
		t.answers = append(t.answers, t.word(bot.Again, question)+" "+words)
		return
	}
	t.answers = append(t.answers, words)
}

// note remembers a question; those that many came after are kept in short.
func (t *turn) note(a Asked) {
	t.asked++
	t.next.Asked = append(t.next.Asked, a)
	if extra := len(t.next.Asked) - keptQuestions; extra > 0 {
		for _, old := range t.next.Asked[:extra] {
			t.next.Earlier = append(t.next.Earlier, Asked{text.Short(old.Question, earlierRunes), text.Short(old.Answer, earlierRunes)})
		}
		t.next.Asked = t.next.Asked[extra:]
		t.next.Earlier = t.next.Earlier[max(0, len(t.next.Earlier)-keptEarlier):]
	}
}

// unfinished reports whether the turn waits for a tool or for the model.
func (t *turn) unfinished() bool { return len(t.calls) > 0 || t.think != nil }

func (t *turn) decision() Decision {
	if t.unfinished() {
		return Decision{Calls: t.calls, Think: t.think, State: t.State, Trace: t.trace, Replies: t.replies, Bot: t.Brief.Name}
	}
	for _, e := range t.effects {
		t.trace.Effects = append(t.trace.Effects, e.String())
	}
	t.settleRuns()
	if len(t.trace.Passed) == 0 {
		t.next.Passes = 0 // it stays where it is
	}
	return Decision{State: t.next, Effects: t.effects, Trace: t.trace, Replies: t.replies, Runs: t.changed, Bot: t.Brief.Name}
}
