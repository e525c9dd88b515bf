package client

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"strings"
	"time"
)

// A Client speaks with one service as one person or program. It is safe for
// concurrent use.
type Client struct {
	Server string // the service's base address
	Token  string
	HTTP   *http.Client // one with a timeout of 30 s if nil
}

// An Error is a problem that the service answered with (RFC 9457).
type Error struct {
	Type     string    `json:"type"`
	Title    string    `json:"title"`
	Status   int       `json:"status"`
	Detail   string    `json:"detail"`
	Field    string    `json:"field"`
	Problems []Problem `json:"problems"`
}

func (e *Error) Error() string {
	if len(e.Problems) > 0 {
		lines := make([]string, len(e.Problems))
		for i, p := range e.Problems {
			lines[i] = fmt.Sprintf("%s:%d:%d: %s", p.File, p.Line, p.Column, p.Message)
		}
		return strings.Join(lines, "\n")
	}
	if e.Detail != "" {
		return e.Detail
	}
	return e.Title
}

// ErrUnreachable is wrapped by errors of a service that cannot be reached.
var ErrUnreachable = errors.New("the service cannot be reached")

var defaultHTTP = &http.Client{Timeout: 30 * time.Second}

func (c *Client) do(ctx context.Context, method, path string, header http.Header, body io.Reader, into any) error {
	request, err := http.NewRequestWithContext(ctx, method, strings.TrimSuffix(c.Server, "/")+path, body)
	if err != nil {
		return err
	}
	for name, values := range header {
		request.Header[name] = values
	}
	if c.Token != "" {
		request.Header.Set("Authorization", "Bearer "+c.Token)
	}
	client := c.HTTP
	if client == nil {
		client = defaultHTTP
	}
	response, err := client.Do(request)
	if err != nil {
		return fmt.Errorf("%w at %s: %w", ErrUnreachable, c.Server, err)
	}
	defer response.Body.Close()
	if response.StatusCode >= 300 {
		failed := &Error{Status: response.StatusCode, Title: response.Status}
		// An answer that is no problem document leaves the status to speak.
		_ = json.NewDecoder(io.LimitReader(response.Body, 1<<20)).Decode(failed)
		return failed
	}
	switch into := into.(type) {
	case nil:
		return nil
	case io.Writer:
		_, err := io.Copy(into, response.Body)
		return err
	}
	return json.NewDecoder(response.Body).Decode(into)
}

func (c *Client) get(ctx context.Context, path string, into any) error {
	return c.do(ctx, http.MethodGet, "/api/v1"+path, nil, nil, into)
}

func (c *Client) send(ctx context.Context, method, path string, header http.Header, body, into any) error {
	raw, err := json.Marshal(body)
	if err != nil {
		return err
	}
	if header == nil {
		header = http.Header{}
	}
	header.Set("Content-Type", "application/json")
	return c.do(ctx, method, "/api/v1"+path, header, bytes.NewReader(raw), into)
}

// NewToken trades the code of a sign-in link for a token.
func (c *Client) NewToken(ctx context.Context, in SignIn) (t NewToken, err error) {
	return t, c.send(ctx, http.MethodPost, "/tokens", nil, in, &t)
}

// Tokens returns who may come in.
func (c *Client) Tokens(ctx context.Context) (list TokenList, err error) {
	return list, c.get(ctx, "/tokens", &list)
}

// RevokeToken revokes a token, a session or a link.
func (c *Client) RevokeToken(ctx context.Context, id string) error {
	return c.do(ctx, http.MethodDelete, "/api/v1/tokens/"+url.PathEscape(id), nil, nil, nil)
}

// SignOut ends the token that the client has.
func (c *Client) SignOut(ctx context.Context) error {
	return c.do(ctx, http.MethodDelete, "/api/v1/sessions", nil, nil, nil)
}

// Me returns who is signed in.
func (c *Client) Me(ctx context.Context) (me Me, err error) { return me, c.get(ctx, "/me", &me) }

// Today returns what matters now.
func (c *Client) Today(ctx context.Context) (t Today, err error) { return t, c.get(ctx, "/today", &t) }

// Status returns the service's health.
func (c *Client) Status(ctx context.Context) (s Status, err error) {
	return s, c.get(ctx, "/status", &s)
}

// Conversations returns conversations: of a lead ("bot", "waiting", "person",
// "closed", "urgent" for those who wait for a person, "" for all), matching a
// search, from a cursor on.
func (c *Client) Conversations(ctx context.Context, lead, search, cursor string) (page ConversationPage, err error) {
	query := url.Values{"lead": {lead}, "search": {search}, "cursor": {cursor}}
	return page, c.get(ctx, "/conversations?"+query.Encode(), &page)
}

