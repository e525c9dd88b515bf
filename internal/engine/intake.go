package engine

import (
	"context"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/channel/website"
	"urgentparrot.example/internal/store"
)

// receive keeps a message that came in on a channel. When it returns without an
// error the message is on disk and will be decided on, whatever happens.
func (w *Workspace) receive(ctx context.Context, channelName string, in channel.Incoming) (channel.Received, error) {
	message := store.Incoming{
		Channel: channelName, Address: in.Address, ExternalID: in.ExternalID, Text: in.Text,
		Author: store.ByCustomer, Bot: w.config.Load().channels[channelName].Bot,
	}
	if in.Automated {
		message.Author = store.ByAutomated
	}
	topic := visitorTopic(channelName, in.Address)
	likely, _ := w.latest.get(topic)
	var received store.Received
	err := w.store.Write(ctx, func(tx *store.Tx) (err error) {
		received, err = tx.Receive(message, likely, w.options.Now())
		return err
	})
	if err != nil {
		w.log.Error("a message could not be kept", "channel", channelName, "error", err)
		return channel.Received{}, err
	}
	if !received.Repeat {
		w.latest.put(topic, received.ConversationID)
		w.hub.signal(Events, topic)
		if !in.Automated {
			w.turns.signal(received.ConversationID)
		}
	}
	return channel.Received{Message: received.MessageID, Conversation: received.ConversationID, Repeat: received.Repeat}, nil
}

// A room is a website channel's view of the workspace.
type room struct {
	w       *Workspace
	channel string
}

func (r room) Receive(ctx context.Context, in channel.Incoming) (channel.Received, error) {
	return r.w.receive(ctx, r.channel, in)
}

func (r room) Messages(ctx context.Context, visitor, after string) ([]website.Message, error) {
	const page = 200
	kept, err := r.w.store.MessagesOfHandle(ctx, r.channel, visitor, after, page)
	messages := make([]website.Message, len(kept))
	for i, m := range kept {
		messages[i] = website.Message{ID: m.ID, Author: string(m.Author), Name: m.Name, Text: m.Text, Citations: m.Citations, At: m.At}
	}
	return messages, err
}

func (r room) Watch(visitor string) (<-chan struct{}, func()) {
	return r.w.hub.watch(visitorTopic(r.channel, visitor))
}
