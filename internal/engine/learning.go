package engine

import (
	"context"
	"errors"
	"slices"
	"strings"
	"sync"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/learn"
	"urgentparrot.example/internal/store"
)

// alike is how like, by words or by meaning, two questions must be to be the same
// gap or the same house answer.
const alike = 0.75

// gaps remembers the open gaps, so that a question finds its own.
type gaps struct {
	mu   sync.Mutex
	open map[string]string // id → question
}

func (w *Workspace) loadGaps(ctx context.Context) error {
	const most = 5_000
	list, err := w.store.Gaps(ctx, most)
	if err != nil {
		return err
	}
	w.gaps.mu.Lock()
	defer w.gaps.mu.Unlock()
	w.gaps.open = map[string]string{}
	for _, g := range list {
		w.gaps.open[g.ID] = g.Question
	}
	return nil
}

// gapFor returns the gap that a question belongs to: the open one that is most
// like it, or a new one.
func (w *Workspace) gapFor(asked string) store.GapQuestion {
	f := w.Finder(bot.Brief{})
	question := learn.Question(asked, learn.Customer{})
	if question == "" {
		question = asked
	}
	w.gaps.mu.Lock()
	defer w.gaps.mu.Unlock()
	best, likest := "", alike
	for id, other := range w.gaps.open {
		if like := f.Like(question, []string{other}); like >= likest {
			best, likest = id, like
		}
	}
	if best == "" {
		best = store.NewID()
		w.gaps.open[best] = question
	}
	return store.GapQuestion{GapID: best, Question: question, Wording: asked}
}

func (w *Workspace) closeGap(id string) {
	w.gaps.mu.Lock()
	defer w.gaps.mu.Unlock()
	delete(w.gaps.open, id)
}

// PutHouseAnswer keeps a house answer; from then on it is found. With ifVersion
// above 0 the kept one must have that version, else the error is
// store.ErrConflict.
func (w *Workspace) PutHouseAnswer(ctx context.Context, h store.HouseAnswer, ifVersion int) (store.HouseAnswer, error) {
	if h.ID == "" {
		h.ID = store.NewID()
	}
	w.editing.Lock()
	defer w.editing.Unlock()
	if err := w.write(ctx, func(tx *store.Tx) error {
		_, err := tx.PutHouseAnswer(h, ifVersion, w.options.Now())
		return err
	}); err != nil {
		return h, err
	}
	w.indexHouseAnswer(h)
	return w.store.HouseAnswer(ctx, h.ID)
}

// indexHouseAnswer makes a house answer findable; its meaning joins behind the
// scenes.
func (w *Workspace) indexHouseAnswer(h store.HouseAnswer) {
	w.index.Store(w.index.Load().Change(func(p *knowledge.Passage) bool { return p.ID == h.ID }, []knowledge.Passage{{
		ID: h.ID, SourceID: store.HouseSource, Source: store.HouseTitle, Question: h.Question, Text: h.Answer, ReadAt: w.options.Now(), From: h.From, Until: h.Until,
	}}))
	w.encoding.wake()
}

// RemoveHouseAnswer removes a house answer.
func (w *Workspace) RemoveHouseAnswer(ctx context.Context, id string) error {
	w.editing.Lock()
	defer w.editing.Unlock()
	if err := w.write(ctx, func(tx *store.Tx) error { return tx.RemoveHouseAnswer(id, w.options.Now()) }); err != nil {
		return err
	}
	w.index.Store(w.index.Load().Change(func(p *knowledge.Passage) bool { return p.ID == id }, nil))
	return nil
}

// DropGap sets a gap aside: nobody is going to answer it.
func (w *Workspace) DropGap(ctx context.Context, id, person string) error {
	if err := w.write(ctx, func(tx *store.Tx) error { return tx.CloseGap(id, person, w.options.Now()) }); err != nil {
		return err
	}
	w.closeGap(id)
	return nil
}