// Conversation returns one conversation.
func (c *Client) Conversation(ctx context.Context, id string) (conversation Conversation, err error) {
	return conversation, c.get(ctx, "/conversations/"+url.PathEscape(id), &conversation)
}

// Messages returns the latest messages of a conversation, or those before a
// cursor.
func (c *Client) Messages(ctx context.Context, id, cursor string) (page MessagePage, err error) {
	return page, c.get(ctx, "/conversations/"+url.PathEscape(id)+"/messages?cursor="+url.QueryEscape(cursor), &page)
}

// Reply says something to the customer as a person. A repeat with the same key
// is not sent again; "" chooses a new one.
func (c *Client) Reply(ctx context.Context, id, text, key string) (m Message, err error) {
	if key == "" {
		key = rand.Text()
	}
	return m, c.send(ctx, http.MethodPost, "/conversations/"+url.PathEscape(id)+"/messages", http.Header{"Idempotency-Key": {key}}, Reply{text}, &m)
}

// Take makes the caller the assignee of a conversation.
func (c *Client) Take(ctx context.Context, id string, over bool) (conversation Conversation, err error) {
	return conversation, c.send(ctx, http.MethodPost, "/conversations/"+url.PathEscape(id)+"/take", nil, Take{over}, &conversation)
}

// Return hands a conversation back to its bot.
func (c *Client) Return(ctx context.Context, id string) (conversation Conversation, err error) {
	return conversation, c.send(ctx, http.MethodPost, "/conversations/"+url.PathEscape(id)+"/return", nil, struct{}{}, &conversation)
}

// Close ends a conversation.
func (c *Client) Close(ctx context.Context, id string) (conversation Conversation, err error) {
	return conversation, c.send(ctx, http.MethodPost, "/conversations/"+url.PathEscape(id)+"/close", nil, struct{}{}, &conversation)
}

// AnswerAfterAll has a message answered that nothing was to answer.
func (c *Client) AnswerAfterAll(ctx context.Context, message string) error {
	return c.send(ctx, http.MethodPost, "/messages/"+url.PathEscape(message)+"/answer", nil, struct{}{}, nil)
}

// Channels lists the channels and whether they work.
func (c *Client) Channels(ctx context.Context) (page ChannelPage, err error) {
	return page, c.get(ctx, "/channel-states", &page)
}

// LookAtChannel has a channel look for what is new at once.
func (c *Client) LookAtChannel(ctx context.Context, name string) error {
	return c.send(ctx, http.MethodPost, "/channels/"+url.PathEscape(name)+"/look", nil, struct{}{}, nil)
}

// TestChannel tries whether all that a channel needs works; nothing is sent.
func (c *Client) TestChannel(ctx context.Context, name string) (out ChannelTest, err error) {
	return out, c.send(ctx, http.MethodPost, "/channels/"+url.PathEscape(name)+"/test", nil, ToTest{}, &out)
}

// TestConnection tries whether another system is there and lets the service in; nothing is sent or
// changed there.
func (c *Client) TestConnection(ctx context.Context, name string) (out ChannelTest, err error) {
	return out, c.send(ctx, http.MethodPost, "/connections/"+url.PathEscape(name)+"/test", nil, ToTest{}, &out)
}

// TryMessage tells what a channel would make of a message as it comes; nothing is kept or sent.
func (c *Client) TryMessage(ctx context.Context, channel string, raw []byte) (out TriedMessage, err error) {
	return out, c.send(ctx, http.MethodPost, "/channels/"+url.PathEscape(channel)+"/try", nil, RawMessage{raw}, &out)
}

// TakePast has a channel take in what came before, without answering it.
func (c *Client) TakePast(ctx context.Context, name string, in TakePast) (out Channel, err error) {
	return out, c.send(ctx, http.MethodPost, "/channels/"+url.PathEscape(name)+"/past", nil, in, &out)
}

// Held lists the replies that wait for a person, the oldest first.
func (c *Client) Held(ctx context.Context) (page HeldPage, err error) {
	return page, c.get(ctx, "/held", &page)
}

// Independence tells what people did with held replies, and what may go by itself.
func (c *Client) Independence(ctx context.Context) (out Independence, err error) {
	return out, c.get(ctx, "/independence", &out)
}

// Trust lets replies of a topic go by themselves, or has them held again.
func (c *Client) Trust(ctx context.Context, topic string, trust bool) (out Independence, err error) {
	return out, c.send(ctx, http.MethodPost, "/independence", nil, Trust{topic, trust}, &out)
}

// Approve sends a held reply of a bot, with other words unless they are "".
func (c *Client) Approve(ctx context.Context, message, text string) (m Message, err error) {
	return m, c.send(ctx, http.MethodPost, "/messages/"+url.PathEscape(message)+"/approve", nil, Approval{text}, &m)
}

