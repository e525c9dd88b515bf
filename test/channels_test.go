package test

import (
	"encoding/json"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/world"
)

func TestAVisitorReadsARightAnswerWithItsSource(t *testing.T) {
	s := open(t)
	v := s.visitor()
	contains(t, s.asks(v, "can i take my bike on the boat?"), "£2.50")
	page, err := s.client.Messages(s.ctx, s.conversation("").ID, "")
	s.must(err)
	last := page.Items[len(page.Items)-1]
	if len(last.Citations) != 1 || !strings.Contains(last.Citations[0].Text, "£2.50") {
		t.Errorf("the reply cites %+v", last.Citations)
	}
	turn, err := s.client.Turn(s.ctx, last.Turn)
	s.must(err)
	if turn.Trace.Decision != "answered" || len(turn.Trace.Understood[0].Passages) == 0 || len(turn.Trace.Timings) < 4 {
		t.Errorf("the trace says %+v", turn.Trace)
	}
	contains(t, s.asks(v, "Is there food on board and how much is a van?"), "soup", "£41")
}

func TestAConversationSurvivesReloadAndRestart(t *testing.T) {
	data := t.TempDir()
	before := openIn(t, data)
	v := before.visitor()
	before.asks(v, "I'm Ada, ada@example.org")
	token := v.Token
	before.stop()

	s := openIn(t, data)
	back := s.visitor()
	back.Token = token
	messages, err := back.Messages(s.ctx)
	s.must(err)
	if len(messages) != 2 || messages[0].Text != "I'm Ada, ada@example.org" {
		t.Fatalf("after the restart there is %+v", messages)
	}
	if err := back.Say(s.ctx, "again", "hello"); err != nil {
		t.Fatal(err)
	}
	s.eventually("the bot greets Ada by name", func() bool {
		messages, err := back.Messages(s.ctx)
		s.must(err)
		return len(messages) == 4 && strings.Contains(messages[3].Text, "Ada")
	})
}

func TestOnlyAllowedPagesCarryTheChat(t *testing.T) {
	s := open(t)
	for origin, status := range map[string]int{s.WorldURL: 201, s.PublicURL: 201, "": 201, "https://elsewhere.example": 403, "null": 403} {
		request, err := http.NewRequestWithContext(s.ctx, http.MethodPost, s.chat()+"/visitors", strings.NewReader("{}"))
		s.must(err)
		if origin != "" {
			request.Header.Set("Origin", origin)
		}
		response, err := http.DefaultClient.Do(request)
		s.must(err)
		s.must(response.Body.Close())
		if response.StatusCode != status {
			t.Errorf("a page of %q got %d, want %d", origin, response.StatusCode, status)
		}
		if allowed := response.Header.Get("Access-Control-Allow-Origin"); status == 201 && allowed != origin {
			t.Errorf("a page of %q may not read the answer (%q)", origin, allowed)
		}
	}
	mine, theirs := s.visitor(), s.visitor()
	s.asks(mine, "hello")
	theirs.Token = mine.Token[:len(mine.Token)-2] + "xx"
	if _, err := theirs.Messages(s.ctx); err == nil {
		t.Error("a forged token reads a conversation")
	}
}

func TestATextIsAnsweredOnceHoweverOftenItIsDelivered(t *testing.T) {
	s := open(t)
	const phone = "+447700900123"
	got := s.texts(phone, "t-1", "when is the next boat to hallow point", 1)
	contains(t, got[0].Text, "Hallow Point", "Sandpiper")
	if !slices.Equal(got[0].Answers, []string{"t-1"}) {
		t.Errorf("the reply answers %v", got[0].Answers)
	}
	for range 3 {
		s.must(s.World.Handset.Deliver(s.ctx, phone, "t-1", "when is the next boat to hallow point"))
	}
	// A later text is answered after whatever the repeats would have led to.
	if got = s.texts(phone, "t-2", "thank you", 2); len(got) != 2 {
		t.Errorf("there are %d replies: %+v", len(got), got)
	}
}

