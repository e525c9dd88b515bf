package engine

import (
	"cmp"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base32"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/connect"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/store"
	"urgentparrot.example/internal/submission"
)

// People who are told of a conversation by mail can answer that mail: it approves a held
// reply, gives the bot a fact, ends the conversation, or is the reply itself. The address that
// they answer to carries a token that is bound to the person, the conversation and a time.

// repliesFor is how long a notification can be answered by mail.
const repliesFor = 7 * 24 * time.Hour

// howToAnswer stands below a notification that can be answered.
const howToAnswer = `
You can answer this mail. Its first line says what to do:
  approve      sends the reply that waits for approval
  fact: ...    the bot words the fact, sends it, and learns it
  close        ends the conversation
Anything else is sent to the customer as it is, in your name.
`

// mailboxAddress is where answers to notifications come in: that of the first channel that
// watches a mailbox; "" if there is none.
func (w *Workspace) mailboxAddress() string {
	for _, ch := range w.Channels.States() {
		open := w.Channels.named(ch.Name)
		if open == nil || open.adapter == nil || ch.Fault != "" || open.kind.To != workspace.Mailbox {
			continue
		}
		if conn, ok := find[workspace.Connection](w.config.Load(), ch.Connection); ok {
			return conn.From
		}
	}
	return ""
}

// replyToken is the token by which a person may answer a notification: the same with every
// try.
func (w *Workspace) replyToken(effect, address string) (string, error) {
	key, err := derive(w.key, "answers by mail")
	if err != nil {
		return "", err
	}
	mac := hmac.New(sha256.New, key)
	fmt.Fprintf(mac, "%s\x00%s", effect, address)
	return strings.ToLower(base32.StdEncoding.WithPadding(base32.NoPadding).EncodeToString(mac.Sum(nil)[:15])), nil
}

// sendNotification mails a notification: where it is about a conversation and there is a
// mailbox, to each person apart, who may answer it.
func (w *Workspace) sendNotification(ctx context.Context, by *submission.Server, server workspace.Connection, b notifyBody, e store.Effect) error {
	to := w.config.Load().called(b.To)
	if len(to) == 0 {
		return fmt.Errorf("nobody is told: %s has no people with a mail address", b.To)
	}
	m := connect.Mail{ID: e.ID, From: server.From, Subject: b.Subject, Body: b.Body, At: e.CreatedAt}
	box := w.mailboxAddress()
	if box == "" || e.ConversationID == "" {
		for _, p := range to {
			m.To = append(m.To, p.Address)
		}
		return connect.SendMail(ctx, by, m)
	}
	for _, p := range to {
		token, err := w.replyToken(e.ID, p.Address)
		if err != nil {
			return err
		}
		if err := w.write(ctx, func(tx *store.Tx) error {
			return tx.PutReplyToken(store.ReplyToken{Token: token, ConversationID: e.ConversationID, Person: cmp.Or(p.Title, p.Name), Address: strings.ToLower(p.Address), Connection: b.Connection, ExpiresAt: e.CreatedAt.Add(repliesFor)})
		}); err != nil {
			return err
		}
		at := strings.LastIndexByte(box, '@')
		one := m
		one.ID, one.To, one.Body = channel.TokenMark+token, []string{p.Address}, b.Body+howToAnswer
		one.ReplyTo = box[:at] + "+" + channel.TokenMark + token + box[at:]
		if err := connect.SendMail(ctx, by, one); err != nil {
			return err
		}
	}
	return nil
}