// Reject withdraws a held reply, for a reason ("" for none).
func (c *Client) Reject(ctx context.Context, message, why string) (m Message, err error) {
	return m, c.send(ctx, http.MethodPost, "/messages/"+url.PathEscape(message)+"/reject", nil, Rejection{why}, &m)
}

// Turn returns how one turn was decided.
func (c *Client) Turn(ctx context.Context, id string) (t Turn, err error) {
	return t, c.get(ctx, "/turns/"+url.PathEscape(id), &t)
}

// RetryEffect makes an effect that was given up due again.
func (c *Client) RetryEffect(ctx context.Context, id string) error {
	return c.send(ctx, http.MethodPost, "/effects/"+url.PathEscape(id)+"/retry", nil, struct{}{}, nil)
}

// Sources returns all sources.
func (c *Client) Sources(ctx context.Context) (page SourcePage, err error) {
	return page, c.get(ctx, "/sources", &page)
}

// AddSource reads a file into passages, in place of the source of that name.
func (c *Client) AddSource(ctx context.Context, name string, content io.Reader) (s Source, err error) {
	var body bytes.Buffer
	form := multipart.NewWriter(&body)
	// The name goes in a field of its own: a file's name loses its folders.
	if err := form.WriteField("name", name); err != nil {
		return s, err
	}
	part, err := form.CreateFormFile("file", "file")
	if err != nil {
		return s, err
	}
	if _, err := io.Copy(part, content); err != nil {
		return s, err
	}
	if err := form.Close(); err != nil {
		return s, err
	}
	return s, c.do(ctx, http.MethodPost, "/api/v1/sources", http.Header{"Content-Type": {form.FormDataContentType()}}, &body, &s)
}

// RemoveSource removes a source, by id or name, and its passages.
func (c *Client) RemoveSource(ctx context.Context, key string) error {
	return c.do(ctx, http.MethodDelete, "/api/v1/sources/"+url.PathEscape(key), nil, nil, nil)
}

// Passages returns the passages of a source, by id or name.
func (c *Client) Passages(ctx context.Context, key string) (page PassagePage, err error) {
	return page, c.get(ctx, "/sources/"+url.PathEscape(key)+"/passages", &page)
}

// Search returns the passages that may answer a question, for a bot, or in all
// sources for "".
func (c *Client) Search(ctx context.Context, question, bot string) (found Found, err error) {
	return found, c.get(ctx, "/knowledge/search?"+url.Values{"q": {question}, "bot": {bot}}.Encode(), &found)
}

// Kinds returns the kinds of documents.
func (c *Client) Kinds(ctx context.Context) (page DocumentKindPage, err error) {
	return page, c.get(ctx, "/documents", &page)
}

// Schema writes the JSON Schema of a kind of documents.
func (c *Client) Schema(ctx context.Context, kind string, w io.Writer) error {
	return c.get(ctx, "/schemas/"+url.PathEscape(kind), w)
}

// RemovedDocuments returns the documents of a kind that were removed, as they were last.
func (c *Client) RemovedDocuments(ctx context.Context, kind string) (page DocumentPage, err error) {
	return page, c.get(ctx, "/removed/"+url.PathEscape(kind), &page)
}

// RemoveDocument removes a document that no other refers to.
func (c *Client) RemoveDocument(ctx context.Context, kind, name string) error {
	return c.do(ctx, http.MethodDelete, "/api/v1/documents/"+url.PathEscape(kind)+"/"+url.PathEscape(name), nil, nil, nil)
}

// Documents returns the documents of a kind, which is given in the plural.
func (c *Client) Documents(ctx context.Context, kind string) (page DocumentPage, err error) {
	return page, c.get(ctx, "/documents/"+url.PathEscape(kind), &page)
}

// Document returns one document.
func (c *Client) Document(ctx context.Context, kind, name string) (d Document, err error) {
	return d, c.get(ctx, "/documents/"+url.PathEscape(kind)+"/"+url.PathEscape(name), &d)
}

// PutDocument keeps a document. With a version above 0 it must still be that one.
func (c *Client) PutDocument(ctx context.Context, kind, name, text string, version int) (d Document, err error) {
	header := http.Header{}
	if version > 0 {
		header.Set("If-Match", fmt.Sprintf("%q", fmt.Sprint(version)))
	}
	return d, c.send(ctx, http.MethodPut, "/documents/"+url.PathEscape(kind)+"/"+url.PathEscape(name), header, DocumentText{text}, &d)
}

// Drafts returns what is being written of the documents of a kind.
func (c *Client) Drafts(ctx context.Context, kind string) (page DraftPage, err error) {
	return page, c.get(ctx, "/drafts/"+url.PathEscape(kind), &page)
}

// PutDraft keeps what is being written of a document, right or not; what is used stays.
func (c *Client) PutDraft(ctx context.Context, kind, name, text string) error {
	return c.send(ctx, http.MethodPut, "/drafts/"+url.PathEscape(kind)+"/"+url.PathEscape(name), nil, DocumentText{text}, nil)
}

