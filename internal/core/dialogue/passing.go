package dialogue

import (
	"cmp"
	"maps"
	"slices"
	"strings"
	"sync"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/workspace"
)

// A question is passed to another bot, or to people, where it is like the examples that the
// brief gives for it and nearer to them than to what the bot itself knows; or where the bot
// does not know the answer, and the other one does or is likelier to. What it does not know
// itself, a bot hands back to the one it had the conversation from.
//
// The first bars are those by which tools are recognised; the last were set
// with the 47 questions of testdata/passing.txt. A bot that knows an answer keeps the
// question unless it is much like an example, so that conversations do not flap.
const (
	passSurely  = 0.78 // like an example by meaning, whatever is known
	passNear    = 0.9  // near by meaning, tokens and words together
	passMeaning = 0.45
	passAlike   = 0.55 // from where on a question may ask of another thing of the kind: a scarf for an umbrella
	passStays   = 0.2  // how much nearer than what the bot knows, where that is an answer
	passKnows   = 0.1  // how much surer of its answer the other bot must be
	passLike    = 0.7  // or how near the question must be to the examples
	passBeside  = 0.65 // beside how near it is to what the bot itself knows
	passLess    = 0.15 // and how much less likely the other bot may be to know
	passAlone   = 0.7  // how likely a question must be known elsewhere to follow nothing
)

// mostPasses is how often a conversation is passed, in turns one after another, before it
// goes to people.
const mostPasses = 8

// A passing is whom a question goes to, and why.
type passing struct {
	bot.Pass
	why  string
	near float64
	who  string    // in words
	is   *Snapshot // of the bot; nil: it goes to people
	from []string  // the bots that may get it back from there
	own  []string  // sources that are the bot's alone
}

// passTo returns whom a question is to be passed to, nil if it is the bot's own.
func (t *turn) passTo(part answer.Part, reply answer.Reply) *passing {
	if t.next.Passes >= mostPasses {
		return nil
	}
	onlySurely := len(t.led) > 1 // once for a question is enough where nobody is sure
	if to := t.passBy(t.Brief.Pass, part, reply, onlySurely); to != nil {
		return to
	}
	if len(t.next.From) == 0 || onlySurely {
		return nil
	}
	return t.handBack(part, reply)
}

// handBack returns the bot that the conversation came from, or whom that one would pass the
// question to, nil if it is the bot's own: like what was passed to it, or known better here.
func (t *turn) handBack(part answer.Part, reply answer.Reply) *passing {
	from := t.next.From[len(t.next.From)-1]
	origin := t.knows(from)
	if origin == nil || slices.Contains(t.led, from) {
		return nil
	}
	var others []bot.Pass
	mine, theirs := false, origin.reply(t, part, reply)
	for _, p := range origin.Brief.Pass {
		if p.Bot() == t.Brief.Name {
			near := t.Finder.Near(t.ctx, part, theirs.Found, p.When)
			mine = mine || near.All >= passLike && near.Examples() >= near.Knowledge()
		} else {
			others = append(others, p)
		}
	}
	if to := t.passBy(others, part, reply, true); to != nil {
		to.from = t.next.From
		return to
	}
	if t.standsThere(origin, part, reply) {
		reply.Words = ""
	}
	if (mine || t.has(theirs.Candidates)) && (reply.Words != "" || theirs.Words == "") || reply.Words != "" && own(theirs) <= own(reply) {
		return nil // it is this bot's own, or known here and no better there
	}
	return &passing{Pass: bot.Pass{To: "bot/" + from}, why: "it is not this bot's own", who: origin.Brief.Persona, is: origin, from: t.next.From[:len(t.next.From)-1]}
}

// has reports whether the best of what another bot found stands in a source that this one is
// named for.
func (t *turn) has(found []answer.Candidate) bool {
	return len(found) > 0 && slices.Contains(t.Brief.Sources, found[0].Source)
}

// standsThere reports whether a question that was taken to follow the one before is, by
// itself, likelier one that another bot knows: "do babies pay", after the price of a van.
func (t *turn) standsThere(other *Snapshot, part answer.Part, reply answer.Reply) bool {
	if reply.Found.Meant == reply.Found.Mended {
		return false
	}
	theirs, ours := other.Finder.Find(t.ctx, part, ""), t.Finder.Find(t.ctx, part, "")
	return theirs.Likely >= passAlone && theirs.Likely >= ours.Likely+passLess && !t.has(theirs.Candidates)
}

