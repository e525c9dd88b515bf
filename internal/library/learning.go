package library

import (
	"context"
	"errors"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/learn"
	"urgentparrot.example/internal/store"
)

// PutHouseAnswer keeps a house answer; from then on it is found. With ifVersion
// above 0 the kept one must have that version, else the error is
// store.ErrConflict.
func (l *Library) PutHouseAnswer(ctx context.Context, h store.HouseAnswer, ifVersion int) (store.HouseAnswer, error) {
	if h.ID == "" {
		h.ID = store.NewID()
	}
	l.Editing.Lock()
	defer l.Editing.Unlock()
	if err := l.write(ctx, func(tx *store.Tx) error {
		_, err := tx.PutHouseAnswer(h, ifVersion, l.Clock.Now())
		return err
	}); err != nil {
		return h, err
	}
	l.indexHouseAnswer(h)
	return l.Store.HouseAnswer(ctx, h.ID)
}

// indexHouseAnswer makes a house answer findable; its meaning joins behind the
// scenes.
func (l *Library) indexHouseAnswer(h store.HouseAnswer) {
	l.index.Store(l.index.Load().Change(func(p *knowledge.Passage) bool { return p.ID == h.ID }, []knowledge.Passage{{
		ID: h.ID, SourceID: store.HouseSource, Source: store.HouseTitle, Question: h.Question, Text: h.Answer, ReadAt: l.Clock.Now(), From: h.From, Until: h.Until, Only: h.Bot,
	}}))
	l.encoding.wake()
}

// RemoveHouseAnswer removes a house answer.
func (l *Library) RemoveHouseAnswer(ctx context.Context, id string) error {
	l.Editing.Lock()
	defer l.Editing.Unlock()
	if err := l.write(ctx, func(tx *store.Tx) error { return tx.RemoveHouseAnswer(id, l.Clock.Now()) }); err != nil {
		return err
	}
	l.index.Store(l.index.Load().Change(func(p *knowledge.Passage) bool { return p.ID == id }, nil))
	return nil
}

// DropExample removes what a customer said to an offer.
func (l *Library) DropExample(ctx context.Context, id string) error {
	return l.write(ctx, func(tx *store.Tx) error { return tx.DropExample(id, l.Clock.Now()) })
}

// DropGap sets a gap aside: nobody is going to answer it.
func (l *Library) DropGap(ctx context.Context, id, person string) error {
	if err := l.write(ctx, func(tx *store.Tx) error { return tx.CloseGap(id, person, l.Clock.Now()) }); err != nil {
		return err
	}
	l.closeGap(id)
	return nil
}

// AnswerGap makes a house answer for a gap, and closes it. It returns the
// conversations that still wait for the answer.
func (l *Library) AnswerGap(ctx context.Context, id, question, words, person string) (h store.HouseAnswer, waiting []string, err error) {
	gap, err := l.Store.Gap(ctx, id)
	if err != nil {
		return h, nil, err
	}
	if question == "" {
		question = gap.Question
	}
	h = store.HouseAnswer{ID: store.NewID(), Question: question, Answer: learn.Worded(words), Author: person}
	l.Editing.Lock()
	defer l.Editing.Unlock()
	if err := l.write(ctx, func(tx *store.Tx) error {
		if _, err := tx.PutHouseAnswer(h, 0, l.Clock.Now()); err != nil {
			return err
		}
		return tx.CloseGap(id, h.ID, l.Clock.Now())
	}); err != nil {
		return h, nil, err
	}
	l.indexHouseAnswer(h)
	l.closeGap(id)
	h, err = l.Store.HouseAnswer(ctx, h.ID)
	return h, gap.Waiting, err
}

// mostHeard is how many of the latest messages a lesson is made from.
const mostHeard = 60

// LearnFrom proposes a lesson from what a person replied to what the bot had not
// known, or was not asked. What goes wrong is logged: the reply has been sent.
func (l *Library) LearnFrom(ctx context.Context, conversation string, reply store.Message) {
	lesson, ok, err := l.lessonOf(ctx, conversation, reply)
	if err == nil && ok {
		err = l.propose(ctx, lesson)
	}
	if err != nil {
		l.Log.Error("no lesson could be made of a reply", "conversation", conversation, "error", err)
	}
}

