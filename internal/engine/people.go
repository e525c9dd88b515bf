package engine

import (
	"context"
	"errors"

	"urgentparrot.example/internal/store"
)

// Take makes a person the assignee of a conversation. When it returns, no bot
// sends there any more. With over, it is taken even from another person.
func (w *Workspace) Take(ctx context.Context, id, person string, over bool) error {
	if err := w.change(ctx, id, func(tx *store.Tx) error { return tx.Take(id, person, over, w.options.Now()) }); err != nil {
		return err
	}
	w.outbox.hush(id)
	return nil
}

// Return hands a conversation back to its bot.
func (w *Workspace) Return(ctx context.Context, id, person string) error {
	return w.change(ctx, id, func(tx *store.Tx) error { return tx.Return(id, person, w.options.Now()) })
}

// CloseConversation ends a conversation.
func (w *Workspace) CloseConversation(ctx context.Context, id, person string) error {
	if err := w.change(ctx, id, func(tx *store.Tx) error { return tx.Close(id, person, w.options.Now()) }); err != nil {
		return err
	}
	w.outbox.hush(id)
	return nil
}

func (w *Workspace) change(ctx context.Context, id string, work func(*store.Tx) error) error {
	c, err := w.store.Conversation(ctx, id)
	if err != nil {
		return err
	}
	if err := w.write(ctx, work); err != nil {
		return err
	}
	w.hub.signal(visitorTopic(c.Channel, c.Address))
	return nil
}

// Reply sends a person's words to the customer. A key, if any, makes a repeat
// harmless: it returns the message that was sent the first time.
func (w *Workspace) Reply(ctx context.Context, id, person, words, key string) (store.Message, error) {
	c, err := w.store.Conversation(ctx, id)
	if err != nil {
		return store.Message{}, err
	}
	if key != "" {
		key = "reply " + id + " " + key
		if sent, err := w.store.Request(ctx, key); err == nil {
			return w.store.Message(ctx, sent)
		}
	}
	var message store.Message
	send := w.personSends(c, words)
	err = w.write(ctx, func(tx *store.Tx) (err error) {
		if message, err = tx.SayAsPerson(id, person, words, send, w.options.Now()); err != nil || key == "" {
			return err
		}
		fresh, err := tx.PutRequest(key, message.ID, w.options.Now())
		if err == nil && !fresh {
			err = errRepeated
		}
		return err
	})
	if errors.Is(err, errRepeated) {
		sent, err := w.store.Request(ctx, key)
		if err != nil {
			return message, err
		}
		return w.store.Message(ctx, sent)
	}
	if err != nil {
		return message, err
	}
	if send != nil {
		w.outbox.add(*send)
	}
	w.hub.signal(visitorTopic(c.Channel, c.Address))
	w.learnFrom(ctx, c, message)
	return message, nil
}

// errRepeated breaks off a write that was done before under the same key.
var errRepeated = errors.New("done before")

// Retry makes an effect that was given up due again.
func (w *Workspace) Retry(ctx context.Context, id string) error {
	failed, err := w.store.Effects(ctx, "failed", 1000)
	if err != nil {
		return err
	}
	for _, e := range failed {
		if e.ID != id {
			continue
		}
		was := false
		now := w.options.Now()
		if err := w.write(ctx, func(tx *store.Tx) (err error) {
			was, err = tx.RetryEffect(id, now)
			return err
		}); err != nil {
			return err
		}
		if was {
			e.Attempts, e.NextAt, e.CreatedAt = 0, now, now
			w.outbox.add(e)
		}
		return nil
	}
	return store.ErrNotFound
}