func TestTextsThatComeTogetherMakeOneTurn(t *testing.T) {
	s := open(t)
	const phone = "+447700900124"
	// While the tool is asked for the first text, two more arrive.
	s.World.Timetable.Trouble.Set(false, 400*time.Millisecond)
	s.must(s.World.Handset.Send(s.ctx, phone, "a", "when is the next boat to Gannet Holm?"))
	s.must(s.World.Handset.Send(s.ctx, phone, "b", "is there food on board"))
	s.must(s.World.Handset.Send(s.ctx, phone, "c", "and where do I park?"))
	got := s.replies(phone, 1)
	contains(t, got[0].Text, "Grey Heron", "soup")
	if !slices.Equal(got[0].Answers, []string{"a", "b", "c"}) {
		t.Errorf("the one reply answers %v; it says %q", got[0].Answers, got[0].Text)
	}
}

// Own and automated messages never start a turn, and what is not signed is not
// taken (promise 4).
func TestWhatTheTextLineRefuses(t *testing.T) {
	s := open(t)
	payload := func(change func(data map[string]any)) []byte {
		data := map[string]any{"id": "x", "from": "+447700900125", "to": world.Line, "text": "is there food on board?"}
		change(data)
		raw, err := json.Marshal(map[string]any{"type": "text.received", "timestamp": time.Now(), "data": data})
		s.must(err)
		return raw
	}
	as := func(key string, value any) []byte { return payload(func(d map[string]any) { d[key] = value }) }
	good := payload(func(map[string]any) {})
	for _, c := range []struct {
		what string
		at   time.Time
		body []byte
		says string // "": taken
	}{
		{"an old signature", time.Now().Add(-10 * time.Minute), good, "401"},
		{"an empty text", time.Now(), as("text", " \n"), "empty"},
		{"a huge text", time.Now(), as("text", strings.Repeat("boat ", 20_000)), "413"},
		{"a huge request", time.Now(), as("text", strings.Repeat("boat ", 200_000)), "413"},
		{"bytes that are no UTF-8", time.Now(), slices.Replace(slices.Clone(good), 40, 41, 0xff), "UTF-8"},
		{"no id", time.Now(), as("id", ""), "id"},
		{"no sender", time.Now(), as("from", ""), "number"},
		{"a text for another line", time.Now(), as("to", "+441632960199"), "this line is"},
		{"no JSON", time.Now(), []byte("hello"), "JSON"},
		{"an automated text", time.Now(), payload(func(d map[string]any) { d["id"], d["automated"] = "auto", true }), ""},
		{"a text of the line's own", time.Now(), payload(func(d map[string]any) {
			d["id"], d["from"], d["to"] = "own", world.Line, "+447700900125"
		}), ""},
	} {
		err := s.World.Handset.Post(s.ctx, "h-"+c.what, c.at, c.body)
		if c.says == "" && err != nil || c.says != "" && (err == nil || !strings.Contains(err.Error(), c.says)) {
			t.Errorf("%s: %v, want %q", c.what, err, c.says)
		}
	}
	response, err := http.Post(s.PublicURL+"/hooks/brackwater/text-line", "application/json", strings.NewReader(string(good)))
	s.must(err)
	s.must(response.Body.Close())
	if response.StatusCode != http.StatusUnauthorized {
		t.Errorf("an unsigned text got %d", response.StatusCode)
	}
	// The next real text is the only one that is answered.
	if got := s.texts("+447700900125", "real", "is there food on board?", 1); !slices.Equal(got[0].Answers, []string{"real"}) {
		t.Errorf("answered %v", got[0].Answers)
	}
	if lines := s.said(s.conversation("+447700900125").ID); len(lines) != 4 || !strings.HasPrefix(lines[0], "automated") || !strings.HasPrefix(lines[1], "automated") {
		t.Errorf("the conversation holds %q", lines)
	}
}
