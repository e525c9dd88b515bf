package test

import (
	"strings"
	"testing"

	"urgentparrot.example/client"
)

// Asked, not known, escalated, answered by a person, the lesson approved, asked
// again by another customer in other words, and answered by the bot.
func TestAPersonsAnswerBecomesKnowledge(t *testing.T) {
	s := open(t)
	const ada, ben = "+447700900161", "+447700900162"
	s.texts(ada, "1", "I'm Ada Example. Do you give lessons about seabirds?", 1)
	c := s.conversation(ada)
	if c.Lead != "waiting" || c.Reason != "not known" {
		t.Fatalf("it is led by %s, because of %q", c.Lead, c.Reason)
	}
	gaps, err := s.client.Gaps(s.ctx)
	s.must(err)
	if len(gaps.Items) != 1 || gaps.Items[0].Times != 1 || len(gaps.Items[0].Waiting) != 1 {
		t.Fatalf("the gaps are %+v", gaps.Items)
	}
	_, err = s.client.Take(s.ctx, c.ID, false)
	s.must(err)
	const answer = "Hello Ada, yes, lessons about seabirds are given by the island ranger for £15 an hour. Your booking AB-12345 stays good.\n\nKind regards\nRobin"
	_, err = s.client.Reply(s.ctx, c.ID, answer, "k")
	s.must(err)
	_, err = s.client.Reply(s.ctx, c.ID, answer, "k") // a repeat teaches nothing new
	s.must(err)
	lessons, err := s.client.Lessons(s.ctx, "proposed")
	s.must(err)
	if len(lessons.Items) != 1 {
		t.Fatalf("the lessons are %+v", lessons.Items)
	}
	lesson := lessons.Items[0]
	if lesson.Question != "Do you give lessons about seabirds?" {
		t.Errorf("the lesson asks %q", lesson.Question)
	}
	for _, own := range []string{"Ada", "12345", "Robin", "regards"} {
		if strings.Contains(lesson.Answer, own) {
			t.Errorf("the lesson still holds %q: %q", own, lesson.Answer)
		}
	}
	contains(t, lesson.Answer, "£15 an hour")
	if _, err := s.client.ApproveLesson(s.ctx, lesson.ID, client.LessonText{}); err != nil {
		t.Fatal(err)
	}
	if _, err := s.client.ApproveLesson(s.ctx, lesson.ID, client.LessonText{}); err == nil {
		t.Error("a lesson was approved twice")
	}
	if gaps, err = s.client.Gaps(s.ctx); err != nil || len(gaps.Items) != 0 {
		t.Errorf("the gap is still open: %+v, %v", gaps.Items, err)
	}
	s.encoded("lessons about seabirds")
	contains(t, s.texts(ben, "2", "who teaches us about seabirds, and what does it cost?", 1)[0].Text, "£15 an hour")
	again, err := s.client.Ask(s.ctx, "front-desk", "is it possible to have a lesson on seabirds")
	s.must(err)
	if len(again.Citations) != 1 || again.Citations[0].Question != lesson.Question {
		t.Errorf("it says %q and cites %+v", again.Answer, again.Citations)
	}
}

// What a customer asks a person directly teaches too, for somebody to look at, even
// where lessons are approved at once; a question back teaches nothing.
func TestWhatAPersonIsAskedTeaches(t *testing.T) {
	s := open(t)
	settings, err := s.client.Document(s.ctx, "settings", "brackwater")
	s.must(err)
	_, err = s.client.PutDocument(s.ctx, "settings", "brackwater", settings.Text+"\nlessons: at once\n", 0)
	s.must(err)
	const kim = "+447700900166"
	s.texts(kim, "1", "Can I talk to a person please?", 1)
	c := s.conversation(kim)
	_, err = s.client.Take(s.ctx, c.ID, false)
	s.must(err)
	s.texts(kim, "2", "Are dogs allowed? And do you hire out wetsuits for children?", 1)
	proposed := func() []client.Lesson {
		lessons, err := s.client.Lessons(s.ctx, "proposed")
		s.must(err)
		return lessons.Items
	}
	_, err = s.client.Reply(s.ctx, c.ID, "Hi Kim! For which day?", "a")
	s.must(err)
	if got := proposed(); len(got) != 0 {
		t.Errorf("a question back taught %+v", got)
	}
	s.texts(kim, "3", "For Friday. Do you hire out wetsuits for children?", 2)
	_, err = s.client.Reply(s.ctx, c.ID, "Wetsuits for children are hired out at the sail loft for £8 a day.", "b")
	s.must(err)
	if got := proposed(); len(got) != 1 || got[0].Question != "Do you hire out wetsuits for children?" || !strings.Contains(got[0].Answer, "£8 a day") {
		t.Errorf("the lessons are %+v", got)
	}
}

