package channel_test

import (
	"context"
	"fmt"
	"net/http"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/channel/channeltest"
	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/core/workspace"
)

// A slate is a channel on which customers write and read what is written back.
type slate struct{ channel.Setup }

type slateSettings struct {
	workspace.Channel `yaml:",inline"`
}

func (*slateSettings) CheckOwn(*document.Checker) {}

func (s slate) Abilities() workspace.Abilities { return workspace.Abilities{Limit: 200} }
func (s slate) Handler() http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		received, err := s.Room.Receive(r.Context(), channel.Incoming{Address: r.FormValue("who"), ExternalID: r.FormValue("id"), Text: r.FormValue("text")})
		if err != nil {
			w.WriteHeader(http.StatusServiceUnavailable) // it is sent again
			return
		}
		channel.WriteJSON(w, http.StatusAccepted, received)
	})
}
func (s slate) Sender() channel.Sender    { return s }
func (s slate) Run(context.Context) error { return nil }
func (s slate) Close() error              { return nil }
func (s slate) Send(_ context.Context, m channel.Outgoing) error {
	fmt.Printf("to %s: %s\n", m.Address, message.Plain(m.Parts))
	return nil
}

// A protocol plugs in as a Kind: its settings, and what opens an adapter.
func ExampleKind() {
	kind := channel.Kind{
		Name: "slate", Title: "Slate", Path: "slate", Example: "channel: slate\nkind: slate\nbot: front-desk\n",
		Settings: func() channel.Settings { return &slateSettings{} },
		Open:     func(_ channel.Settings, setup channel.Setup) (channel.Adapter, error) { return slate{setup}, nil },
	}
	settings, err := channel.Parse([]channel.Kind{kind})("slate.yaml", []byte(kind.Example))
	if err != nil {
		fmt.Println(err)
		return
	}
	room := &channeltest.Room{}
	adapter, err := kind.Open(settings.(channel.Settings), room.Setup(clock.Real{}))
	if err != nil {
		fmt.Println(err)
		return
	}
	received, err := room.Receive(context.Background(), channel.Incoming{Address: "Ada", ExternalID: "1", Text: "hello"})
	fmt.Println(received.Message, received.Repeat, err)
	err = adapter.Sender().Send(context.Background(), channel.Outgoing{ID: "2", Address: "Ada", Parts: message.Of("Hello!")})
	fmt.Println(err, adapter.Close())
	// Output:
	// m-1 false <nil>
	// to Ada: Hello!
	// <nil> <nil>
}
