package api

import (
	"encoding/json"
	"mime"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/problem"
	"urgentparrot.example/internal/store"
)

// pageSize is how many records a page holds.
const pageSize = 50

func listConversations(q *request) (page client.ConversationPage, err error) {
	f := store.Filter{Search: q.Query("search"), Before: q.Query("cursor"), Limit: pageSize + 1, Name: q.nameField()}
	lead := q.Query("lead")
	switch {
	case lead == "urgent":
		f.Urgent = true
	case lead != "":
		if !slices.Contains([]dialogue.Lead{dialogue.LedByBot, dialogue.Waiting, dialogue.LedByPerson, dialogue.Closed}, dialogue.Lead(lead)) {
			return page, problem.New(problem.BadInput, "lead is one of: bot, waiting, person, closed, urgent", "lead")
		}
		f.Leads = []dialogue.Lead{dialogue.Lead(lead)}
	}
	list, err := q.workspace.Store().Conversations(q.Request.Context(), f, q.workspace.Clock.Now())
	if err != nil {
		return page, err
	}
	if len(list) > pageSize {
		list = list[:pageSize]
		if last := list[pageSize-1]; !f.Urgent {
			page.Next = last.UpdatedAt.Format(time.RFC3339Nano) + " " + last.ID
		}
	}
	page.Items = q.conversations(list)
	return page, nil
}

// nameField is the field that holds a contact's name.
func (q *request) nameField() string {
	field, _ := q.workspace.Documents.Settings().Fields.Of(contact.Name)
	return field.Name
}

func (q *request) conversations(list []store.Conversation) []client.Conversation {
	items := make([]client.Conversation, len(list))
	for i, c := range list {
		items[i] = q.conversation(c)
	}
	return items
}

func (q *request) conversation(c store.Conversation) client.Conversation {
	out := client.Conversation{
		ID: c.ID, Channel: c.Channel, Address: c.Address, Contact: c.ContactID, Who: q.workspace.Channels.Who(c.ContactName, c.Channel, c.Address),
		Bot: c.Bot, Lead: string(c.Lead), Assignee: c.Assignee, Priority: c.Priority, Reason: c.Reason, Because: bot.Because(c.Reason),
		Outcome: c.Outcome, Subject: c.Subject, Tags: c.Tags, Preview: c.Preview, OpenedAt: c.OpenedAt, UpdatedAt: c.UpdatedAt,
	}
	if !c.WaitingSince.IsZero() {
		out.WaitingSince = &c.WaitingSince
	}
	if c.Summary != "" {
		// What the store keeps is what the core wrote; if not, there is no summary.
		if json.Unmarshal([]byte(c.Summary), &out.Summary) != nil {
			out.Summary = nil
		}
	}
	return out
}

func showConversation(q *request) (out client.Conversation, err error) {
	ctx := q.Request.Context()
	c, err := q.workspace.Store().Conversation(ctx, q.Param("id"))
	if err != nil {
		return out, err
	}
	known, err := q.workspace.Store().Facts(ctx, c.ContactID)
	for _, f := range known {
		if f.Field == q.nameField() {
			c.ContactName = f.Value
		}
	}
	out = q.conversation(c)
	out.Facts = q.facts(known)
	var state dialogue.State
	if json.Unmarshal([]byte(c.State), &state) == nil { // what cannot be read is the bot's to report
		for _, a := range state.Questions() {
			out.Questions = append(out.Questions, client.Dealt(a))
		}
	}
	return out, err
}

// facts are the facts of a contact in the order of the workspace's fields; those
// of a field that is no longer declared come last.
func (q *request) facts(list []store.Fact) []client.Fact {
	fields := q.workspace.Documents.Settings().Fields
	out := make([]client.Fact, len(list))
	for i, f := range list {
		field, ok := fields.Named(f.Field)
		if !ok {
			field.Label = f.Field
		}
		out[i] = client.Fact{
			Field: f.Field, Label: field.Label, Value: f.Value, Sensitive: field.Sensitive,
			Verified: f.Verified, VerifiedBy: f.VerifiedBy, Message: f.MessageID, LearntAt: f.LearntAt,
		}
	}
	place := func(f client.Fact) int {
		at := slices.IndexFunc(fields, func(field contact.Field) bool { return field.Name == f.Field })
		if at < 0 {
			return len(fields)
		}
		return at
	}
	slices.SortStableFunc(out, func(a, b client.Fact) int { return place(a) - place(b) })
	return out
}

func listMessages(q *request) (page client.MessagePage, err error) {
	ctx := q.Request.Context()
	if _, err := q.workspace.Store().Conversation(ctx, q.Param("id")); err != nil {
		return page, err
	}
	before := 0
	if cursor := q.Query("cursor"); cursor != "" {
		if before, err = strconv.Atoi(cursor); err != nil {
			return page, problem.New(problem.BadInput, "that is no cursor of this list", "cursor")
		}
	}
	list, err := q.workspace.Store().Messages(ctx, q.Param("id"), before, pageSize)
	if err != nil {
		return page, err
	}
	files, err := q.workspace.Inbox.Attachments(ctx, q.Param("id"))
	if err != nil {
		return page, err
	}
	page.Items = make([]client.Message, len(list))
	for i, m := range list {
		page.Items[i] = message(m)
		for _, f := range files[m.ID] {
			page.Items[i].Files = append(page.Items[i].Files, client.File{Name: f.Name, Type: f.Type, Bytes: f.Bytes, Inline: f.Inline})
		}
	}
	if len(list) == pageSize && list[0].Position > 1 {
		page.Next = strconv.Itoa(list[0].Position)
	}
	return page, nil
}