// encoded waits until the first passage for a question is known by its meaning.
func (s *stage) encoded(question string) {
	s.t.Helper()
	s.eventually("what answers "+question+" is known by its meaning", func() bool {
		found, err := s.client.Search(s.ctx, question, "front-desk")
		s.must(err)
		return len(found.Items) > 0 && found.Items[0].Sure > 0 // by the checker too
	})
}

// Alike questions make one gap; its answer goes to all who wait, and only there.
func TestAGapIsAnsweredForAllWhoWait(t *testing.T) {
	s := open(t)
	const ada, ben, kim = "+447700900163", "+447700900164", "+447700900165"
	s.texts(ada, "1", "Do you sail on Christmas Day?", 1)
	s.texts(ben, "2", "do you sail on christmas day", 1)
	s.texts(kim, "3", "Are there boats on Christmas Day?", 1)
	_, err := s.client.Take(s.ctx, s.conversation(kim).ID, false) // a person answers this one
	s.must(err)
	gaps, err := s.client.Gaps(s.ctx)
	s.must(err)
	if len(gaps.Items) != 1 || gaps.Items[0].Times != 3 {
		t.Fatalf("the gaps are %+v", gaps.Items)
	}
	done, err := s.client.AnswerGap(s.ctx, gaps.Items[0].ID, client.GapAnswer{Answer: "no boats on 25 December", Send: true})
	s.must(err)
	if done.Sent != 2 || done.HouseAnswer.Answer != "No boats on 25 December." {
		t.Errorf("it was sent to %d: %q", done.Sent, done.HouseAnswer.Answer)
	}
	for _, phone := range []string{ada, ben} {
		contains(t, s.replies(phone, 2)[1].Text, "No boats on 25 December.")
		if c := s.conversation(phone); c.Lead != "bot" {
			t.Errorf("%s is led by %s", phone, c.Lead)
		}
	}
	if got := s.replies(kim, 1); len(got) != 1 {
		t.Errorf("who is led by a person reads %+v", got)
	}
	s.encoded("boats on christmas day")
	contains(t, s.texts("+447700900166", "4", "do you run boats at christmas day?", 1)[0].Text, "25 December")
}

// A person gives the bare fact; the bot words it and sends it. What differs from
// what is known waits for a person even where lessons are taken at once.
func TestABareFactIsWordedAndKept(t *testing.T) {
	s := open(t)
	settings, err := s.client.Document(s.ctx, "settings", "brackwater")
	s.must(err)
	_, err = s.client.PutDocument(s.ctx, "settings", "brackwater", settings.Text+"\nlessons: at once\n", 0)
	s.must(err)
	const ada, ben = "+447700900167", "+447700900168"
	s.texts(ada, "1", "Is there a cash machine at the pier?", 1)
	id := s.conversation(ada).ID
	_, err = s.client.Take(s.ctx, id, false)
	s.must(err)
	m, err := s.client.ReplyWithFact(s.ctx, id, "one in the station, 5 minutes away", "")
	s.must(err)
	if m.Text != "One in the station, 5 minutes away." {
		t.Errorf("it was worded %q", m.Text)
	}
	contains(t, s.texts(ben, "2", "is there a cash machine at the pier", 1)[0].Text, "in the station")

	// Somebody else says something else.
	house, err := s.client.HouseAnswers(s.ctx)
	s.must(err)
	if len(house.Items) != 1 || house.Items[0].Author != "Robin" {
		t.Fatalf("the house answers are %+v", house.Items)
	}
	if err := s.client.RemoveHouseAnswer(s.ctx, house.Items[0].ID); err != nil {
		t.Fatal(err)
	}
	const kim = "+447700900169"
	s.texts(kim, "3", "Where is the nearest cash machine to the pier?", 1)
	_, err = s.client.AddHouseAnswer(s.ctx, client.HouseAnswerText{Question: "Where is the nearest cash machine to the pier?", Answer: "In the station, 5 minutes away."})
	s.must(err)
	id = s.conversation(kim).ID
	_, err = s.client.Take(s.ctx, id, false)
	s.must(err)
	_, err = s.client.Reply(s.ctx, id, "There is none nearer than 12 minutes, in Quay Street.", "")
	s.must(err)
	lessons, err := s.client.Lessons(s.ctx, "proposed")
	s.must(err)
	if len(lessons.Items) != 1 || lessons.Items[0].Beside == nil || lessons.Items[0].Beside.Relation != "differs" {
		t.Fatalf("the lessons are %+v", lessons.Items)
	}
}

