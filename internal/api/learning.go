package api

import (
	"errors"
	"fmt"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/library"
	"urgentparrot.example/internal/problem"
	"urgentparrot.example/internal/store"
)

func houseAnswer(h store.HouseAnswer) client.HouseAnswer {
	return client.HouseAnswer{
		ID: h.ID, Question: h.Question, Answer: h.Answer, Author: h.Author, Version: h.Version, UpdatedAt: h.UpdatedAt,
		ReviewAt: maybe(h.ReviewAt), ValidFrom: maybe(h.From), ValidUntil: maybe(h.Until), Bot: h.Bot,
	}
}

func listHouseAnswers(q *request) (client.HouseAnswerPage, error) {
	list, err := q.workspace.Store().HouseAnswers(q.Request.Context())
	page := client.HouseAnswerPage{Items: make([]client.HouseAnswer, len(list))}
	for i, h := range list {
		page.Items[i] = houseAnswer(h)
	}
	return page, err
}

func addHouseAnswer(q *request, in client.HouseAnswerText) (client.HouseAnswer, error) {
	return q.keepHouseAnswer("", 0, in)
}

func putHouseAnswer(q *request, in client.HouseAnswerText) (h client.HouseAnswer, err error) {
	if _, err := q.workspace.Store().HouseAnswer(q.Request.Context(), q.Param("id")); err != nil {
		return h, err
	}
	version, err := q.ifMatch()
	if err != nil {
		return h, err
	}
	return q.keepHouseAnswer(q.Param("id"), version, in)
}

func (q *request) keepHouseAnswer(id string, version int, in client.HouseAnswerText) (client.HouseAnswer, error) {
	if err := errors.Join(text(in.Question, "question", 1000), text(in.Answer, "answer", 8000), within(in.ValidFrom, in.ValidUntil)); err != nil {
		return client.HouseAnswer{}, err
	}
	h, err := q.workspace.Library.PutHouseAnswer(q.Request.Context(), store.HouseAnswer{
		ID: id, Question: in.Question, Answer: in.Answer, Author: q.access.Label,
		ReviewAt: orZero(in.ReviewAt), From: orZero(in.ValidFrom), Until: orZero(in.ValidUntil),
	}, version)
	if err != nil {
		return client.HouseAnswer{}, err
	}
	q.Header("ETag", fmt.Sprintf("%q", fmt.Sprint(h.Version)))
	return houseAnswer(h), nil
}

func removeHouseAnswer(q *request) error {
	return q.workspace.Library.RemoveHouseAnswer(q.Request.Context(), q.Param("id"))
}

// mostListed is how many gaps and lessons are shown.
const mostListed = 200

// mostExamples is how many examples are shown.
const mostExamples = 2_000

func listGaps(q *request) (client.GapPage, error) {
	list, err := q.workspace.Store().Gaps(q.Request.Context(), mostListed)
	page := client.GapPage{Items: make([]client.Gap, len(list))}
	for i, g := range list {
		page.Items[i] = client.Gap{ID: g.ID, Question: g.Question, Times: g.Times, Wordings: g.Wordings, Waiting: g.Waiting, FirstAt: g.FirstAt, LastAt: g.LastAt}
	}
	return page, err
}

func listExamples(q *request) (client.ExamplePage, error) {
	list, err := q.workspace.Store().Examples(q.Request.Context(), mostExamples)
	page := client.ExamplePage{Items: make([]client.Example, len(list))}
	for i, e := range list {
		page.Items[i] = client.Example{
			ID: e.ID, Conversation: e.ConversationID, Question: e.Question, PassageID: e.PassageID, Source: e.Source, Label: e.Label, Words: e.Words,
			Answers: e.Right, How: e.How, At: e.At,
		}
	}
	return page, err
}

func dropExample(q *request) error {
	return q.workspace.Library.DropExample(q.Request.Context(), q.Param("id"))
}

func showConfidence(q *request) (out client.Confidence, err error) {
	desk, err := q.workspace.Desk(q.Query("bot"))
	if err != nil {
		return out, err
	}
	fit, err := q.workspace.Library.FitConfidence(q.Request.Context(), desk.Snapshot.Brief)
	return confidence(fit, desk), err
}

