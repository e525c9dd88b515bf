package dialogue_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/core/thinker"
	"urgentparrot.example/internal/core/workspace"
)

// A scripted model says one thing after another, whatever it is asked.
type scripted struct {
	t       *testing.T
	replies []any // *thinker.Reply, string (JSON), or error
	asked   []*thinker.Request
	boats   any // what the timetable says
}

// reader is the front desk with a model.
func reader(t *testing.T) dialogue.Snapshot {
	s := frontDesk(t)
	s.Model = &dialogue.Model{Thinker: thinker.Model{}, Connection: workspace.Connection{Name: "m", Title: "the model", Window: 4000, Price: workspace.Price{Read: 1, Written: 2}}}
	s.Brief.Model = bot.Model{Passages: 12, Rounds: 4, Unsupported: bot.Drop}
	return s
}

// hears has the customer write, and the model reply.
func (m *scripted) hears(s dialogue.Snapshot, words string) dialogue.Decision {
	m.t.Helper()
	s.Messages = []dialogue.Incoming{{ID: "1", Text: words}}
	for range 20 {
		d := dialogue.Decide(m.t.Context(), s)
		switch {
		case d.Think != nil:
			if len(d.Effects) > 0 {
				m.t.Errorf("while the model is asked there are effects: %v", d.Effects)
			}
			thought := *d.Think
			m.asked = append(m.asked, thought.Request)
			if len(m.replies) == 0 {
				m.t.Fatalf("the model is asked once more: %s", thought.Request.Kind)
			}
			switch r := m.replies[0].(type) {
			case error:
				thought.Error = r.Error()
			case string:
				thought.Reply = &thinker.Reply{Text: r, In: 1000, Out: 100}
			case *thinker.Reply:
				thought.Reply = r
			}
			m.replies = m.replies[1:]
			s.Thoughts = append(s.Thoughts, thought)
		case len(d.Calls) > 0:
			for _, call := range d.Calls {
				s.Results = append(s.Results, dialogue.Result{Call: call, Value: m.boats})
			}
		default:
			return d
		}
	}
	m.t.Fatal("the turn does not end")
	return dialogue.Decision{}
}

// says is a reply of a model: sentences with the passage that holds words of each.
func (m *scripted) says(act string, sentences ...string) string {
	type one struct {
		Says     string   `json:"says"`
		Means    string   `json:"means"`
		StandsOn []string `json:"stands_on"`
	}
	list := []one{}
	for _, s := range sentences {
		says, on, _ := strings.Cut(s, " @")
		o := one{Says: says, StandsOn: []string{}}
		if on != "" {
			o.StandsOn = []string{on}
		}
		list = append(list, o)
	}
	raw, err := json.Marshal(map[string]any{"act": act, "language": "en", "sentences": list, "unknown": []string{}})
	if err != nil {
		m.t.Fatal(err)
	}
	return string(raw)
}

// reply is what a decision says to the customer.
func reply(d dialogue.Decision) (words string, say dialogue.Say) {
	for _, e := range d.Effects {
		if s, ok := e.(dialogue.Say); ok {
			return message.Plain(s.Parts), s
		}
	}
	return "", say
}

// passageWith is the name, in what a model was given, of a passage that holds words.
func passageWith(t *testing.T, s dialogue.Snapshot, question, words string) string {
	t.Helper()
	s.Messages = []dialogue.Incoming{{ID: "1", Text: question}}
	d := dialogue.Decide(t.Context(), s)
	if d.Think == nil {
		t.Fatalf("the model is not asked %q: %s", question, d.Trace.BuiltIn)
	}
	for _, p := range d.Think.Request.Passages {
		if strings.Contains(p.Text, words) {
			return p.ID
		}
	}
	t.Fatalf("no passage with %q is among the %d that the model is given for %q", words, len(d.Think.Request.Passages), question)
	return ""
}

const dogs = "Do dogs travel free?"

