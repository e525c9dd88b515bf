package engine

import (
	"errors"
	"net/http"
	"net/http/httptest"
	"sync/atomic"
	"testing"
	"time"

	"urgentparrot.example/internal/connect"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/tool"
	"urgentparrot.example/internal/store"
)

// Each way in which tools are carried out has what carries it out, and nothing else is there.
func TestEachWayOfToolsIsCarriedOut(t *testing.T) {
	if len(carriers) != len(tool.Ways) {
		t.Errorf("%d ways, %d carriers", len(tool.Ways), len(carriers))
	}
	for _, way := range tool.Ways {
		if carriers[way.Name] == nil {
			t.Errorf("nothing carries out a tool that does %q", way.Name)
		}
	}
}

// toolStage is a workspace with a system beside it that counts what it is asked.
func toolStage(t *testing.T, documents ...[3]string) (*stage, *atomic.Int32) {
	t.Helper()
	asked := &atomic.Int32{}
	system := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		asked.Add(1)
		w.WriteHeader(http.StatusBadGateway)
	}))
	t.Cleanup(system.Close)
	s := openStage(t)
	for _, d := range append([][3]string{
		{"connection", "desk", "connection: desk\nkind: http\naddress: " + system.URL + "\n"},
		{"sheet", "found", "sheet: found\ncolumns: [Item, Where]\n"},
	}, documents...) {
		s.put(d[0], d[2])
	}
	return s, asked
}

// What may change something and is not known to recognise a repeat is sent once: not again
// when it fails, and not again after a crash in the middle of it. What only reads is tried as
// often as the tool says.
func TestWhatMustNotHappenTwiceIsSentOnce(t *testing.T) {
	book := "tool: book\nconnection: desk\nmethod: POST\npath: /book\nwhen: [book]\nsay: [{ text: Done. }]\nsorry: No.\ntimeout: 5s\n"
	s, asked := toolStage(t,
		[3]string{"tool", "book", book},
		[3]string{"tool", "again", book[:len("tool: ")] + "again" + book[len("tool: book"):] + "repeatable: true\n"},
		[3]string{"tool", "look", "tool: look\nconnection: desk\npath: /look\nwhen: [look]\nsay: [{ text: Done. }]\nsorry: No.\n"},
	)
	for name, times := range map[string]int32{"book": 1, "again": 3, "look": 3} {
		asked.Store(0)
		done := make(chan error, 1)
		go func() {
			_, kept, err := s.Tools.call(t.Context(), dialogue.Call{Tool: name}, caller{id: store.NewID(), by: "bot"})
			if kept == nil || kept.State != "failed" || kept.Error == "" {
				t.Errorf("%s: it is kept as %+v", name, kept)
			}
			done <- err
		}()
		s.pausing(name+" is given up", time.Second, func() bool {
			select {
			case err := <-done:
				return err != nil
			default:
				return false
			}
		})
		if got := asked.Load(); got != times {
			t.Errorf("%s is sent %d times, want %d", name, got, times)
		}
	}
	asked.Store(0)
	id := store.NewID()
	if err := s.Tools.begin(t.Context(), store.ToolCall{ID: id, Tool: "book", Caller: "bot", State: "begun", At: s.clock.Now()}); err != nil {
		t.Fatal(err)
	}
	if _, _, err := s.Tools.call(t.Context(), dialogue.Call{Tool: "book"}, caller{id: id, by: "bot"}); !errors.Is(err, errMaybeCalled) || asked.Load() != 0 {
		t.Errorf("after a crash it is called again: %v, %d times", err, asked.Load())
	}
}

