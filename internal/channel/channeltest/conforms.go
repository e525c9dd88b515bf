package channeltest

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/core/message"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/outbound"
)

// Verdict is what the other side says to a message that it is handed.
type Verdict int

// What the other side may say.
const (
	Takes   Verdict = iota // it has the message
	Busy                   // not now: try again
	Refuses                // never
	Hangs                  // nothing, until the request is broken off
)

// A Subject is a kind of channel to be held against the contract.
type Subject struct {
	Kind   channel.Kind
	Secret string // of its connection
	Handle string // of its customers, with %04d for a number; "": telephones

	// Deliver hands the adapter's handler a customer's message, as the protocol does.
	// It reports whether it was acknowledged. nil: the adapter fetches what comes in, and
	// is held against that part of the contract by tests of its own.
	Deliver func(h http.Handler, address, id, words string) bool

	// Gateway starts the other side of a kind that sends: it asks judge what to say to
	// each message. It returns the address of the connection. nil: nothing is sent.
	Gateway func(t *testing.T, judge func(id, address, words string) Verdict) (address string)
}

// Conforms holds a kind of channel against the contract of channel.Adapter. Every
// adapter passes it; run it under the race detector too.
func Conforms(t *testing.T, s Subject) {
	t.Run("its example is a document", func(t *testing.T) {
		d, err := channel.Parse([]channel.Kind{s.Kind})("example.yaml", []byte(s.Kind.Example))
		if err != nil {
			t.Fatal(err)
		}
		if d.Named() == "" || s.Kind.Name == "" || s.Kind.Title == "" {
			t.Errorf("the kind %q, %q has an example called %q", s.Kind.Name, s.Kind.Title, d.Named())
		}
		if _, err := channel.Parse([]channel.Kind{s.Kind})("example.yaml", []byte(s.Kind.Example+"not_a_key: 1\n")); err == nil {
			t.Error("a key that it does not have was taken")
		}
	})
	if s.Deliver != nil {
		t.Run("what comes in is acknowledged once it is kept", func(t *testing.T) { s.receives(t) })
	}
	t.Run("it is used from many goroutines", func(t *testing.T) { s.together(t) })
	t.Run("it runs and closes", func(t *testing.T) {
		a, _ := s.open(t, &Room{}, nil)
		ctx, stop := context.WithCancel(t.Context())
		ended := make(chan error, 1)
		go func() { ended <- a.Run(ctx) }()
		stop()
		if err := <-ended; err != nil && !errors.Is(err, context.Canceled) {
			t.Errorf("asked to end, Run says %v", err)
		}
		if err := a.Close(); err != nil {
			t.Errorf("Close: %v", err)
		}
	})
	if s.Gateway != nil {
		t.Run("what goes out is taken, tried again or refused", func(t *testing.T) { s.sends(t) })
	}
}

// customer is the handle of one of the customers.
func (s Subject) customer(i int) string {
	return fmt.Sprintf(cmp.Or(s.Handle, "+44770090%04d"), i)
}

// open opens an adapter as its example says.
func (s Subject) open(t *testing.T, room *Room, judge func(id, address, words string) Verdict) (channel.Adapter, channel.Sender) {
	t.Helper()
	d, err := channel.Parse([]channel.Kind{s.Kind})("example.yaml", []byte(s.Kind.Example))
	if err != nil {
		t.Fatal(err)
	}
	setup := room.Setup(clock.Real{})
	setup.Secret = s.Secret
	if s.Gateway != nil {
		if judge == nil {
			judge = func(string, string, string) Verdict { return Takes }
		}
		setup.Address = s.Gateway(t, judge)
		setup.Other = workspace.Connection{Address: setup.Address, Sends: setup.Address, From: "office@brackwater.example", Security: workspace.NoSecurity}
		setup.Rules = outbound.Rules{Allowed: []string{"127.0.0.1"}}
	}
	a, err := s.Kind.Open(d.(channel.Settings), setup)
	if err != nil {
		t.Fatal(err)
	}
	if first, again := a.Abilities(), a.Abilities(); first != again || first.Limit < 0 {
		t.Errorf("its abilities change, or make no sense: %+v, %+v", first, again)
	}
	if (a.Sender() != nil) != (s.Gateway != nil) {
		t.Errorf("it sends: %v, but has a gateway: %v", a.Sender() != nil, s.Gateway != nil)
	}
	if (a.Handler() != nil) != (s.Kind.Path != "") {
		t.Errorf("it is served: %v, at the path %q", a.Handler() != nil, s.Kind.Path)
	}
	return a, a.Sender()
}