func TestAModelsReplyIsSaidWithWhatItStandsOn(t *testing.T) {
	s := reader(t)
	on := passageWith(t, s, dogs, "Dogs travel free")
	m := &scripted{t: t}
	m.replies = []any{m.says("reply", "Yes, dogs travel free and are welcome on the open decks and in the lower saloon. @"+on)}
	d := m.hears(s, dogs)
	words, say := reply(d)
	if !strings.Contains(words, "dogs travel free") || d.Trace.Code != dialogue.CodeAnswered || d.Trace.BuiltIn != "" {
		t.Errorf("%q, %s, %q", words, d.Trace.Code, d.Trace.BuiltIn)
	}
	if len(say.Citations) != 1 || !strings.Contains(say.Citations[0].Text, "Dogs travel free") {
		t.Errorf("it cites %v", say.Citations)
	}
	th := d.Trace.Thoughts[0]
	if th.Cost != 1000*1+100*2 || len(th.Messages) < 3 || len(th.Checks) != 1 || th.Checks[0].Fault != "" {
		t.Errorf("the trace: cost %d, %d messages, checks %+v", th.Cost, len(th.Messages), th.Checks)
	}
}

// Each way in which a model can fail ends in the built-in answer, in the same turn, and the
// trace says why.
func TestWhateverAModelDoesTheBuiltInThinkerAnswers(t *testing.T) {
	s := reader(t)
	on := passageWith(t, s, dogs, "Dogs travel free")
	m := &scripted{t: t}
	timetable := map[string]any{"to": "Hallow Point"}
	again := &thinker.Reply{Calls: []thinker.Call{{ID: "c", Name: "timetable", Arguments: timetable}}}
	boats := map[string]any{"departures": []any{}}
	for _, c := range []struct {
		what    string
		replies []any
		why     string
	}{
		{"it cannot be reached", []any{fmt.Errorf("the model took longer than 20s")}, "took longer"},
		{"it is cut short", []any{&thinker.Reply{Text: m.says("reply", "Dogs travel free. @"+on), Cut: true}}, "cut short"},
		{"it is no JSON", []any{"Dogs travel free!"}, "not the JSON"},
		{"it says nothing", []any{m.says("reply")}, "says nothing"},
		{"an act that nobody offered", []any{m.says("delete", "Dogs travel free. @"+on)}, "nobody offered"},
		{"nothing is supported", []any{m.says("reply", "Dogs cost £9.99. @"+on)}, "nothing of the model's reply is supported"},
		{"it names passages that it was not given", []any{m.says("reply", "Dogs travel free. @P99")}, "nothing of the model's reply is supported"},
		{"it only is polite", []any{m.says("reply", "Thank you for your message.")}, "nothing of the model's reply"},
		{"a tool that was not granted", []any{&thinker.Reply{Calls: []thinker.Call{{Name: "open_till"}}}}, `asks for "open_till"`},
		{"a tool with arguments that do not fit", []any{&thinker.Reply{Calls: []thinker.Call{{Name: "timetable", Arguments: map[string]any{"to": "the moon"}}}}}, "do not fit"},
		{"a tool without what it needs", []any{&thinker.Reply{Calls: []thinker.Call{{Name: "timetable"}}}}, "without to"},
		{"a tool with what is no JSON", []any{&thinker.Reply{Calls: []thinker.Call{{Name: "timetable", Unread: "{to:"}}}}, "not JSON"},
		{"the same tool for ever", []any{again, again}, "again with the same arguments"},
		{"more requests than the brief allows", []any{
			&thinker.Reply{Calls: []thinker.Call{{ID: "1", Name: "timetable", Arguments: map[string]any{"to": "Hallow Point"}}}},
			&thinker.Reply{Calls: []thinker.Call{{ID: "2", Name: "timetable", Arguments: map[string]any{"to": "Gannet Holm"}}}},
			&thinker.Reply{Calls: []thinker.Call{{ID: "3", Name: "timetable", Arguments: map[string]any{"to": "Little Sorrel"}}}},
			&thinker.Reply{Calls: []thinker.Call{{ID: "4", Name: "timetable", Arguments: map[string]any{"to": "Brackwater", "from": "Gannet Holm"}}}},
		}, "more requests than the brief allows"},
	} {
		m := &scripted{t: t, replies: c.replies, boats: boats}
		d := m.hears(s, dogs)
		words, _ := reply(d)
		if !strings.Contains(d.Trace.BuiltIn, c.why) {
			t.Errorf("%s: the trace says %q", c.what, d.Trace.BuiltIn)
		}
		if !strings.Contains(words, "Dogs") || strings.Contains(words, "9.99") || d.Trace.Code != dialogue.CodeAnswered {
			t.Errorf("%s: %s, %q", c.what, d.Trace.Code, words)
		}
	}
}