// A tool of our own finds rows by what was said, and no others; adds one row for one call,
// however often it is carried out; reads the contact but for what is sensitive; and what it
// keeps of them is a claim.
func TestToolsOfOurOwn(t *testing.T) {
	s, _ := toolStage(t,
		[3]string{"tool", "find", "tool: find\ndoes: find row\nsheet: found\nwhere: { Item: \"*{{ arguments.item }}*\", Where: \"{{ arguments.?where.orValue('') }}\" }\narguments: { type: object, properties: { item: { type: string }, where: { type: string } } }\nwhen: [find]\nsay: [{ text: x }]\nsorry: No.\n"},
		[3]string{"tool", "note", "tool: note\ndoes: add row\nsheet: found\nrow: { Item: \"{{ arguments.item }}\", Where: Pier }\narguments: { type: object, required: [item], properties: { item: { type: string } } }\ncomes_from: { item: { ask: What? } }\nwhen: [note]\nsay: [{ text: x }]\nsorry: No.\n"},
		[3]string{"tool", "who", "tool: who\ndoes: read contact\nwhen: [who]\nsay: [{ text: x }]\nsorry: No.\n"},
		[3]string{"tool", "learn", "tool: learn\ndoes: update contact\ndetails: { email: \"{{ arguments.mail }}\" }\narguments: { type: object, properties: { mail: { type: string } } }\nwhen: [learn]\nsay: [{ text: x }]\nsorry: No.\n"},
	)
	call := func(name string, by caller, arguments map[string]any) any {
		result, _, err := s.Tools.call(t.Context(), dialogue.Call{Tool: name, Arguments: arguments}, by)
		if err != nil {
			return err
		}
		return result
	}
	rows := func(result any) int {
		list, _ := result.(map[string]any)["rows"].([]any)
		return len(list)
	}
	for range 2 { // the same call, carried out again after a crash
		call("note", caller{id: "c-1", by: "bot"}, map[string]any{"item": "Red umbrellas"})
	}
	call("note", caller{id: "c-2", by: "bot"}, map[string]any{"item": "A grey scarf"})
	for _, c := range []struct {
		arguments map[string]any
		found     int
	}{
		{map[string]any{"item": "a red umbrella"}, 1}, {map[string]any{"item": "scarf"}, 1}, {map[string]any{"item": "blue umbrella"}, 0}, {map[string]any{"item": ""}, 0},
		{map[string]any{"item": "a"}, 0}, {map[string]any{"item": "*"}, 0}, {map[string]any{"item": "scarf", "where": "Boat"}, 0}, {map[string]any{"item": "umbrella", "where": "pier"}, 1},
	} {
		if got := rows(call("find", caller{by: "bot"}, c.arguments)); got != c.found {
			t.Errorf("%v finds %d rows, want %d", c.arguments, got, c.found)
		}
	}
	id := s.rings("+447700900150", "1", "I'm Ada, ada@example.org. is there food on board?")
	s.until("who wrote is known", func() bool {
		_, memory, err := s.store.ConversationWithMemory(t.Context(), id)
		return err == nil && memory["name"].Value == "Ada"
	})
	talk, _, err := s.store.ConversationWithMemory(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Contacts.Change(t.Context(), talk.ContactID, "Robin", ContactEdit{Facts: map[string]string{"email": "ada@example.org"}}); err != nil {
		t.Fatal(err)
	}
	call("learn", caller{by: "bot", conversation: id}, map[string]any{"mail": "eve@example.org"})
	if _, memory, _ := s.store.ConversationWithMemory(t.Context(), id); memory["email"].Value != "ada@example.org" || !memory["email"].Verified {
		t.Errorf("what a tool keeps took the place of what is verified: %+v", memory["email"])
	}
	known, _ := call("who", caller{by: "bot", conversation: id}, nil).(map[string]any)
	if details, _ := known["details"].(map[string]any); details["name"] != "Ada" || details["email"] != "ada@example.org" {
		t.Errorf("it reads %+v", known)
	}
	if err, is := call("who", caller{by: "trial"}, nil).(error); !is {
		t.Errorf("without a contact it reads %v", err)
	}
}

// What is sensitive of a contact does not reach the log of calls.
func TestTheLogOfCallsHoldsNothingSensitive(t *testing.T) {
	s, _ := toolStage(t, [3]string{"settings", "main", "settings: main\ntitle: Harbour\nfields:\n  - { field: name, label: Name, type: name }\n  - { field: email, label: E-mail, type: email }\n  - { field: health, label: Health, sensitive: true }\n"})
	c := &store.ToolCall{ID: "1", Tool: "x", Arguments: map[string]any{"need": "a bad knee", "n": 3}, Request: "sent a bad knee"}
	s.Tools.note(c, connect.Exchange{Request: "sent a bad knee", Response: "got a bad knee"}, contact.Memory{"health": {Field: "health", Value: "a bad knee"}}, errors.New("a bad knee is refused"))
	if c.Arguments["need"] != "***" || c.Request != "sent ***" || c.Response != "got ***" || c.Error != "*** is refused" {
		t.Errorf("it is kept as %+v", c)
	}
}
