// Package test drives the whole service on loopback, as its users do: customers
// through channels, teammates through the API, the CLI and the console.
package test

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/reading/apart"
	"urgentparrot.example/internal/service"
	"urgentparrot.example/internal/world"
)

// A stage is the demo business at work, with a client that is signed in.
type stage struct {
	*service.Demo
	t      *testing.T
	ctx    context.Context
	client *client.Client
	data   string
	env    []string // of commands in the terminal
	stop   func()   // ends the service before the test does
}

// open starts the demo business in a folder of the test's own.
func open(t *testing.T) *stage {
	t.Helper()
	t.Parallel() // most of its time a test waits
	return openIn(t, t.TempDir())
}

func openIn(t *testing.T, data string) *stage {
	t.Helper()
	return openWith(t, data, "")
}

// openWith opens the demo business with bots that think with a model.
func openWith(t *testing.T, data, model string) *stage {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
	command, err := apart.Command()
	if err != nil {
		t.Fatal(err)
	}
	reader := apart.New(nil, command...)
	d, err := service.StartDemo(ctx, service.Options{Data: data, Model: model, Listen: "127.0.0.1:0", Engine: engine.Options{RetryBase: 20 * time.Millisecond, Reader: reader}}, "127.0.0.1:0", "127.0.0.1:0")
	if err != nil {
		cancel()
		t.Fatal(err)
	}
	stop := sync.OnceFunc(func() {
		if err := d.Close(); err != nil {
			t.Errorf("closing: %v", err)
		}
		reader.Close()
		cancel()
	})
	t.Cleanup(stop)
	token, err := d.NewToken(ctx, service.DemoWorkspace, "Robin")
	if err != nil {
		t.Fatal(err)
	}
	return &stage{Demo: d, t: t, ctx: ctx, client: &client.Client{Server: d.PublicURL, Token: token}, data: data, stop: stop}
}

// chat is the address of the website chat.
func (s *stage) chat() string { return s.PublicURL + "/chat/" + service.DemoWorkspace + "/website" }

// visitor opens the chat as somebody new.
func (s *stage) visitor() *world.Visitor {
	s.t.Helper()
	v, err := world.NewVisitor(s.ctx, s.chat())
	if err != nil {
		s.t.Fatal(err)
	}
	return v
}

// asks has a visitor write something, and returns the reply.
func (s *stage) asks(v *world.Visitor, words string) string {
	s.t.Helper()
	said, err := v.Ask(s.ctx, words)
	if err != nil {
		s.t.Fatalf("%q: %v", words, err)
	}
	return said.Text
}

// texts sends a text from a telephone and returns the first n replies on it.
func (s *stage) texts(phone, id, words string, n int) []world.Text {
	s.t.Helper()
	if err := s.World.Handset.Send(s.ctx, phone, id, words); err != nil {
		s.t.Fatalf("%q: %v", words, err)
	}
	return s.replies(phone, n)
}

func (s *stage) replies(phone string, n int) []world.Text {
	s.t.Helper()
	ctx, cancel := context.WithTimeout(s.ctx, patience)
	defer cancel()
	texts, err := s.World.Handset.Await(ctx, phone, func(texts []world.Text) bool { return len(texts) >= n })
	if err != nil {
		s.t.Fatalf("%d of %d replies: %v", len(texts), n, err)
	}
	return texts
}

// conversation returns the conversation with an address, or the newest for "".
func (s *stage) conversation(address string) client.Conversation {
	s.t.Helper()
	page, err := s.client.Conversations(s.ctx, "", "", "")
	if err != nil {
		s.t.Fatal(err)
	}
	for _, c := range page.Items {
		if address == "" || c.Address == address {
			c, err = s.client.Conversation(s.ctx, c.ID)
			if err != nil {
				s.t.Fatal(err)
			}
			return c
		}
	}
	s.t.Fatalf("no conversation with %s", address)
	return client.Conversation{}
}

// said returns the messages of a conversation as "author: text".
func (s *stage) said(id string) []string {
	s.t.Helper()
	page, err := s.client.Messages(s.ctx, id, "")
	if err != nil {
		s.t.Fatal(err)
	}
	var lines []string
	for _, m := range page.Items {
		lines = append(lines, m.Author+": "+m.Text)
	}
	return lines
}

// eventually waits until something holds.
func (s *stage) eventually(what string, holds func() bool) {
	s.t.Helper()
	tick := time.NewTicker(10 * time.Millisecond)
	defer tick.Stop()
	end := time.After(patience)
	for !holds() {
		select {
		case <-tick.C:
		case <-end:
			s.t.Fatalf("it never came to pass that %s", what)
		}
	}
}

// must is for steps that have to work for the test to mean anything.
func (s *stage) must(err error) {
	s.t.Helper()
	if err != nil {
		s.t.Fatal(err)
	}
}

func contains(t *testing.T, text string, parts ...string) {
	t.Helper()
	for _, part := range parts {
		if !strings.Contains(text, part) {
			t.Errorf("%q does not hold %q", text, part)
		}
	}
}

var built struct {
	once sync.Once
	path string
	err  error
}

// program builds the program once and returns its path.
func program(t *testing.T) string {
	t.Helper()
	built.once.Do(func() {
		folder, err := os.MkdirTemp("", "parrot-program-*")
		if err != nil {
			built.err = err
			return
		}
		built.path = filepath.Join(folder, "parrot")
		out, err := exec.Command("go", "build", "-o", built.path, "../cmd/parrot").CombinedOutput()
		if err != nil {
			built.err = fmt.Errorf("%w: %s", err, out)
		}
	})
	if built.err != nil {
		t.Fatal(built.err)
	}
	return built.path
}

func TestMain(m *testing.M) {
	apart.WorkIfAsked()
	beTheHarbourIfAsked()
	code := m.Run()
	if built.path != "" {
		_ = os.RemoveAll(filepath.Dir(built.path))
	}
	os.Exit(code)
}