func (l *Library) lessonOf(ctx context.Context, conversation string, reply store.Message) (lesson store.Lesson, ok bool, err error) {
	gap, err := l.Store.GapOf(ctx, conversation)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return lesson, false, err
	}
	_, memory, err := l.Store.ConversationWithMemory(ctx, conversation)
	if err != nil {
		return lesson, false, err
	}
	messages, err := l.Store.Heard(ctx, conversation, mostHeard)
	if err != nil {
		return lesson, false, err
	}
	var said []string
	for _, m := range messages {
		if m.Author == store.ByCustomer {
			said = append(said, m.Text)
		}
	}
	settings := l.Settings()
	customer := learn.Customer{Fields: settings.Fields, Memory: memory, Region: settings.Region, Said: strings.Join(said, "\n")}
	if gap.ID == "" {
		gap.Question = l.askedOfPerson(ctx, messages, reply)
	}
	lesson = store.Lesson{
		ID: store.NewID(), ConversationID: conversation, MessageID: reply.ID, GapID: gap.ID,
		Question: learn.Question(gap.Question, customer), Answer: learn.Answer(reply.Text, customer), Author: reply.Name,
	}
	return lesson, lesson.Question != "" && lesson.Answer != "", nil
}

// A Taught is a message that a person wants knowledge to be made of.
type Taught struct {
	Question, Answer string // as they were written
	Bot              string // whose it becomes; "": all bots'
	Author           string
	Conversation     string // that it belongs to; "": none
	Message          string // the id of the answer, so that it is taken once
	Who              []contact.Fact
}

// LearnFromText proposes a lesson from what a person chose, without the names and addresses of
// those who wrote it. It reports false where nothing is left that could be learnt.
func (l *Library) LearnFromText(ctx context.Context, t Taught) (bool, error) {
	memory := contact.Memory{}
	if t.Conversation != "" {
		var err error
		if _, memory, err = l.Store.ConversationWithMemory(ctx, t.Conversation); err != nil {
			return false, err
		}
	}
	for _, fact := range t.Who {
		memory = memory.With(fact)
	}
	settings := l.Settings()
	customer := learn.Customer{Fields: settings.Fields, Memory: memory, Region: settings.Region, Said: t.Question}
	lesson := store.Lesson{
		ID: store.NewID(), ConversationID: t.Conversation, MessageID: t.Message, Author: t.Author, Bot: t.Bot,
		Question: learn.Question(t.Question, customer), Answer: learn.Answer(t.Answer, customer),
	}
	if lesson.Question == "" || lesson.Answer == "" {
		return false, nil
	}
	return true, l.propose(ctx, lesson)
}

// askedOfPerson returns the one question that a customer asked since a person last
// spoke, if nothing known answers it: then what the person replies does. "" if
// there is none, or more than one, or if the reply asks back.
func (l *Library) askedOfPerson(ctx context.Context, messages []store.Message, reply store.Message) string {
	if strings.HasSuffix(strings.TrimSpace(reply.Text), "?") {
		return ""
	}
	var parts []answer.Part
	for _, m := range slices.Backward(messages) {
		if m.ID == reply.ID {
			continue
		}
		if m.Author == store.ByPerson {
			break
		}
		if m.Author == store.ByCustomer {
			parts = append(parts, answer.Split(m.Text)...)
		}
	}
	var open []string
	l.With(ctx, bot.Brief{}, func(f answer.Finder) {
		open = nil
		for _, part := range parts {
			if part.Kind == answer.Question && !dialogue.WantsPerson(part.Text) && f.Asks(part.Text) &&
				f.Reply(ctx, part, "", answer.Bars{Answer: bot.DefaultThreshold, Offer: 1}, 0).Words == "" {
				open = append(open, part.Text)
			}
		}
	})
	if len(open) != 1 {
		return ""
	}
	return open[0]
}

// mostProposed is among how many lessons that wait one like it is looked for.
const mostProposed = 500

// Propose proposes a house answer that a bot found: what a customer said was meant by their
// question. A person decides on it, whatever the workspace's setting.
func (l *Library) Propose(ctx context.Context, conversation, message, question, words, author string) error {
	lesson := store.Lesson{ID: store.NewID(), ConversationID: conversation, MessageID: message, Author: author, Answer: words}
	_, memory, err := l.Store.ConversationWithMemory(ctx, conversation)
	if err != nil {
		return err
	}
	settings := l.Settings()
	lesson.Question = learn.Question(question, learn.Customer{Fields: settings.Fields, Memory: memory, Region: settings.Region, Said: question})
	if lesson.Question == "" || lesson.Answer == "" {
		return nil
	}
	waiting, err := l.Store.Lessons(ctx, "proposed", mostProposed)
	if err != nil {
		return err
	}
	for _, w := range waiting {
		if strings.EqualFold(w.Question, lesson.Question) && w.Answer == lesson.Answer {
			return nil
		}
	}
	return l.propose(ctx, lesson)
}