// A sentence that nothing supports is left out, or makes a person look at the reply, or the
// built-in thinker reply, as the brief says.
func TestWhatIsNotSupportedBecomesWhatTheBriefSays(t *testing.T) {
	s := reader(t)
	on := passageWith(t, s, dogs, "Dogs travel free")
	for _, unsupported := range []string{bot.Drop, bot.Hold, bot.BuiltIn} {
		s.Brief.Model.Unsupported = unsupported
		m := &scripted{t: t}
		m.replies = []any{m.says("reply", "Dogs travel free and are welcome on the open decks and in the lower saloon. @"+on, "We have kept a basket for yours. @"+on)}
		d := m.hears(s, dogs)
		words, say := reply(d)
		if held := unsupported == bot.Hold; say.Hold != held || strings.Contains(words, "basket") != held {
			t.Errorf("%s: held %v, %q", unsupported, say.Hold, words)
		}
		if (d.Trace.BuiltIn != "") != (unsupported == bot.BuiltIn) || !strings.Contains(words, "ogs travel free") {
			t.Errorf("%s: %q, %q", unsupported, words, d.Trace.BuiltIn)
		}
		if checks := d.Trace.Thoughts[0].Checks; len(checks) != 2 || checks[1].Fault == "" {
			t.Errorf("%s: the trace shows %+v", unsupported, checks)
		}
	}
}

// A sentence whose condition stands in one that is left out is left out too.
func TestWhatDependsOnWhatIsLeftOutIsLeftOut(t *testing.T) {
	s := reader(t)
	question := "Where can dogs go?"
	on := passageWith(t, s, question, "upper saloon")
	m := &scripted{t: t}
	m.replies = []any{m.says("not_known")}
	if d := m.hears(s, question); d.Trace.BuiltIn == "" {
		t.Error("the built-in thinker is not said to have replied")
	}
	m.replies = []any{m.says("reply", "Dogs are allowed in the upper saloon. @"+on)}
	d := m.hears(s, question)
	if words, _ := reply(d); strings.Contains(words, "are allowed in the upper saloon") {
		t.Errorf("it says %q", words)
	}
}

// What a model has read and found nothing in is not answered by the built-in thinker: at
// most it is offered.
func TestWhatAModelDoesNotFindIsNotAnswered(t *testing.T) {
	s := reader(t)
	m := &scripted{t: t}
	m.replies = []any{m.says("not_known")}
	d := m.hears(s, dogs)
	if d.Trace.Code == dialogue.CodeAnswered {
		words, _ := reply(d)
		t.Errorf("it is answered: %q", words)
	}
}

// A supported sentence is no answer to a question about something that it does not name.
func TestASupportedSentenceMustAnswerTheQuestion(t *testing.T) {
	s := reader(t)
	s.Model.Connection.Window = 40_000 // it reads all that there is
	for question, said := range map[string]string{
		"Do dogs travel free at Christmas?": "Dogs travel free",
		"What does a bicycle cost?":         "Your ticket stays good",
	} {
		on := passageWith(t, s, question, said)
		m := &scripted{t: t}
		m.replies = []any{m.says("reply", said+". @"+on)}
		d := m.hears(s, question)
		if d.Trace.BuiltIn == "" {
			words, _ := reply(d)
			t.Errorf("%q: it says %q", question, words)
		}
	}
}

