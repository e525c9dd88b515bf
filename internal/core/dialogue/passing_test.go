package dialogue_test

import (
	_ "embed"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/workspace"
)

//go:embed testdata/passing.txt
var questions string

// Of questions as visitors type them, most reach the bot whose they are; the front desk knows
// the answers to some of the others too. None of its own goes elsewhere but where nobody knows.
func TestQuestionsReachTheBotWhoseTheyAre(t *testing.T) {
	s, _ := brackwater(t)
	reached, asked := map[string]int{}, map[string]int{}
	for line := range strings.Lines(questions) {
		whose, question, _ := strings.Cut(strings.TrimSpace(line), " | ")
		s.Messages = []dialogue.Incoming{{ID: "1", Text: question}}
		d := dialogue.Decide(t.Context(), s)
		asked[whose]++
		if bots := map[string]string{"front": "front-desk", "freight": "freight", "lost": "lost-property", "help": "travel-help"}; d.Bot == bots[whose] {
			reached[whose]++
		} else {
			t.Logf("%q is %s's, and went to %s: %+v", question, whose, d.Bot, d.Trace.Passed)
		}
	}
	for whose, least := range map[string]int{"front": 23, "freight": 8, "lost": 7, "help": 5} {
		if reached[whose] < least {
			t.Errorf("of %d questions for %s %d reach it; at least %d are to", asked[whose], whose, reached[whose], least)
		}
	}
}

// A question goes along: the bot that takes the conversation answers in the same turn, says
// who it is, keeps what is its own, and hands back what is not. What was known of the
// customer stays known.
func TestABotPassesTheConversationAndGetsItBack(t *testing.T) {
	s, as := brackwater(t)
	say := func(words string) (dialogue.Decision, string) {
		t.Helper()
		d, reply := talk(t, s, dialogue.Result{}, words)
		s.State, s.LastReply = d.State, reply
		s = as(s, d.Bot)
		return d, reply
	}
	for _, turn := range []struct{ says, bot, holds string }{
		{"hello, how much is a van?", "freight", "Corrie from freight here. I'm an automated assistant. Van up to 6 metres"},
		{"does the driver pay extra?", "freight", "The driver travels free"},
		{"can i bring my dog", "front-desk", "This is Pip. Dogs travel free"},
		{"and how much is a van then?", "freight", "£41"},
		{"what does a bicycle cost?", "front-desk", "£2.50"},
		{"and for a motorcycle?", "freight", "Motorcycle: Single £12"}, // a row of its own, and no repeat
		{"thanks", "freight", "welcome"},
		{"do babies pay", "front-desk", "This is Pip."},
		{"and how much is a van?", "freight", "£41"},
		{"can i bring my dog?", "front-desk", "This is Pip. Dogs travel free"},
		{"lost my gloves on the ferry", "lost-property", "Finch from lost property here."},
		{"how much is a van?", "freight", "Corrie from freight here."},
	} {
		d, reply := say(turn.says)
		if d.Bot != turn.bot || !strings.Contains(reply, turn.holds) {
			t.Errorf("to %q %s says %q; want %s to say %q", turn.says, d.Bot, reply, turn.bot, turn.holds)
		}
		passed := find[dialogue.Pass](d)
		if len(passed) != len(d.Trace.Passed) || len(passed) > 0 && passed[0].To != "bot/"+turn.bot {
			t.Errorf("%q: passed %+v, traced %+v", turn.says, passed, d.Trace.Passed)
		}
	}
	// What is offered for one question stands when another is passed; one that only points
	// back is nobody's by its words.
	s, _ = brackwater(t)
	said := "may our dog come along to Gannet Holm on Saturday?"
	d, reply := talk(t, s, dialogue.Result{}, said+" and how much is a van?")
	if d.Bot != "freight" || !strings.Contains(reply, "£41") || !strings.Contains(reply, said) || d.State.Offer == nil {
		t.Errorf("it passes one question and offers something for the other: %q", reply)
	}
	if d, _ := talk(t, s, dialogue.Result{}, said+" and what does that cost?"); d.Bot != "front-desk" {
		t.Errorf("what it costs to bring a dog is passed to %s", d.Bot)
	}
	s = as(s, "front-desk")
	d, reply = say("how much for a bike? and how much for a pallet?")
	if !strings.Contains(reply, "£2.50") || !strings.Contains(reply, "£35") {
		t.Errorf("of two questions for two bots it says %q (%s)", reply, d.Bot)
	}
}