// answeredByMail does what a person says who answers a notification by mail. What came of it
// is told to them; a stranger, or one who comes too late, is told that nothing was done. Done
// again, it changes nothing more.
func (w *Workspace) answeredByMail(ctx context.Context, in channel.Incoming) error {
	key := "answered by mail " + in.ExternalID
	if _, err := w.store.Request(ctx, key); err == nil {
		return nil
	}
	token, err := w.store.ReplyToken(ctx, in.Token)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return err
	}
	now := w.Clock.Now()
	done := ""
	switch {
	case err != nil, token.Address != strings.ToLower(in.Address) && !strings.HasSuffix(strings.ToLower(in.Beside.From), "<"+token.Address+">"):
		w.log.Warn("an answer by mail was not accepted: it does not come from whom the notification went to", "from", in.Address)
		// Whoever guesses is told nothing.
	case now.After(token.ExpiresAt):
		done = "Nothing was done: the notification is older than a week. Open the conversation in the console."
	case in.Beside.Silent != "":
		return nil // an out-of-office says nothing
	default:
		if done, err = w.doAsTold(ctx, token, in, key); err != nil {
			return err
		}
	}
	var told []store.Effect
	if done != "" {
		told = append(told, w.effect("notify", "notify/"+token.ConversationID, token.ConversationID, "", notifyBody{token.Connection, token.Address, "Re: " + strings.TrimPrefix(in.Thread.Subject, "Re: "), done + "\n"}))
		told[0].OfBot = false
	}
	if err := w.write(ctx, func(tx *store.Tx) error {
		fresh, err := tx.PutRequest(key, done, now)
		if err != nil || !fresh {
			return err
		}
		for _, e := range told {
			if err := tx.PutEffect(e, now); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		return err
	}
	w.Outbox.add(told...)
	return nil
}

// doAsTold does what the first line says, and returns what was done, for the person.
func (w *Workspace) doAsTold(ctx context.Context, token store.ReplyToken, in channel.Incoming, key string) (string, error) {
	said := strings.TrimSpace(in.Text)
	first, _, _ := strings.Cut(said, "\n")
	word := strings.ToLower(strings.Trim(first, " .!\t\r"))
	id, person := token.ConversationID, token.Person
	switch fact, isFact := cutFold(said, "fact:"); {
	case said == "" || said == "(no text)":
		return "Nothing was done: your mail says nothing above what it quotes.", nil
	case word == "approve" || word == "approved":
		return w.approveByMail(ctx, id, person)
	case word == "close":
		if err := w.Inbox.Close(ctx, id, person); err != nil {
			return notDone(err)
		}
		return "Done: the conversation is closed.", nil
	case isFact && fact == "":
		return "Nothing was done: say the fact behind fact:, as in \"fact: the bakery opens at nine\".", nil
	default:
		if err := w.Inbox.Take(ctx, id, person, true); err != nil {
			return notDone(err)
		}
		var m store.Message
		var err error
		if isFact {
			m, err = w.Inbox.ReplyWithFact(ctx, id, person, fact, key)
		} else {
			m, err = w.Inbox.Reply(ctx, id, person, text.Masked(said), key)
		}
		if err != nil {
			return notDone(err)
		}
		if err := w.Inbox.Return(ctx, id, person, false); err != nil && !errors.Is(err, store.ErrLead) {
			return "", err
		}
		return "Done. The customer is told, in your name:\n\n" + m.Text, nil
	}
}

// approveByMail approves the one reply that is held in a conversation.
func (w *Workspace) approveByMail(ctx context.Context, conversation, person string) (string, error) {
	list, err := w.Inbox.Held(ctx)
	if err != nil {
		return "", err
	}
	list = slices.DeleteFunc(list, func(h store.HeldReply) bool { return h.ConversationID != conversation })
	switch len(list) {
	case 0:
		return "Nothing was done: no reply waits for approval there, or not any more.", nil
	case 1:
		m, err := w.Inbox.Approve(ctx, list[0].ID, person, "")
		if err != nil {
			return notDone(err)
		}
		return "Done. The customer is told:\n\n" + m.Text, nil
	}
	return fmt.Sprintf("Nothing was done: %d replies wait there. Open the conversation in the console.", len(list)), nil
}

// notDone tells a person why nothing was done; what may pass is an error.
func notDone(err error) (string, error) {
	switch {
	case errors.Is(err, store.ErrLead):
		return "Nothing was done: the conversation is closed, or somebody else has it.", nil
	case errors.Is(err, store.ErrNotHeld):
		return "Nothing was done: somebody has approved or rejected the reply already.", nil
	case errors.Is(err, store.ErrNotFound):
		return "Nothing was done: the conversation is not there any more.", nil
	}
	return "", err
}

// cutFold is strings.CutPrefix, whatever the case of letters, without the space behind.
func cutFold(s, prefix string) (rest string, ok bool) {
	if len(s) < len(prefix) || !strings.EqualFold(s[:len(prefix)], prefix) {
		return s, false
	}
	return strings.TrimSpace(s[len(prefix):]), true
}