// propose keeps a lesson with what the knowledge says already; where the
// workspace says so it is approved at once, unless a person must look at it.
func (l *Library) propose(ctx context.Context, lesson store.Lesson) error {
	lesson.Beside = l.beside(ctx, lesson.Bot, lesson.Question, lesson.Answer)
	fresh := false
	if err := l.write(ctx, func(tx *store.Tx) (err error) {
		fresh, err = tx.AddLesson(lesson, l.Clock.Now())
		return err
	}); err != nil || !fresh {
		return err
	}
	// Of what is no gap it is only guessed that the reply answers it.
	if l.Settings().Lessons == "at once" && lesson.GapID != "" && lesson.Beside.Relation != string(learn.Differs) {
		_, err := l.ApproveLesson(ctx, lesson.ID, "", "", "the workspace's setting")
		return err
	}
	return nil
}

// beside looks for what the knowledge says already to a question.
func (l *Library) beside(ctx context.Context, of, question, words string) (b store.Beside) {
	l.With(ctx, bot.Brief{Name: of}, func(f answer.Finder) { b = besideIn(ctx, f, question, words) })
	return b
}

func besideIn(ctx context.Context, f answer.Finder, question, words string) store.Beside {
	for _, c := range f.Find(ctx, answer.Part{Text: question, Kind: answer.Question}, "").Candidates {
		same := c.Confidence >= bot.DefaultThreshold
		if c.SourceID == store.HouseSource {
			same = same || f.Like(ctx, question, []string{c.Question}) >= alike
		}
		if !same {
			continue
		}
		quoted := c.Quoted()
		relation := learn.Compare(quoted, words)
		if c.SourceID != store.HouseSource && relation != learn.Differs {
			continue // a passage that says more is no reason to stop
		}
		b := store.Beside{Relation: string(relation), Source: c.Source, Text: quoted}
		if c.SourceID == store.HouseSource {
			b.HouseID = c.ID
		}
		return b
	}
	return store.Beside{}
}

// ApproveLesson makes a lesson a house answer, with other words if any are given.
// It is joined with the house answer that it completes; what it fills is closed.
func (l *Library) ApproveLesson(ctx context.Context, id, question, words, person string) (store.HouseAnswer, error) {
	lesson, err := l.Store.Lesson(ctx, id)
	if err != nil {
		return store.HouseAnswer{}, err
	}
	h := store.HouseAnswer{ID: store.NewID(), Question: lesson.Question, Answer: lesson.Answer, Author: lesson.Author, Bot: lesson.Bot}
	if question != "" {
		h.Question = question
	}
	if words != "" {
		h.Answer = learn.Worded(words)
	}
	if beside := lesson.Beside; beside.HouseID != "" && words == "" && beside.Relation != string(learn.Differs) {
		if other, err := l.Store.HouseAnswer(ctx, beside.HouseID); err == nil {
			other.Answer, other.Author = learn.Join(other.Answer, h.Answer), h.Author
			h = other
		}
	}
	l.Editing.Lock()
	defer l.Editing.Unlock()
	if err := l.write(ctx, func(tx *store.Tx) error {
		if err := tx.DecideLesson(id, "approved", person, h.ID, l.Clock.Now()); err != nil {
			return err
		}
		if _, err := tx.PutHouseAnswer(h, 0, l.Clock.Now()); err != nil {
			return err
		}
		if lesson.GapID == "" {
			return nil
		}
		return tx.CloseGap(lesson.GapID, h.ID, l.Clock.Now())
	}); err != nil {
		return h, err
	}
	if lesson.GapID != "" {
		l.closeGap(lesson.GapID)
	}
	l.indexHouseAnswer(h)
	return l.Store.HouseAnswer(ctx, h.ID)
}

// RejectLesson puts a lesson aside.
func (l *Library) RejectLesson(ctx context.Context, id, person string) error {
	return l.write(ctx, func(tx *store.Tx) error { return tx.DecideLesson(id, "rejected", person, "", l.Clock.Now()) })
}