// How a question asks is no sign whose it is: what it asks about has to be like an example too.
func TestAQuestionIsLikeAnExampleByWhatItIsAbout(t *testing.T) {
	s, _ := brackwater(t)
	for _, q := range []struct {
		asked, example string
		only           bool
	}{
		{"How much is a ticket to Gannet Holm for an adult?", "How much is a van?", true},
		{"can my cat come", "Can I take my car across?", true},
		{"my daughter is 4, does she need a ticket", "My mother is in a wheelchair, can she get on?", true},
		{"how much do you charge for a lorry?", "How much is a van?", false},
		{"can I drive my van onto the ferry?", "Can I take my car across?", false},
		{"gran is in a wheelchair, will someone help her get on?", "My mother is in a wheelchair, can she get on?", false},
	} {
		if only := s.Finder.OnlyAsksLike(t.Context(), q.asked, q.example); only != q.only {
			t.Errorf("%q is like %q only in how it asks: %v", q.asked, q.example, only)
		}
	}
}

// Nor is a question forbidden for how it asks.
func TestWhatIsForbiddenIsAskedAbout(t *testing.T) {
	s, _ := brackwater(t)
	for _, q := range []struct {
		asked, example string
		shares         bool
	}{
		{"is it safe to travel with my laptop?", "Is it safe to travel when I am pregnant?", false},
		{"Can I travel with a hedgehog?", "Can I travel after an operation?", false},
		{"my wife is pregnant, can she come?", "Is it safe to travel when I am pregnant?", true},
		{"I was operated on last week, can I come?", "Can I travel after an operation?", true},
		{"what tablets help with being seasick", "Which pills should I take against seasickness?", true},
	} {
		if shares := s.Finder.SharesSubject(t.Context(), q.asked, q.example); shares != q.shares {
			t.Errorf("%q is about what %q is about: %v", q.asked, q.example, shares)
		}
	}
}

// What only points at a question that nobody can answer is not passed on to whoever knows
// something like it: vouchers are not lost property.
func TestWhatPointsAtAnUnknownQuestionIsNotPassed(t *testing.T) {
	s, _ := brackwater(t)
	d, reply := talk(t, s, dialogue.Result{}, "do you sell gift vouchers, and can they be posted?")
	if d.Bot == "lost-property" || len(find[dialogue.Escalate](d)) != 1 || strings.Contains(reply, "£4") {
		t.Errorf("%s says %q (%s)", d.Bot, reply, d.Trace.Code)
	}
	if d, reply = talk(t, s, dialogue.Result{}, "do you sell gift vouchers? And can lost gloves be posted to me?"); !strings.Contains(reply, "£4") {
		t.Errorf("of gloves that are lost %s says %q (%s)", d.Bot, reply, d.Trace.Code)
	}
}

// A bot of few sources is soon sure. It gets a question for what it knows only where nothing
// that the team knows answers better; and what holds the words of a question comes before a
// pair of question and answer that asks alike.
func TestOfAllThatATeamKnowsTheBestAnswers(t *testing.T) {
	s, as := brackwater(t)
	for _, q := range []struct{ asked, not, best string }{
		{"how much to go to hallow point", "45 minutes", "fares.md"},
		{"we are 25 people, do we need to tell you beforehand", "deck hand meets you", ""},
		{"can i take a surfboard", "Bicycles are welcome", "bicycles-and-dogs.md"},
		{"are fireworks allowed as freight", "Fires", "freight.html"},
		{"How much is a ticket to Gannet Holm for an adult?", "Groups", "fares.md"},
	} {
		_, reply := talk(t, as(s, "front-desk"), dialogue.Result{}, q.asked)
		found := s.Finder.Find(t.Context(), answer.Whole(q.asked), "").Candidates
		if strings.Contains(reply, q.not) || q.best != "" && (len(found) == 0 || found[0].Source != q.best) {
			t.Errorf("to %q it says %q; the best is %s", q.asked, reply, found[0].Source)
		}
	}
}