func (s Subject) receives(t *testing.T) {
	room := &Room{}
	a, _ := s.open(t, room, nil)
	defer a.Close()
	const words = "Is there food on board?\n– and 茶? 🦜"
	if !s.Deliver(a.Handler(), s.customer(123), "one", words) {
		t.Fatal("a message was not acknowledged")
	}
	if !s.Deliver(a.Handler(), s.customer(123), "one", words) {
		t.Error("a repeat was not acknowledged, so it would be sent for ever")
	}
	got := room.Received()
	if len(got) != 1 || got[0].Text != words || got[0].Address == "" || got[0].ExternalID == "" || got[0].Automated {
		t.Fatalf("received %+v", got)
	}
	if !s.Deliver(a.Handler(), s.customer(123), "two", "And for dogs?") || len(room.Received()) != 2 || room.Received()[1].Address != got[0].Address {
		t.Errorf("the second message of a customer is not theirs: %+v", room.Received())
	}
	room.Fail(errors.New("the disk is full"))
	if s.Deliver(a.Handler(), s.customer(123), "three", "hello?") {
		t.Error("a message that could not be kept was acknowledged")
	}
	room.Fail(nil)
	for what, wrong := range map[string]string{
		"nothing": " \n ", "no UTF-8": "boat \xff", "a zero": "boat\x00", "far too much": strings.Repeat("boat ", 40_000),
	} {
		if s.Deliver(a.Handler(), s.customer(123), "wrong-"+what, wrong) {
			t.Errorf("a message that holds %s was taken", what)
		}
	}
	if n := len(room.Received()); n != 2 {
		t.Errorf("%d messages were received", n)
	}
}

func (s Subject) together(t *testing.T) {
	room := &Room{}
	var mu sync.Mutex
	var arrived []string
	a, sender := s.open(t, room, func(id, _, _ string) Verdict {
		mu.Lock()
		defer mu.Unlock()
		arrived = append(arrived, id)
		return Takes
	})
	defer a.Close()
	const customers = 8
	var working sync.WaitGroup
	for i := range customers {
		working.Go(func() {
			address, id := s.customer(i), fmt.Sprint("id-", i)
			if s.Deliver != nil && !s.Deliver(a.Handler(), address, id, "Is there food on board?") {
				t.Errorf("%s was not acknowledged", address)
			}
			if sender == nil {
				return
			}
			if err := sender.Send(t.Context(), channel.Outgoing{ID: id, Address: address, Parts: message.Of("Soup.")}); err != nil {
				t.Errorf("%s: %v", address, err)
			}
		})
	}
	working.Wait()
	if n := len(room.Received()); n != customers && s.Deliver != nil {
		t.Errorf("%d of %d messages were received", n, customers)
	}
	if sender != nil && len(arrived) != customers {
		t.Errorf("%d of %d messages arrived", len(arrived), customers)
	}
}

func (s Subject) sends(t *testing.T) {
	var mu sync.Mutex
	verdict := Takes
	var arrived []string
	a, sender := s.open(t, &Room{}, func(id, address, words string) Verdict {
		mu.Lock()
		defer mu.Unlock()
		arrived = append(arrived, id+" "+address+" "+words)
		return verdict
	})
	defer a.Close()
	say := func(v Verdict) {
		mu.Lock()
		defer mu.Unlock()
		verdict = v
	}
	soup := channel.Outgoing{ID: "01990000-0000-7000-8000-000000000001", Address: s.customer(123), Parts: message.Of("There is soup."), Answers: []string{"t-1"}}
	if err := sender.Send(t.Context(), soup); err != nil {
		t.Fatalf("it was not sent: %v", err)
	}
	say(Busy)
	if err := sender.Send(t.Context(), soup); err == nil || errors.Is(err, outbound.ErrRefused) {
		t.Errorf("what should be tried again came back as %v", err)
	}
	say(Refuses)
	if err := sender.Send(t.Context(), soup); !errors.Is(err, outbound.ErrRefused) {
		t.Errorf("what was refused came back as %v", err)
	}
	say(Hangs)
	limited, cancel := context.WithTimeout(t.Context(), 50*time.Millisecond)
	defer cancel()
	if err := sender.Send(limited, soup); err == nil || errors.Is(err, outbound.ErrRefused) {
		t.Errorf("what was broken off came back as %v", err)
	}
	mu.Lock()
	defer mu.Unlock()
	if want := soup.ID + " " + soup.Address + " There is soup."; len(arrived) < 4 || slices.ContainsFunc(arrived, func(a string) bool { return a != want }) {
		t.Errorf("tries arrived as %q, want each %q", arrived, want)
	}
}