// reply is what another bot finds for a part of the message. It is read as this bot has read
// it: by itself, or as following the question before.
func (s *Snapshot) reply(t *turn, part answer.Part, ours answer.Reply) answer.Reply {
	return s.Finder.Reply(t.ctx, part, t.followed(ours), answer.Bars{Answer: s.Brief.Threshold, Offer: s.Brief.OfferThreshold}, t.Abilities.Limit)
}

// followed is the question that this one was taken to follow, "" if it was read by itself.
func (t *turn) followed(ours answer.Reply) string {
	if ours.Meant == ours.Mended {
		return ""
	}
	return t.previous
}

// passBy returns the one of some whom a question is passed to: the one whose examples it is
// nearest to, or, if not only what is surely theirs is passed, who is the likeliest to know;
// nil if it is nobody's.
func (t *turn) passBy(to []bot.Pass, part answer.Part, reply answer.Reply, onlySurely bool) *passing {
	if len(reply.Candidates) > 0 && reply.Candidates[0].Meaning == 0 {
		return nil // what it knows is not known by its meaning yet: nothing can be compared with it
	}
	candidates := t.passings(to)
	var like *passing
	nearness := make([]answer.Nearness, len(candidates))
	for i := range candidates {
		candidate := &candidates[i]
		rest := candidate.without(reply.Found)
		near := t.Finder.Near(t.ctx, part, rest, candidate.When) // with what its tools answer
		nearness[i], candidate.near = near, near.Examples()
		stays := 0.0
		if reply.Words != "" && len(rest.Candidates) > 0 && rest.Candidates[0].ID == reply.Candidates[0].ID {
			stays = passStays
		}
		if near.Meaning >= passSurely || near.All >= passNear && near.Meaning >= passMeaning && near.Examples() >= near.Knowledge()+stays && (near.Meaning >= passAlike || !t.Finder.OnlyAsksLike(t.ctx, part.Text, near.Nearest)) {
			candidate.why = "it is like what is passed there"
			if like == nil || like.near < candidate.near {
				like = candidate
			}
		}
	}
	if like != nil || onlySurely {
		return like
	}
	if reply.Words != "" {
		for i := range candidates {
			if c := &candidates[i]; slices.Contains(c.own, reply.Candidates[0].Source) {
				c.why = "what answers it is " + c.who + "'s"
				return c
			}
		}
		return nil
	}
	return t.passToKnowing(candidates, nearness, part, reply)
}

// passToKnowing returns the bot, of some, that is the likeliest to know what this one does
// not; nil if none is.
func (t *turn) passToKnowing(candidates []passing, nearness []answer.Nearness, part answer.Part, reply answer.Reply) (knowing *passing) {
	pointing := t.Finder.OnlyPoints(part.Text) // which is like the examples of anybody
	isLike := func(near answer.Nearness) bool {
		return !pointing && near.All >= passLike && near.Examples() >= passBeside*near.Knowledge() && t.State.Lead != Waiting
	}
	var asking sync.WaitGroup
	replies := make([]*answer.Reply, len(candidates)) // of those that are asked
	ask := func(i int) {
		if of := candidates[i].is; of != nil && replies[i] == nil {
			replies[i] = &answer.Reply{}
			asking.Go(func() { *replies[i] = of.reply(t, part, reply) })
		}
	}
	byExamples := make([]int, len(candidates))
	for i := range byExamples {
		byExamples[i] = i
	}
	slices.SortFunc(byExamples, func(a, b int) int { return cmp.Compare(nearness[b].All, nearness[a].All) })
	for _, i := range byExamples[:min(askedByExamples, len(byExamples))] {
		if isLike(nearness[i]) {
			ask(i)
		}
	}
	best, sure, whose := t.bestOfAll(candidates, part, reply)
	if sure >= passHopes && whose >= 0 {
		ask(whose)
	}
	asking.Wait()
	most := 0.0
	for i, theirs := range replies {
		if theirs == nil {
			continue
		}
		candidate, near := &candidates[i], nearness[i]
		fit := near.All + theirs.Likely - reply.Likely
		switch {
		case fit < most:
			continue
		case theirs.Words != "" && own(*theirs) >= own(reply)+passKnows && theirs.Candidates[0].ID == best:
			candidate.why = "this bot does not know it, and " + candidate.who + " does"
		case isLike(near) && theirs.Likely >= reply.Likely-passLess:
			candidate.why = "this bot does not know it, and it is more likely " + candidate.who + "'s"
		default:
			continue
		}
		knowing, most = candidate, fit
	}
	return knowing
}