// Bots that would pass a question round and round leave it to people; so does one that was
// passed too often. A bot passes to nobody that its brief does not name, and to nobody who is
// not there.
func TestPassingEndsWithPeople(t *testing.T) {
	s, as := brackwater(t)
	round := func(brief bot.Brief, to string) bot.Brief {
		brief.Pass = []bot.Pass{{To: "bot/" + to, About: "gold", When: []string{"What is the price of gold?"}}}
		brief.Escalate.On, brief.OffTopic = []string{bot.OnNotKnown}, nil
		return brief
	}
	s.Brief = round(s.Brief, "freight")
	other := s.Other
	s.Other = func(name string, work func(dialogue.Snapshot, bool)) {
		other(name, func(o dialogue.Snapshot, there bool) {
			o.Brief, o.Other = round(o.Brief, "front-desk"), s.Other
			work(o, there)
		})
	}
	ask := func() dialogue.Decision {
		s.Messages = []dialogue.Incoming{{ID: "1", Text: "What is the price of gold?"}}
		return dialogue.Decide(t.Context(), s)
	}
	if d := ask(); len(d.Trace.Passed) != 1 || d.State.Lead != dialogue.Waiting || d.Bot != "freight" {
		t.Errorf("passed %+v, and then %s leads", d.Trace.Passed, d.State.Lead)
	}
	s.State.Passes = 8
	if d := ask(); len(d.Trace.Passed) != 0 {
		t.Errorf("after eight passes: passed %+v, and then %s leads", d.Trace.Passed, d.State.Lead)
	}
	s, _ = brackwater(t)
	s.Brief.Pass = []bot.Pass{{To: "bot/nobody", When: []string{"how much is a van?"}}}
	s.Messages = []dialogue.Incoming{{ID: "1", Text: "how much is a van?"}}
	if d := dialogue.Decide(t.Context(), s); len(d.Trace.Passed) != 0 || d.Bot != "front-desk" {
		t.Errorf("passed to who is not named or not there: %+v", d.Trace.Passed)
	}
	s = as(s, "front-desk")
	s.Brief.Pass = []bot.Pass{{To: "team/crew", About: "chartering", When: []string{"We want to charter the whole boat for a wedding."}}}
	s.Messages = []dialogue.Incoming{{ID: "1", Text: "we would like to charter a boat for our wedding"}}
	d := dialogue.Decide(t.Context(), s)
	if notified := find[dialogue.Notify](d); d.State.Lead != dialogue.Waiting || len(notified) != 1 || notified[0].To != "team/crew" || d.Trace.Code != dialogue.CodeHandedOver {
		t.Errorf("a matter for the crew: %s leads, %+v, %s", d.State.Lead, notified, d.Trace.Code)
	}
	s, _ = brackwater(t)
	other = s.Other
	s.Other = func(name string, work func(dialogue.Snapshot, bool)) {
		other(name, func(o dialogue.Snapshot, there bool) {
			o.Brief.Mode = workspace.Off
			work(o, there)
		})
	}
	d, reply := talk(t, s, dialogue.Result{}, "how much is a van?")
	if d.State.Lead != dialogue.Waiting || len(d.Trace.Passed) != 1 || strings.Contains(reply, "£") {
		t.Errorf("a bot is off, and people answer in its place: %q; then %s leads", reply, d.State.Lead)
	}
}

// What a bot must not answer, no other one answers in its place, nor gets to read, whether it
// thinks with a model or not. Once people have been told of a matter, it is not passed to them
// again.
func TestWhatIsForbiddenStaysForbidden(t *testing.T) {
	s, _ := brackwater(t)
	s.Brief.Pass = append(s.Brief.Pass, bot.Pass{To: "bot/freight", When: []string{"Which pills should I take against seasickness?", "What helps me not to be sick?"}})
	modelled := s
	modelled.Model, modelled.Brief.Model = reader(t).Model, reader(t).Brief.Model
	for _, desk := range []dialogue.Snapshot{s, modelled} {
		for _, asked := range []string{"Which pills should I take against seasickness?", "what can i take so i am not sick on the boat"} {
			desk.Messages = []dialogue.Incoming{{ID: "1", Text: asked}}
			if d := dialogue.Decide(t.Context(), desk); d.Trace.Code == dialogue.CodeAnswered || d.Trace.Code == dialogue.CodeOffered || d.Bot == "freight" {
				t.Errorf("%q: %s by %s", asked, d.Trace.Code, d.Bot)
			}
		}
	}
	s.Brief.Pass = []bot.Pass{{To: "team/crew", About: "chartering", When: []string{"We want to charter the whole boat for a wedding."}}}
	s.State.Lead = dialogue.Waiting
	s.Messages = []dialogue.Incoming{{ID: "1", Text: "we would like to charter a boat for our wedding"}}
	if d := dialogue.Decide(t.Context(), s); len(find[dialogue.Pass](d)) > 0 {
		t.Errorf("the crew is told again: %+v", d.Trace.Passed)
	}
}

// While the tokens of passages are not known yet, a bot keeps what it knows.
func TestWhatIsKnownByMeaningAloneIsNotPassed(t *testing.T) {
	s, _ := brackwater(t)
	s.Finder.Tokens = nil
	if d, reply := talk(t, s, dialogue.Result{}, "can i take my bike on the boat?"); d.Bot != "front-desk" || !strings.Contains(reply, "£2.50") {
		t.Errorf("%s says %q", d.Bot, reply)
	}
}
