package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"time"
)

// Source returns one source, by id or name.
func (c *Client) Source(ctx context.Context, key string) (s Source, err error) {
	return s, c.get(ctx, "/sources/"+url.PathEscape(key), &s)
}

// AddText keeps a typed text as a source.
func (c *Client) AddText(ctx context.Context, in TypedSource) (s Source, err error) {
	return s, c.send(ctx, http.MethodPost, "/sources/text", nil, in, &s)
}

// AddWeb keeps a page or a website as a source; it is read behind the scenes.
func (c *Client) AddWeb(ctx context.Context, in WebSource) (s Source, err error) {
	return s, c.send(ctx, http.MethodPost, "/sources/web", nil, in, &s)
}

// ChangeSource changes when a source, by id or name, is read again and holds.
func (c *Client) ChangeSource(ctx context.Context, key string, in SourceChange) (s Source, err error) {
	return s, c.send(ctx, http.MethodPut, "/sources/"+url.PathEscape(key), nil, in, &s)
}

// ReadSource reads a web source, by id or name, again now, behind the scenes.
func (c *Client) ReadSource(ctx context.Context, key string) (s Source, err error) {
	return s, c.send(ctx, http.MethodPost, "/sources/"+url.PathEscape(key)+"/read", nil, struct{}{}, &s)
}

// Pages returns the pages of a source, by id or name.
func (c *Client) Pages(ctx context.Context, key string) (list ReadPageList, err error) {
	return list, c.get(ctx, "/sources/"+url.PathEscape(key)+"/pages", &list)
}

// SetQuestions changes the questions that a passage answers, by which it is found.
func (c *Client) SetQuestions(ctx context.Context, passage string, questions []string) (kept PassageQuestions, err error) {
	return kept, c.send(ctx, http.MethodPut, "/passages/"+url.PathEscape(passage)+"/questions", nil, PassageQuestions{questions}, &kept)
}

// Quiz puts questions with known answers to the knowledge. A long quiz may take
// minutes.
func (c *Client) Quiz(ctx context.Context, in Quiz) (r QuizReport, err error) {
	patient := *c
	patient.HTTP = &http.Client{Timeout: 30 * time.Minute}
	return r, patient.send(ctx, http.MethodPost, "/knowledge/quiz", nil, in, &r)
}

// HouseAnswers returns all house answers.
func (c *Client) HouseAnswers(ctx context.Context) (page HouseAnswerPage, err error) {
	return page, c.get(ctx, "/house-answers", &page)
}

// AddHouseAnswer keeps a new house answer.
func (c *Client) AddHouseAnswer(ctx context.Context, in HouseAnswerText) (h HouseAnswer, err error) {
	return h, c.send(ctx, http.MethodPost, "/house-answers", nil, in, &h)
}

// PutHouseAnswer changes a house answer. With a version above 0 it must still be
// that one.
func (c *Client) PutHouseAnswer(ctx context.Context, id string, in HouseAnswerText, version int) (h HouseAnswer, err error) {
	header := http.Header{}
	if version > 0 {
		header.Set("If-Match", fmt.Sprintf("%q", fmt.Sprint(version)))
	}
	return h, c.send(ctx, http.MethodPut, "/house-answers/"+url.PathEscape(id), header, in, &h)
}

// RemoveHouseAnswer removes a house answer.
func (c *Client) RemoveHouseAnswer(ctx context.Context, id string) error {
	return c.do(ctx, http.MethodDelete, "/api/v1/house-answers/"+url.PathEscape(id), nil, nil, nil)
}

// Examples returns what customers said to offers, the newest first.
func (c *Client) Examples(ctx context.Context) (page ExamplePage, err error) {
	return page, c.get(ctx, "/examples", &page)
}

// DropExample removes an example.
func (c *Client) DropExample(ctx context.Context, id string) error {
	return c.do(ctx, http.MethodDelete, "/api/v1/examples/"+url.PathEscape(id), nil, nil, nil)
}

// Confidence returns what fitting confidence on what customers said to offers would come
// to, for a bot ("" for the only one). Nothing changes.
func (c *Client) Confidence(ctx context.Context, bot string) (fit Confidence, err error) {
	return fit, c.get(ctx, "/confidence?bot="+url.QueryEscape(bot), &fit)
}

// FitConfidence takes confidence fitted on what customers said into use.
func (c *Client) FitConfidence(ctx context.Context, bot string) (fit Confidence, err error) {
	return fit, c.send(ctx, http.MethodPut, "/confidence?bot="+url.QueryEscape(bot), nil, nil, &fit)
}

// PutBackConfidence goes back to confidence as it was delivered.
func (c *Client) PutBackConfidence(ctx context.Context) error {
	return c.do(ctx, http.MethodDelete, "/api/v1/confidence", nil, nil, nil)
}

// Sayings returns how customers use a word.
func (c *Client) Sayings(ctx context.Context, word string) (s Sayings, err error) {
	return s, c.get(ctx, "/words/"+url.PathEscape(word), &s)
}

// Gaps returns the open gaps, the most frequent first.
func (c *Client) Gaps(ctx context.Context) (page GapPage, err error) {
	return page, c.get(ctx, "/gaps", &page)
}

// AnswerGap makes a house answer for a gap.
func (c *Client) AnswerGap(ctx context.Context, id string, in GapAnswer) (a GapAnswered, err error) {
	return a, c.send(ctx, http.MethodPost, "/gaps/"+url.PathEscape(id)+"/answer", nil, in, &a)
}

// DropGap sets a gap aside.
func (c *Client) DropGap(ctx context.Context, id string) error {
	return c.do(ctx, http.MethodDelete, "/api/v1/gaps/"+url.PathEscape(id), nil, nil, nil)
}

// Lessons returns the lessons in a state: proposed, approved or rejected.
func (c *Client) Lessons(ctx context.Context, state string) (page LessonPage, err error) {
	return page, c.get(ctx, "/lessons?state="+url.QueryEscape(state), &page)
}

// ApproveLesson makes a lesson a house answer, with other words if any are given.
func (c *Client) ApproveLesson(ctx context.Context, id string, in LessonText) (h HouseAnswer, err error) {
	return h, c.send(ctx, http.MethodPost, "/lessons/"+url.PathEscape(id)+"/approve", nil, in, &h)
}

// RejectLesson puts a lesson aside.
func (c *Client) RejectLesson(ctx context.Context, id string) error {
	return c.send(ctx, http.MethodPost, "/lessons/"+url.PathEscape(id)+"/reject", nil, struct{}{}, nil)
}

// ReplyWithFact has the bot word a bare fact and sends it as the person's reply.
// A repeat with the same key is not sent again.
func (c *Client) ReplyWithFact(ctx context.Context, id, fact, key string) (m Message, err error) {
	header := http.Header{}
	if key != "" {
		header.Set("Idempotency-Key", key)
	}
	return m, c.send(ctx, http.MethodPost, "/conversations/"+url.PathEscape(id)+"/fact", header, BareFact{fact}, &m)
}