// AnswerGap makes a house answer for a gap, and closes it. With send, those who
// still wait are sent the answer; it returns how many.
func (w *Workspace) AnswerGap(ctx context.Context, id, question, words, person string, send bool) (h store.HouseAnswer, sent int, err error) {
	gap, err := w.store.Gap(ctx, id)
	if err != nil {
		return h, 0, err
	}
	if question == "" {
		question = gap.Question
	}
	h = store.HouseAnswer{ID: store.NewID(), Question: question, Answer: learn.Worded(words), Author: person}
	w.editing.Lock()
	err = w.write(ctx, func(tx *store.Tx) error {
		if _, err := tx.PutHouseAnswer(h, 0, w.options.Now()); err != nil {
			return err
		}
		return tx.CloseGap(id, h.ID, w.options.Now())
	})
	if err == nil {
		w.indexHouseAnswer(h)
	}
	w.editing.Unlock()
	if err != nil {
		return h, 0, err
	}
	w.closeGap(id)
	if send {
		for _, conversation := range gap.Waiting {
			done, err := w.answerWaiting(ctx, conversation, person, h.Answer)
			if err != nil {
				return h, sent, err
			}
			if done {
				sent++
			}
		}
	}
	h, err = w.store.HouseAnswer(ctx, h.ID)
	return h, sent, err
}

// answerWaiting sends an answer to a customer who waits for a person, and hands
// the conversation back to its bot. Where a person has taken it, it is theirs.
func (w *Workspace) answerWaiting(ctx context.Context, id, person, words string) (bool, error) {
	c, err := w.store.Conversation(ctx, id)
	if err != nil {
		return false, err
	}
	send := w.personSends(c, words)
	done := false
	if err := w.write(ctx, func(tx *store.Tx) (err error) {
		done, err = tx.AnswerWaiting(id, person, words, send, w.options.Now())
		return err
	}); err != nil || !done {
		return false, err
	}
	if send != nil {
		w.outbox.add(*send)
	}
	w.hub.signal(visitorTopic(c.Channel, c.Address))
	return true, nil
}

// personSends returns the effect that carries a person's words, nil where the
// channel fetches them.
func (w *Workspace) personSends(c store.Conversation, words string) *store.Effect {
	if ch := w.config.Load().channels[c.Channel]; ch != nil && ch.fetches() {
		return nil
	}
	e := w.effect(store.Send, "send/"+c.ID, c.ID, "", sendBody{c.Channel, channel.Outgoing{Address: c.Address, Text: words}})
	e.ByBot = false
	return &e
}

// learnFrom proposes a lesson from what a person replied to what the bot had not
// known, or was not asked. What goes wrong is logged: the reply has been sent.
func (w *Workspace) learnFrom(ctx context.Context, c store.Conversation, m store.Message) {
	l, ok, err := w.lessonOf(ctx, c, m)
	if err == nil && ok {
		err = w.propose(ctx, l)
	}
	if err != nil {
		w.log.Error("no lesson could be made of a reply", "conversation", c.ID, "error", err)
	}
}

func (w *Workspace) lessonOf(ctx context.Context, c store.Conversation, m store.Message) (l store.Lesson, ok bool, err error) {
	gap, err := w.store.GapOf(ctx, c.ID)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return l, false, err
	}
	_, known, err := w.store.ConversationWithFacts(ctx, c.ID)
	if err != nil {
		return l, false, err
	}
	if name := known["name"]; name != "" {
		known["first_name"] = strings.Fields(name)[0]
	}
	messages, err := w.store.Heard(ctx, c.ID, heard)
	if err != nil {
		return l, false, err
	}
	var said []string
	for _, heard := range messages {
		if heard.Author == store.ByCustomer {
			said = append(said, heard.Text)
		}
	}
	customer := learn.Customer{Details: known, Region: w.config.Load().settings.Region, Said: strings.Join(said, "\n")}
	if gap.ID == "" {
		gap.Question = w.askedOfPerson(messages, m)
	}
	question := learn.Question(gap.Question, customer)
	l = store.Lesson{
		ID: store.NewID(), ConversationID: c.ID, MessageID: m.ID, GapID: gap.ID,
		Question: question, Answer: learn.Answer(m.Text, customer), Author: m.Name,
	}
	return l, l.Question != "" && l.Answer != "", nil
}

// askedOfPerson returns the one question that a customer asked since a person last
// spoke, if nothing known answers it: then what the person replies does. "" if
// there is none, or more than one, or if the reply asks back.
func (w *Workspace) askedOfPerson(messages []store.Message, reply store.Message) string {
	if strings.HasSuffix(strings.TrimSpace(reply.Text), "?") {
		return ""
	}
	f := w.Finder(bot.Brief{})
	var open []string
	for _, m := range slices.Backward(messages) {
		if m.ID == reply.ID {
			continue
		}
		if m.Author == store.ByPerson {
			break
		}
		if m.Author != store.ByCustomer {
			continue
		}
		for _, part := range answer.Split(m.Text) {
			if part.Kind != answer.Question || dialogue.WantsPerson(part.Text) || !f.Asks(part.Text) {
				continue
			}
			if found := f.Find(part.Text, ""); len(found.Candidates) == 0 || found.Candidates[0].Confidence < bot.DefaultThreshold {
				open = append(open, part.Text)
			}
		}
	}
	if len(open) != 1 {
		return ""
	}
	return open[0]
}