// RemoveDraft throws a draft away.
func (c *Client) RemoveDraft(ctx context.Context, kind, name string) error {
	return c.do(ctx, http.MethodDelete, "/api/v1/drafts/"+url.PathEscape(kind)+"/"+url.PathEscape(name), nil, nil, nil)
}

// TakeTemplate takes in the documents of a template.
func (c *Client) TakeTemplate(ctx context.Context, in Template) (out TemplateTaken, err error) {
	return out, c.send(ctx, http.MethodPost, "/template", nil, in, &out)
}

// RenameDocument gives a document another name, and names it so wherever it is named.
func (c *Client) RenameDocument(ctx context.Context, kind, from, to string) (d Document, err error) {
	return d, c.send(ctx, http.MethodPost, "/documents/"+url.PathEscape(kind)+"/"+url.PathEscape(from)+"/rename", nil, Rename{to}, &d)
}

// CheckDocument returns what is wrong with a document, and keeps nothing.
func (c *Client) CheckDocument(ctx context.Context, kind, name, text string) (checked Checked, err error) {
	return checked, c.send(ctx, http.MethodPost, "/documents/"+url.PathEscape(kind)+"/"+url.PathEscape(name)+"/check", nil, DocumentText{text}, &checked)
}

// Consent is how it stands with the consent of a connection.
func (c *Client) Consent(ctx context.Context, connection string) (out Consent, err error) {
	return out, c.get(ctx, "/connections/"+url.PathEscape(connection)+"/consent", &out)
}

// AskForConsent begins to ask the person for consent, and returns where that is done.
func (c *Client) AskForConsent(ctx context.Context, connection string) (out ConsentAddress, err error) {
	return out, c.send(ctx, http.MethodPost, "/connections/"+url.PathEscape(connection)+"/consent", nil, nil, &out)
}

// WithdrawConsent forgets the consent of a connection, here and on the other side.
func (c *Client) WithdrawConsent(ctx context.Context, connection string) error {
	return c.send(ctx, http.MethodDelete, "/connections/"+url.PathEscape(connection)+"/consent", nil, nil, nil)
}

// PutSecret keeps the secret of a connection.
func (c *Client) PutSecret(ctx context.Context, connection, secret string) error {
	return c.send(ctx, http.MethodPut, "/connections/"+url.PathEscape(connection)+"/secret", nil, Secret{secret}, nil)
}

// Models returns the models that the server of a connection has.
func (c *Client) Models(ctx context.Context, connection string) (names ModelNames, err error) {
	return names, c.get(ctx, "/connections/"+url.PathEscape(connection)+"/models", &names)
}

// Ask puts one question to a bot.
func (c *Client) Ask(ctx context.Context, bot, question string) (a Answer, err error) {
	return a, c.send(ctx, http.MethodPost, "/bots/"+url.PathEscape(bot)+"/ask", nil, Question{question}, &a)
}

// Try says something to a bot in a conversation that nobody else sees.
func (c *Client) Try(ctx context.Context, bot string, t Trial) (turn TrialTurn, err error) {
	return turn, c.send(ctx, http.MethodPost, "/bots/"+url.PathEscape(bot)+"/trial", nil, t, &turn)
}

// OrderNotes sets free notes about a bot in order, as parts of its brief.
func (c *Client) OrderNotes(ctx context.Context, bot, notes string) (out NotesInOrder, err error) {
	return out, c.send(ctx, http.MethodPost, "/bots/"+url.PathEscape(bot)+"/order", nil, Notes{notes}, &out)
}

// ExplainBot tells what the text of a brief lets a bot do, and what is still missing.
func (c *Client) ExplainBot(ctx context.Context, bot, text string) (out BotExplained, err error) {
	return out, c.send(ctx, http.MethodPost, "/bots/"+url.PathEscape(bot)+"/explain", nil, DocumentText{text}, &out)
}

// Sheets returns all sheets.
func (c *Client) Sheets(ctx context.Context) (page SheetPage, err error) {
	return page, c.get(ctx, "/sheets", &page)
}

// Rows returns the rows of a sheet.
func (c *Client) Rows(ctx context.Context, sheet string) (page RowPage, err error) {
	return page, c.get(ctx, "/sheets/"+url.PathEscape(sheet)+"/rows", &page)
}

// SheetCSV writes a sheet as CSV.
func (c *Client) SheetCSV(ctx context.Context, sheet string, w io.Writer) error {
	return c.get(ctx, "/sheets/"+url.PathEscape(sheet)+"/csv", w)
}

// Declared returns the fields, stages and tags that the settings declare.
func (c *Client) Declared(ctx context.Context) (d Declared, err error) {
	return d, c.get(ctx, "/fields", &d)
}