// Nothing is asked of a model about what the brief forbids, over the budget, while it
// rests, or where there is nothing to read for.
func TestWhatIsNotAskedOfAModel(t *testing.T) {
	for what, c := range map[string]struct {
		set   func(*dialogue.Snapshot)
		words string
		why   string
	}{
		"a forbidden matter":    {func(*dialogue.Snapshot) {}, "Which pills should I take against seasickness?", "medical advice"},
		"the tokens of a day":   {func(s *dialogue.Snapshot) { s.Brief.Model.Daily.Tokens, s.Model.Spent.Tokens = 1000, 1000 }, dogs, "1000 tokens"},
		"the money of a day":    {func(s *dialogue.Snapshot) { s.Brief.Model.Daily.Cost, s.Model.Spent.Cost = 1.5, 1_500_000 }, dogs, "budget of today"},
		"a model that rests":    {func(s *dialogue.Snapshot) { s.Model.Resting = "the model failed 3 times in a row" }, dogs, "3 times"},
		"a greeting":            {func(*dialogue.Snapshot) {}, "Hello!", ""},
		"a wish for a person":   {func(*dialogue.Snapshot) {}, "Can I talk to a person please?", ""},
		"a wish for the owner":  {func(*dialogue.Snapshot) {}, "can i speak to the owner", ""},
		"an angry customer":     {func(*dialogue.Snapshot) {}, "This is ridiculous! I have had enough of you!!", ""},
		"what a person answers": {func(s *dialogue.Snapshot) { s.State.Lead = dialogue.LedByPerson }, dogs, ""},
	} {
		s := reader(t)
		c.set(&s)
		s.Messages = []dialogue.Incoming{{ID: "1", Text: c.words}}
		d := dialogue.Decide(t.Context(), s)
		if d.Think != nil || !strings.Contains(d.Trace.BuiltIn, c.why) {
			t.Errorf("%s: asked %v, why %q", what, d.Think != nil, d.Trace.BuiltIn)
		}
	}
}

// A thought about other messages is out of date: the model is asked anew.
func TestAThoughtAboutOtherMessagesIsOutOfDate(t *testing.T) {
	s := reader(t)
	s.Messages = []dialogue.Incoming{{ID: "1", Text: dogs}}
	first := dialogue.Decide(t.Context(), s).Think
	m := &scripted{t: t}
	first.Reply = &thinker.Reply{Text: m.says("reply", "Dogs travel free. @P1")}
	s.Thoughts = []dialogue.Thought{*first}
	s.Messages = append(s.Messages, dialogue.Incoming{ID: "2", Text: "And what does a bicycle cost?"})
	d := dialogue.Decide(t.Context(), s)
	if d.Think == nil || !strings.Contains(d.Think.Request.Messages[len(d.Think.Request.Messages)-1].Text, "bicycle") {
		t.Fatalf("it is not asked about both: %+v", d.Trace.Why)
	}
}

// A model is told of the customer what the brief says, of others nothing, and no secret of
// a field that is sensitive.
func TestAModelIsToldLittleOfTheCustomer(t *testing.T) {
	s := reader(t)
	s.Memory = contact.Memory{}
	for field, value := range map[string]string{"name": "Ada Example", "email": "ada@example.org", "phone": "+447700900101", "island": "Gannet Holm"} {
		s.Memory = s.Memory.With(contact.Fact{Field: field, Value: value})
	}
	told := func() string {
		s.Messages = []dialogue.Incoming{{ID: "1", Text: dogs}}
		d := dialogue.Decide(t.Context(), s)
		raw, err := json.Marshal(d.Think.Request)
		if err != nil {
			t.Fatal(err)
		}
		return string(raw)
	}
	if all := told(); !strings.Contains(all, "First name: Ada") || strings.Contains(all, "Ada Example") || strings.Contains(all, "ada@example.org") || strings.Contains(all, "0900101") {
		t.Error("by itself it is told more than the first name, or not that")
	}
	s.Brief.Model.Tells = []string{"island"}
	if all := told(); !strings.Contains(all, "Island: Gannet Holm") || strings.Contains(all, "First name: Ada") {
		t.Error("it is not told just what the brief says")
	}
	at := slices.IndexFunc(s.Settings.Fields, func(f contact.Field) bool { return f.Name == "island" })
	s.Settings.Fields[at].Sensitive = true
	if strings.Contains(told(), "Island: Gannet Holm") {
		t.Error("it is told what is sensitive")
	}
}