// passHopes is how sure one must be of the best passage, among all that the team knows, for the
// bot that has it to be asked: with fewer passages it is surer of it, by no more than half.
const passHopes = 0.15

// askedByExamples is how many of the bots that a question may be passed to are asked what they
// find because it is like their examples.
const askedByExamples = 2

// bestOfAll is the passage that answers the question best, of all that stands in the sources of
// this bot and of several others, how sure one is of it among all of them, and which of these has it
// in its sources, -1 if none: a bot of few sources is soon sure of what others know better. So the
// size of a team costs one search, not one for each bot.
func (t *turn) bestOfAll(candidates []passing, part answer.Part, ours answer.Reply) (passage string, sure float64, whose int) {
	all := t.Finder
	all.Scope.Sources, all.Scope.For = maps.Clone(all.Scope.Sources), slices.Clone(all.Scope.For)
	for id := range all.Scope.Sources {
		all.Scope.Sources[id] = 0 // the order of one bot's sources is none of the others'
	}
	for _, c := range candidates {
		if c.is == nil {
			continue
		}
		all.Sources += c.is.Finder.Sources + "\n"
		all.Scope.For = append(all.Scope.For, c.is.Finder.Scope.For...)
		if c.is.Finder.Scope.Sources == nil {
			all.Scope.Sources = nil
		}
		for id := range c.is.Finder.Scope.Sources {
			if all.Scope.Sources != nil {
				all.Scope.Sources[id] = 0
			}
		}
	}
	found := all.Find(t.ctx, part, t.followed(ours)).Candidates
	if len(found) == 0 {
		return "", 0, -1
	}
	passage, sure = found[0].ID, found[0].Confidence
	for i, c := range candidates {
		if c.is == nil {
			continue
		}
		if _, theirs := c.is.Finder.Scope.Sources[found[0].SourceID]; theirs || c.is.Finder.Scope.Sources == nil {
			return passage, sure, i
		}
	}
	return passage, sure, -1
}

// passings are those of some that can be passed to now.
func (t *turn) passings(to []bot.Pass) (list []passing) {
	shared := map[string]int{} // by how many a source is used
	for _, source := range t.Brief.Sources {
		shared[source]++
	}
	for _, p := range to {
		c := passing{Pass: p, who: p.To[strings.Index(p.To, "/")+1:], from: append(slices.Clone(t.next.From), t.Brief.Name)}
		if name := p.Bot(); name != "" {
			if slices.Contains(t.led, name) {
				continue // it would go in circles: people are asked
			}
			if c.is = t.knows(name); c.is == nil {
				continue
			}
			c.who, c.own = c.is.Brief.Persona, slices.Clone(c.is.Brief.Sources)
			c.When = slices.Concat(p.When, t.onlyTheirs(*c.is))
			for _, source := range c.own {
				shared[source]++
			}
		} else if t.next.Lead == Waiting {
			continue // people have been told
		}
		list = append(list, c)
	}
	for i := range list {
		list[i].own = slices.DeleteFunc(list[i].own, func(source string) bool { return shared[source] > 1 })
	}
	return list
}

// onlyTheirs are the questions that the tools of another bot answer, where neither this bot
// nor the one that the conversation came from has the same tools.
func (t *turn) onlyTheirs(other Snapshot) (questions []string) {
	var from *Snapshot
	if n := len(t.next.From); n > 0 && t.next.From[n-1] != other.Brief.Name {
		from = t.knows(t.next.From[n-1])
	}
	for i := range other.Tools {
		tool := &other.Tools[i]
		if _, has := t.granted(tool.Name); has {
			continue
		}
		if from != nil {
			if _, has := from.granted(tool.Name); has {
				continue
			}
		}
		questions = append(questions, tool.When...)
	}
	return questions
}