func fitConfidence(q *request) (out client.Confidence, err error) {
	desk, err := q.workspace.Desk(q.Query("bot"))
	if err != nil {
		return out, err
	}
	fit, err := q.workspace.Library.UseFit(q.Request.Context(), desk.Snapshot.Brief, q.access.Label)
	return confidence(fit, desk), err
}

func confidence(fit library.ConfidenceFit, desk library.Desk) client.Confidence {
	out := client.Confidence{
		Questions: fit.Questions, Right: fit.Right, Wrong: fit.Wrong, Fewest: library.FewestSettled, Enough: fit.Enough,
		Threshold: desk.Bars().Answer, Before: client.Outcome(fit.Before), After: client.Outcome(fit.After),
	}
	if fit.Used != nil {
		out.Used, out.UsedOn, out.UsedBy, out.UsedSince = true, fit.Used.Questions, fit.Used.Person, fit.Used.At
	}
	return out
}

func putBackConfidence(q *request) error {
	err := q.workspace.Library.PutBackFit(q.Request.Context(), q.access.Label)
	if errors.Is(err, store.ErrNotFound) {
		return problem.New(problem.NotFound, "no fit is in use: confidence is as it was delivered", "")
	}
	return err
}

// mostSayings is how many words are shown each way.
const mostSayings = 30

func showSayings(q *request) (client.Sayings, error) {
	out := client.Sayings{Word: q.Param("word"), Texts: []client.Saying{}, Customers: []client.Saying{}}
	if err := text(out.Word, "word", 60); err != nil {
		return out, err
	}
	texts, customers := q.workspace.Library.Index().Analyzer().Sayings(out.Word)
	for _, s := range texts[:min(len(texts), mostSayings)] {
		out.Texts = append(out.Texts, client.Saying(s))
	}
	for _, s := range customers[:min(len(customers), mostSayings)] {
		out.Customers = append(out.Customers, client.Saying(s))
	}
	return out, nil
}

func answerGap(q *request, in client.GapAnswer) (out client.GapAnswered, err error) {
	if err := text(in.Answer, "answer", 8000); err != nil {
		return out, err
	}
	if len([]rune(in.Question)) > 1000 {
		return out, problem.New(problem.TooLarge, "the question has more than 1000 characters", "question")
	}
	h, sent, err := q.workspace.Inbox.AnswerGap(q.Request.Context(), q.Param("id"), in.Question, in.Answer, q.access.Label, in.Send)
	return client.GapAnswered{HouseAnswer: houseAnswer(h), Sent: sent}, err
}

func dropGap(q *request) error {
	return q.workspace.Library.DropGap(q.Request.Context(), q.Param("id"), q.access.Label)
}

func listLessons(q *request) (page client.LessonPage, err error) {
	state := q.DefaultQuery("state", "proposed")
	if state != "proposed" && state != "approved" && state != "rejected" {
		return page, problem.New(problem.BadInput, "a lesson is proposed, approved or rejected", "state")
	}
	list, err := q.workspace.Store().Lessons(q.Request.Context(), state, mostListed)
	page.Items = make([]client.Lesson, len(list))
	for i, l := range list {
		page.Items[i] = client.Lesson{
			ID: l.ID, Conversation: l.ConversationID, Question: l.Question, Answer: l.Answer, Author: l.Author, State: l.State, HouseAnswer: l.HouseID, CreatedAt: l.CreatedAt, Bot: l.Bot,
		}
		if b := l.Beside; b.Relation != "" {
			page.Items[i].Beside = &client.Beside{Relation: b.Relation, Source: b.Source, Text: b.Text}
		}
	}
	return page, err
}

func approveLesson(q *request, in client.LessonText) (out client.HouseAnswer, err error) {
	if len([]rune(in.Question)) > 1000 || len([]rune(in.Answer)) > 8000 {
		return out, problem.New(problem.TooLarge, "a question has at most 1000 characters, an answer 8000", "answer")
	}
	h, err := q.workspace.Library.ApproveLesson(q.Request.Context(), q.Param("id"), in.Question, in.Answer, q.access.Label)
	return houseAnswer(h), err
}

func rejectLesson(q *request) error {
	return q.workspace.Library.RejectLesson(q.Request.Context(), q.Param("id"), q.access.Label)
}