// propose keeps a lesson with what the knowledge says already; where the
// workspace says so it is approved at once, unless a person must look at it.
func (w *Workspace) propose(ctx context.Context, l store.Lesson) error {
	l.Beside = w.beside(l.Question, l.Answer)
	fresh := false
	if err := w.write(ctx, func(tx *store.Tx) (err error) {
		fresh, err = tx.AddLesson(l, w.options.Now())
		return err
	}); err != nil || !fresh {
		return err
	}
	// Of what is no gap it is only guessed that the reply answers it.
	if w.config.Load().settings.Lessons == "at once" && l.GapID != "" && l.Beside.Relation != string(learn.Differs) {
		_, err := w.ApproveLesson(ctx, l.ID, "", "", "the workspace's setting")
		return err
	}
	return nil
}

// beside looks for what the knowledge says already to a question.
func (w *Workspace) beside(question, words string) (b store.Beside) {
	f := w.Finder(bot.Brief{})
	for _, c := range f.Find(question, "").Candidates {
		same := c.Confidence >= bot.DefaultThreshold
		if c.SourceID == store.HouseSource {
			same = same || f.Like(question, []string{c.Question}) >= alike
		}
		if !same {
			continue
		}
		relation := learn.Compare(c.Text[c.Quote.Start:c.Quote.End], words)
		if c.SourceID != store.HouseSource && relation != learn.Differs {
			continue // a passage that says more is no reason to stop
		}
		b = store.Beside{Relation: string(relation), Source: c.Source, Text: c.Text[c.Quote.Start:c.Quote.End]}
		if c.SourceID == store.HouseSource {
			b.HouseID = c.ID
		}
		return b
	}
	return b
}

// ApproveLesson makes a lesson a house answer, with other words if any are given.
// It is joined with the house answer that it completes; what it fills is closed.
func (w *Workspace) ApproveLesson(ctx context.Context, id, question, words, person string) (store.HouseAnswer, error) {
	l, err := w.store.Lesson(ctx, id)
	if err != nil {
		return store.HouseAnswer{}, err
	}
	h := store.HouseAnswer{ID: store.NewID(), Question: l.Question, Answer: l.Answer, Author: l.Author}
	if question != "" {
		h.Question = question
	}
	if words != "" {
		h.Answer = learn.Worded(words)
	}
	if beside := l.Beside; beside.HouseID != "" && words == "" && beside.Relation != string(learn.Differs) {
		if other, err := w.store.HouseAnswer(ctx, beside.HouseID); err == nil {
			other.Answer, other.Author = learn.Join(other.Answer, h.Answer), h.Author
			h = other
		}
	}
	w.editing.Lock()
	defer w.editing.Unlock()
	if err := w.write(ctx, func(tx *store.Tx) error {
		if err := tx.DecideLesson(id, "approved", person, h.ID, w.options.Now()); err != nil {
			return err
		}
		if _, err := tx.PutHouseAnswer(h, 0, w.options.Now()); err != nil {
			return err
		}
		if l.GapID == "" {
			return nil
		}
		return tx.CloseGap(l.GapID, h.ID, w.options.Now())
	}); err != nil {
		return h, err
	}
	if l.GapID != "" {
		w.closeGap(l.GapID)
	}
	w.indexHouseAnswer(h)
	return w.store.HouseAnswer(ctx, h.ID)
}

// RejectLesson puts a lesson aside.
func (w *Workspace) RejectLesson(ctx context.Context, id, person string) error {
	return w.write(ctx, func(tx *store.Tx) error { return tx.DecideLesson(id, "rejected", person, "", w.options.Now()) })
}

// ReplyWithFact words a bare fact that a person gives, sends it to the customer as
// that person's reply, and proposes the lesson. Whoever replies must have taken
// the conversation.
func (w *Workspace) ReplyWithFact(ctx context.Context, id, person, fact, key string) (store.Message, error) {
	return w.Reply(ctx, id, person, learn.Worded(fact), key)
}

// Candidates are passages weighed for a question, for people who look at the
// knowledge.
func (w *Workspace) Candidates(question, botName string) (answer.Found, float64, error) {
	f, threshold, err := w.BotFinder(botName)
	if err != nil {
		return answer.Found{}, 0, err
	}
	return f.Find(question, ""), threshold, nil
}