// without leaves out of what was found what stands in sources that are the other bot's own:
// a bot that may answer from everything knows that too, and it is the other's all the same.
func (p *passing) without(found answer.Found) answer.Found {
	if len(p.own) > 0 {
		found.Candidates = slices.DeleteFunc(slices.Clone(found.Candidates), func(c answer.Candidate) bool { return slices.Contains(p.own, c.Source) })
	}
	return found
}

// own is how sure a bot is of its best answer.
func own(reply answer.Reply) float64 {
	if len(reply.Candidates) == 0 {
		return 0
	}
	return reply.Candidates[0].Confidence
}

// knows returns another bot with its knowledge, nil if it is not there.
func (t *turn) knows(name string) (other *Snapshot) {
	if t.Other == nil || name == "" {
		return nil
	}
	t.Other(name, func(s Snapshot, there bool) {
		if other = nil; there {
			other = &s
		}
	})
	return other
}

// mayPass reports whether a question may be passed of which this is known: what a bot must
// not answer, no other answers in its place, unless that one's knowledge shows that it is
// about something else.
func (t *turn) mayPass(to passing, part answer.Part, reply answer.Reply, is verdict) bool {
	switch {
	case is == allowed:
		return true
	case is == surely || to.is == nil:
		return false
	}
	_, there := t.forbids(part, to.is.reply(t, part, reply))
	return there == allowed
}

// pass gives the conversation to another bot, which goes on with this turn, or to people.
func (t *turn) pass(to passing) {
	t.trace.Passed = append(t.trace.Passed, Passed{From: t.Brief.Name, To: to.To, About: to.About, Why: to.why, Near: to.near})
	t.effects = append(t.effects, Pass{To: to.To, Who: to.who, Why: to.About})
	if to.toPeople() {
		if to.is == nil {
			t.Brief.Escalate.To = to.To
		} else {
			t.Brief.Escalate = to.is.Brief.Escalate
		}
		t.handed = true
		t.handOver(bot.OnPass, "asks about "+to.About, bot.PassedOn)
		return
	}
	t.next.From, t.next.Bot, t.next.Passes = slices.Clone(to.from), to.is.Brief.Name, t.next.Passes+1
	t.led = append(t.led, to.is.Brief.Name)
	t.takesOver = ""
	renamed := to.is.Brief.Persona != t.Brief.Persona
	t.Brief, t.Tools, t.Finder, t.Model = to.is.Brief, to.is.Tools, to.is.Finder, to.is.Model
	if t.next.Open = nil; t.offered == "" { // what this turn offered for another question stands
		t.next.Offer = nil
	}
	t.trace.Threshold, t.trace.OfferThreshold = t.Brief.Threshold, t.Brief.OfferThreshold
	if renamed {
		t.takesOver = t.word(bot.TakesOver, "")
	}
}

// toPeople reports whether people go on: they are passed to, or answer in the bot's place.
func (p *passing) toPeople() bool { return p.is == nil || p.is.Brief.Mode == workspace.Off }

// routed passes a message that a model is to read, if the first of its questions is not for
// this bot. It reports whether that is so.
func (t *turn) routed(parts []answer.Part) bool {
	asked, greeted := t.toBeRead(parts)
	if len(asked) == 0 || len(t.Brief.Pass) == 0 && len(t.next.From) == 0 {
		return false
	}
	t.previous = t.next.LastQuestion
	reply := t.Finder.Reply(t.ctx, asked[0], t.previous, t.bars(), t.Abilities.Limit)
	if _, _, ours := t.toolFor(asked[0], reply.Found, t.bare(asked[0].Text)); ours {
		return false
	}
	_, is := t.forbids(asked[0], reply)
	to := t.passTo(asked[0], reply)
	if to == nil || !t.mayPass(*to, asked[0], reply, is) {
		return false
	}
	t.passOn(*to, greeted)
	return true
}

// passOn gives a message that a model was to read to somebody else, a bot of whom has the
// question in this turn.
func (t *turn) passOn(to passing, greeted bool) {
	t.pass(to)
	if to.toPeople() {
		t.conclude(greeted, false)
	} else {
		t.reply()
	}
}