// Of more knowledge than a model takes in, it chooses what to read from glimpses; what it
// chose comes first, and what was found without it fills the rest.
func TestAModelChoosesWhatItReads(t *testing.T) {
	s := reader(t)
	s.Model.Connection.Window = 2000
	s.Brief.Model.LooksAt, s.Brief.Model.Passages = 40, 5
	m := &scripted{t: t}
	s.Messages = []dialogue.Incoming{{ID: "1", Text: dogs}}
	search := dialogue.Decide(t.Context(), s).Think
	if search == nil || search.Request.Kind != thinker.Search || len(search.Request.Looks) < 20 {
		t.Fatalf("it is asked %+v", search)
	}
	last := search.Request.Looks[len(search.Request.Looks)-1]
	m.replies = []any{fmt.Sprintf(`{"passages":[%q],"wordings":["lost property"]}`, last.ID), m.says("not_known")}
	m.hears(s, dogs)
	given := m.asked[1].Passages
	if len(given) != 5 || given[0].Cite.PassageID != last.Place {
		t.Errorf("it is given %d passages, the first %+v", len(given), given[0].Cite)
	}
	if !slices.ContainsFunc(given, func(p thinker.Passage) bool { return strings.Contains(p.Text, "found on board") }) {
		t.Error("nothing was found in its wording")
	}
	// That it chooses badly costs the reply nothing.
	m.replies = []any{"I would read everything", m.says("not_known")}
	m.hears(s, dogs)
	if given := m.asked[3].Passages; len(given) != 5 {
		t.Errorf("then it is given %d passages", len(given))
	}
	// It may choose all that it is given, and have wordings besides.
	m.replies = []any{`{"passages":["G1","G2","G3","G4","G5","G6","G99","G1"],"wordings":["lost property","dogs"]}`, m.says("not_known")}
	m.hears(s, dogs)
	if given := m.asked[5].Passages; len(given) != 5 || given[4].Cite.PassageID != m.asked[4].Looks[4].Place {
		t.Errorf("of its own choice it is given %d passages", len(given))
	}
	// One that cannot be had is not waited for twice.
	asked := len(m.asked)
	m.replies = []any{fmt.Errorf("the model took longer than 20s")}
	if d := m.hears(s, dogs); len(m.asked) != asked+1 || !strings.Contains(d.Trace.BuiltIn, "took longer") {
		t.Errorf("it is asked %d times; %q", len(m.asked)-asked, d.Trace.BuiltIn)
	}
}

// What the knowledge becomes while the model thinks does not change what it was asked.
func TestTheKnowledgeMayGrowWhileTheModelThinks(t *testing.T) {
	for _, windows := range [][2]int{{2_000, 40_000}, {40_000, 2_000}} { // too large to be read whole before, or after
		s := reader(t)
		s.Brief.Model.LooksAt = 40
		s.Model.Connection.Window = windows[0]
		s.Messages = []dialogue.Incoming{{ID: "1", Text: dogs}}
		first := *dialogue.Decide(t.Context(), s).Think
		m := &scripted{t: t}
		first.Reply = &thinker.Reply{Text: `{"passages":["G1"],"wordings":[]}`}
		if first.Request.Kind == thinker.Answer {
			first.Reply.Text = m.says("not_known")
		}
		s.Thoughts = []dialogue.Thought{first}
		s.Model.Connection.Window = windows[1]
		d := dialogue.Decide(t.Context(), s)
		if first.Request.Kind == thinker.Answer && (d.Think != nil || !strings.Contains(d.Trace.BuiltIn, "finds no answer")) || first.Request.Kind == thinker.Search && (d.Think == nil || d.Think.Request.Kind != thinker.Answer) {
			t.Errorf("after %s: %+v, %q", first.Request.Kind, d.Think != nil, d.Trace.BuiltIn)
		}
	}
}

// A short answer to what the model asked back goes to the model, with what was said; without
// such a question it is small talk.
func TestTheAnswerToAModelsQuestionGoesToTheModel(t *testing.T) {
	s := reader(t)
	m := &scripted{t: t}
	m.replies = []any{m.says("reply", "Hello!", "Which island do you want to go to?")}
	d := m.hears(s, "When does the boat leave?")
	if words, _ := reply(d); words != "Hello! I'm Pip, an automated assistant. Which island do you want to go to?" || !d.State.AskedBack {
		t.Fatalf("%q, %+v", words, d.State)
	}
	s.State, s.Talk = d.State, []thinker.Line{{By: "customer", Text: "When does the boat leave?"}, {By: "bot", Text: "Which island do you want to go to?"}}
	s.Messages = []dialogue.Incoming{{ID: "2", Text: "the first one"}}
	if d := dialogue.Decide(t.Context(), s); d.Think == nil || d.Think.Request.Messages[3].Text != "Which island do you want to go to?" {
		t.Errorf("it is not asked: %s", d.Trace.Why)
	}
	s.State.AskedBack = false
	s.Messages[0].Text = "ok"
	if d := dialogue.Decide(t.Context(), s); d.Think != nil {
		t.Error("the model is asked about nothing")
	}
}
