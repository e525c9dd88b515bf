package api

import (
	"errors"
	"fmt"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/problem"
	"urgentparrot.example/internal/store"
)

func houseAnswer(h store.HouseAnswer) client.HouseAnswer {
	return client.HouseAnswer{
		ID: h.ID, Question: h.Question, Answer: h.Answer, Author: h.Author, Version: h.Version, UpdatedAt: h.UpdatedAt,
		ReviewAt: maybe(h.ReviewAt), ValidFrom: maybe(h.From), ValidUntil: maybe(h.Until),
	}
}

func listHouseAnswers(q *request) (any, error) {
	list, err := q.workspace.Store().HouseAnswers(q.Request.Context())
	page := client.HouseAnswerPage{Items: make([]client.HouseAnswer, len(list))}
	for i, h := range list {
		page.Items[i] = houseAnswer(h)
	}
	return page, err
}

func addHouseAnswer(q *request) (any, error) { return q.keepHouseAnswer("", 0) }

func putHouseAnswer(q *request) (any, error) {
	if _, err := q.workspace.Store().HouseAnswer(q.Request.Context(), q.Param("id")); err != nil {
		return nil, err
	}
	version, err := q.ifMatch()
	if err != nil {
		return nil, err
	}
	return q.keepHouseAnswer(q.Param("id"), version)
}

func (q *request) keepHouseAnswer(id string, version int) (any, error) {
	var in client.HouseAnswerText
	if err := q.body(&in); err != nil {
		return nil, err
	}
	if err := errors.Join(text(in.Question, "question", 1000), text(in.Answer, "answer", 8000), within(in.ValidFrom, in.ValidUntil)); err != nil {
		return nil, err
	}
	h, err := q.workspace.PutHouseAnswer(q.Request.Context(), store.HouseAnswer{
		ID: id, Question: in.Question, Answer: in.Answer, Author: q.access.Label,
		ReviewAt: orZero(in.ReviewAt), From: orZero(in.ValidFrom), Until: orZero(in.ValidUntil),
	}, version)
	if err != nil {
		return nil, err
	}
	q.Header("ETag", fmt.Sprintf("%q", fmt.Sprint(h.Version)))
	return houseAnswer(h), nil
}

func removeHouseAnswer(q *request) (any, error) {
	return nil, q.workspace.RemoveHouseAnswer(q.Request.Context(), q.Param("id"))
}

// mostListed is how many gaps and lessons are shown.
const mostListed = 200

func listGaps(q *request) (any, error) {
	list, err := q.workspace.Store().Gaps(q.Request.Context(), mostListed)
	page := client.GapPage{Items: make([]client.Gap, len(list))}
	for i, g := range list {
		page.Items[i] = client.Gap{ID: g.ID, Question: g.Question, Times: g.Times, Wordings: g.Wordings, Waiting: g.Waiting, FirstAt: g.FirstAt, LastAt: g.LastAt}
	}
	return page, err
}

func answerGap(q *request) (any, error) {
	var in client.GapAnswer
	if err := q.body(&in); err != nil {
		return nil, err
	}
	if err := text(in.Answer, "answer", 8000); err != nil {
		return nil, err
	}
	if len([]rune(in.Question)) > 1000 {
		return nil, problem.New(problem.TooLarge, "the question has more than 1000 characters", "question")
	}
	h, sent, err := q.workspace.AnswerGap(q.Request.Context(), q.Param("id"), in.Question, in.Answer, q.access.Label, in.Send)
	return client.GapAnswered{HouseAnswer: houseAnswer(h), Sent: sent}, err
}

func dropGap(q *request) (any, error) {
	return nil, q.workspace.DropGap(q.Request.Context(), q.Param("id"), q.access.Label)
}

func listLessons(q *request) (any, error) {
	state := q.DefaultQuery("state", "proposed")
	if state != "proposed" && state != "approved" && state != "rejected" {
		return nil, problem.New(problem.BadInput, "a lesson is proposed, approved or rejected", "state")
	}
	list, err := q.workspace.Store().Lessons(q.Request.Context(), state, mostListed)
	page := client.LessonPage{Items: make([]client.Lesson, len(list))}
	for i, l := range list {
		page.Items[i] = client.Lesson{
			ID: l.ID, Conversation: l.ConversationID, Question: l.Question, Answer: l.Answer, Author: l.Author, State: l.State, HouseAnswer: l.HouseID, CreatedAt: l.CreatedAt,
		}
		if b := l.Beside; b.Relation != "" {
			page.Items[i].Beside = &client.Beside{Relation: b.Relation, Source: b.Source, Text: b.Text}
		}
	}
	return page, err
}

func approveLesson(q *request) (any, error) {
	var in client.LessonText
	if err := q.body(&in); err != nil {
		return nil, err
	}
	if len([]rune(in.Question)) > 1000 || len([]rune(in.Answer)) > 8000 {
		return nil, problem.New(problem.TooLarge, "a question has at most 1000 characters, an answer 8000", "answer")
	}
	h, err := q.workspace.ApproveLesson(q.Request.Context(), q.Param("id"), in.Question, in.Answer, q.access.Label)
	return houseAnswer(h), err
}

func rejectLesson(q *request) (any, error) {
	return nil, q.workspace.RejectLesson(q.Request.Context(), q.Param("id"), q.access.Label)
}