// A house answer goes before what the sources say, while it holds.
func TestAHouseAnswerHoldsForItsTime(t *testing.T) {
	s := open(t)
	now := s.Workspaces["brackwater"].Clock.Now()
	soon, past := now.Add(1), now.Add(-1)
	for _, h := range []client.HouseAnswerText{
		{Question: "Can I take my bike on the boat?", Answer: "Not today: the ramp is broken.", ValidUntil: &past},
		{Question: "Is there food on board?", Answer: "Not this week: the tea counter is being mended.", ValidFrom: &past},
	} {
		_, err := s.client.AddHouseAnswer(s.ctx, h)
		s.must(err)
	}
	v := s.visitor()
	contains(t, s.asks(v, "can i take my bike on the boat?"), "£2.50")
	contains(t, s.asks(v, "is there food on board?"), "being mended")
	if _, err := s.client.AddHouseAnswer(s.ctx, client.HouseAnswerText{Question: "x", Answer: "y", ValidFrom: &soon, ValidUntil: &past}); err == nil {
		t.Error("an answer that never holds was kept")
	}
}

// The same from the command line, by somebody who scripts it.
func TestTheCommandLineTeaches(t *testing.T) {
	s := open(t)
	const ada = "+447700900172"
	s.texts(ada, "1", "Do you give lessons about seabirds?", 1)
	gaps, err := s.client.Gaps(s.ctx)
	s.must(err)
	out, _, _ := s.parrot("", "knowledge", "gaps")
	contains(t, out, "Do you give lessons about seabirds?", "1 time")
	out, _, _ = s.parrot("", "knowledge", "gaps", "-send", "answer", gaps.Items[0].ID, "yes, at the sail loft")
	contains(t, out, "Yes, at the sail loft.", "Sent to 1 customer.")
	contains(t, s.replies(ada, 2)[1].Text, "sail loft")
	out, _, _ = s.parrot("", "knowledge", "house", "add", "Do you sail at Easter?", "Yes, as on Sundays.")
	contains(t, out, "Kept: Do you sail at Easter?")
	out, _, _ = s.parrot("", "knowledge", "house")
	contains(t, out, "Do you give lessons about seabirds?", "Yes, as on Sundays.", "Robin")
	out, _, _ = s.parrot("", "knowledge", "lessons")
	contains(t, out, "No lesson waits")
	s.settled("website")
	out, _, _ = s.parrot("", "knowledge", "sync", "website")
	contains(t, out, "website  ready")
	out, _, _ = s.parrot("", "knowledge", "list")
	contains(t, out, "lost-property.txt", "in 24 h")
	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"knowledge", "gaps", "drop", "nope"}, 5, "nothing of that name"},
		{[]string{"knowledge", "lessons", "approve", "nope"}, 5, "nothing of that name"},
		{[]string{"knowledge", "house", "add", "only a question"}, 2, "house [list"},
		{[]string{"knowledge", "sync", "fares.md"}, 1, "upload it again"},
		{[]string{"knowledge", "add", "ftp://example.org/"}, 1, "ftp:"},
		{[]string{"knowledge", "quiz", "-data", t.TempDir(), "nope.jsonl"}, 1, "nope.jsonl"},
	} {
		if _, errs, code := s.parrot("", c.args...); code != c.code || !strings.Contains(errs, c.says) {
			t.Errorf("%v: exit %d, %q; want %d, %q", c.args, code, errs, c.code, c.says)
		}
	}
}