func message(m store.Message) client.Message {
	out := client.Message{ID: m.ID, Position: m.Position, Author: string(m.Author), Name: m.Name, Text: m.Text, Turn: m.TurnID, State: string(m.State), At: m.At}
	for _, p := range m.Parts {
		out.Parts = append(out.Parts, client.Part{Kind: string(p.Kind), Text: p.Text, Choices: p.Choices})
	}
	if !m.Beside.IsEmpty() {
		beside := client.CameWith(m.Beside)
		out.Beside = &beside
	}
	for _, c := range m.Citations {
		out.Citations = append(out.Citations, client.Citation(c))
	}
	return out
}

func reply(q *request, in client.Reply) (client.Message, error) {
	if err := text(in.Text, "text", 8000); err != nil {
		return client.Message{}, err
	}
	m, err := q.workspace.Inbox.Reply(q.Request.Context(), q.Param("id"), q.access.Label, in.Text, q.GetHeader("Idempotency-Key"))
	return message(m), err
}

func replyWithFact(q *request, in client.BareFact) (client.Message, error) {
	if err := text(in.Fact, "fact", 4000); err != nil {
		return client.Message{}, err
	}
	m, err := q.workspace.Inbox.ReplyWithFact(q.Request.Context(), q.Param("id"), q.access.Label, in.Fact, q.GetHeader("Idempotency-Key"))
	return message(m), err
}

func take(q *request, in client.Take) (out client.Conversation, err error) {
	if err := q.workspace.Inbox.Take(q.Request.Context(), q.Param("id"), q.access.Label, in.Over); err != nil {
		return out, err
	}
	return showConversation(q)
}

func giveBack(q *request) (out client.Conversation, err error) {
	if err := q.workspace.Inbox.Return(q.Request.Context(), q.Param("id"), q.access.Label, q.Query("runs") == "end"); err != nil {
		return out, err
	}
	return showConversation(q)
}

func changeConversation(q *request, in client.ConversationChange) (out client.Conversation, err error) {
	if err := q.workspace.Inbox.Tag(q.Request.Context(), q.Param("id"), q.access.Label, in.Tags); err != nil {
		return out, err
	}
	return showConversation(q)
}

func closeConversation(q *request) (out client.Conversation, err error) {
	if err := q.workspace.Inbox.Close(q.Request.Context(), q.Param("id"), q.access.Label); err != nil {
		return out, err
	}
	return showConversation(q)
}

func approveMessage(q *request, in client.Approval) (client.Message, error) {
	if len([]rune(in.Text)) > 8000 {
		return client.Message{}, problem.New(problem.TooLarge, "the text has more than 8000 characters", "text")
	}
	m, err := q.workspace.Inbox.Approve(q.Request.Context(), q.Param("id"), q.access.Label, strings.TrimSpace(in.Text))
	return message(m), err
}

func rejectMessage(q *request, in client.Rejection) (client.Message, error) {
	if len([]rune(in.Why)) > 500 {
		return client.Message{}, problem.New(problem.TooLarge, "the reason has more than 500 characters", "why")
	}
	m, err := q.workspace.Inbox.Reject(q.Request.Context(), q.Param("id"), q.access.Label, strings.TrimSpace(in.Why))
	return message(m), err
}

func answerAfterAll(q *request) error {
	return q.workspace.Inbox.AnswerAfterAll(q.Request.Context(), q.Param("id"), q.access.Label)
}

// shownTypes are the types of pictures that a browser shows; all else is only downloaded, so
// that nothing that came from outside runs here.
var shownTypes = []string{"image/png", "image/jpeg", "image/gif", "image/webp"}

func downloadFile(q *request) error {
	at, err := strconv.Atoi(q.Param("at"))
	if err != nil {
		return store.ErrNotFound
	}
	a, file, err := q.workspace.Inbox.Attachment(q.Request.Context(), q.Param("id"), at)
	if err != nil {
		return err
	}
	defer file.Close()
	kind, how := "application/octet-stream", "attachment"
	if slices.Contains(shownTypes, a.Type) {
		kind, how = a.Type, "inline"
	}
	h := q.Writer.Header()
	h.Set("Content-Type", kind)
	h.Set("Content-Disposition", mime.FormatMediaType(how, map[string]string{"filename": a.Name}))
	h.Set("Content-Security-Policy", "default-src 'none'; sandbox")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Cache-Control", "private, no-store")
	http.ServeContent(q.Writer, q.Request, "", time.Time{}, file)
	return nil
}

func showTurn(q *request) (out client.Turn, err error) {
	t, err := q.workspace.Store().Turn(q.Request.Context(), q.Param("id"))
	if err != nil {
		return out, err
	}
	out = client.Turn{ID: t.ID, Conversation: t.ConversationID, State: t.State, At: t.At}
	err = json.Unmarshal([]byte(t.Trace), &out.Trace)
	out.Trace.Decision = t.Code.Words()
	return out, err
}