// What the bot offers is a gap until the customer says that it was meant; what customers
// say to offers is kept as examples, shown, written as a quiz, and removed.
func TestWhatCustomersSayToOffersIsKept(t *testing.T) {
	s := open(t)
	const question = "gran is in a wheelchair, will someone help her get on?"
	s.encoded(question)
	const ada, ben = "+447700900181", "+447700900182"
	offered := s.texts(ada, "1", question, 1)[0].Text
	contains(t, offered, "not sure that this is what you mean", "a deck hand meets you", "tell me, and I ask the crew")
	gaps, err := s.client.Gaps(s.ctx)
	s.must(err)
	if len(gaps.Items) != 1 || len(gaps.Items[0].Waiting) != 1 {
		t.Fatalf("while it is not settled the gaps are %+v", gaps.Items)
	}
	contains(t, s.texts(ada, "2", "yes, that's it", 2)[1].Text, "anything else")
	if gaps, err = s.client.Gaps(s.ctx); err != nil || len(gaps.Items) != 0 {
		t.Errorf("settled, the gaps are %+v, %v", gaps.Items, err)
	}
	s.texts(ben, "3", question, 1)
	contains(t, s.texts(ben, "4", "no", 2)[1].Text, "asked the crew")
	if c := s.conversation(ben); c.Lead != "waiting" || c.Reason != "not known" {
		t.Errorf("refused, it is led by %s because of %q", c.Lead, c.Reason)
	}
	if gaps, err = s.client.Gaps(s.ctx); err != nil || len(gaps.Items) != 1 || gaps.Items[0].Times != 1 {
		t.Errorf("refused, the gaps are %+v, %v", gaps.Items, err)
	}
	examples, err := s.client.Examples(s.ctx)
	s.must(err)
	if len(examples.Items) != 2 || !examples.Items[1].Answers || examples.Items[1].How != "yes" || examples.Items[0].Answers || examples.Items[0].How != "no" || examples.Items[0].Question != question {
		t.Fatalf("the examples are %+v", examples.Items)
	}
	out, _, _ := s.parrot("", "knowledge", "examples")
	contains(t, out, "yes", "assistance.md")
	quiz, _, _ := s.parrot("", "knowledge", "examples", "export")
	if strings.Count(quiz, "\n") != 1 {
		t.Errorf("the quiz is %q", quiz)
	}
	out, errs, code := s.parrot(quiz, "knowledge", "quiz", "-")
	if code != 0 {
		t.Errorf("the quiz that was written cannot be put: %s%s", out, errs)
	}
	tried, _, _ := s.parrot("", "knowledge", "examples", "try")
	contains(t, tried, "Settled by customers: 1 question", "as delivered", "30 questions are needed")
	if _, errs, code := s.parrot("", "knowledge", "examples", "fit"); code == 0 || !strings.Contains(errs, "30 are needed") {
		t.Errorf("confidence was fitted on one question: %s", errs)
	}
	if _, errs, code := s.parrot("", "knowledge", "examples", "put-back"); code == 0 || !strings.Contains(errs, "no fit is in use") {
		t.Errorf("what is not in use was put back: %s", errs)
	}
	words, _, _ := s.parrot("", "knowledge", "words", "refund")
	contains(t, words, "customers say: ", "money", "customers_say in the settings")
	s.must(s.client.DropExample(s.ctx, examples.Items[0].ID))
	if err := s.client.DropExample(s.ctx, examples.Items[0].ID); err == nil {
		t.Error("an example was removed twice")
	}
	if examples, err = s.client.Examples(s.ctx); err != nil || len(examples.Items) != 1 {
		t.Errorf("after one was removed: %+v, %v", examples.Items, err)
	}
}
