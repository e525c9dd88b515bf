package connect

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/core/thinker"
	"urgentparrot.example/internal/outbound"
)

// chatWith puts a request to a server that answers as it is told.
func chatWith(t *testing.T, request *thinker.Request, answer func(w http.ResponseWriter, body map[string]any)) (thinker.Reply, error) {
	t.Helper()
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		raw, _ := io.ReadAll(r.Body)
		var body map[string]any
		if err := json.Unmarshal(raw, &body); err != nil || r.URL.Path != "/v1/chat/completions" || r.Header.Get("Authorization") != "Bearer sesame" {
			http.Error(w, "bad request", http.StatusTeapot)
			return
		}
		answer(w, body)
	}))
	defer server.Close()
	e := Endpoint{Title: "the model", Address: server.URL + "/v1/", Secret: "sesame", Client: server.Client(), Clock: clock.Real{}}
	return e.Chat(t.Context(), Model{Name: "small", Temperature: 0.2, Output: 300}, request)
}

func pieces(w http.ResponseWriter, lines ...string) {
	w.Header().Set("Content-Type", "text/event-stream; charset=utf-8")
	for _, line := range lines {
		fmt.Fprintf(w, "data: %s\n\n", line)
	}
}

func TestAReplyComesInOnePieceOrInMany(t *testing.T) {
	request := &thinker.Request{Kind: thinker.Answer, Messages: []thinker.Message{{Role: thinker.User, Text: "Dogs?"}}, Schema: map[string]any{"type": "object"}, Functions: []thinker.Function{{Name: "boats", Parameters: map[string]any{"type": "object"}}}}
	var sent map[string]any
	reply, err := chatWith(t, request, func(w http.ResponseWriter, body map[string]any) {
		sent = body
		pieces(w, `{"choices":[{"delta":{"content":"Dogs "}}]}`, `{"choices":[{"delta":{"content":"travel free, said sesame."}}]}`,
			`{"choices":[{"delta":{},"finish_reason":"stop"}]}`, `{"choices":[],"usage":{"prompt_tokens":12,"completion_tokens":5}}`, `[DONE]`)
	})
	if err != nil || reply.Text != "Dogs travel free, said ***." || reply.Cut || reply.In != 12 || reply.Out != 5 || !reply.Counted {
		t.Errorf("%+v, %v", reply, err)
	}
	if sent["model"] != "small" || sent["max_tokens"] != 300.0 || sent["stream"] != true || sent["response_format"] == nil || len(sent["tools"].([]any)) != 1 {
		t.Errorf("it is sent %v", sent)
	}
	reply, err = chatWith(t, request, func(w http.ResponseWriter, _ map[string]any) {
		w.Header().Set("Content-Type", "application/json")
		fmt.Fprint(w, `{"choices":[{"message":{"content":null,"tool_calls":[{"id":"a","function":{"name":"boats","arguments":"{\"to\":\"Hallow Point\"}"}}]},"finish_reason":"tool_calls"}]}`)
	})
	if err != nil || len(reply.Calls) != 1 || reply.Calls[0].Arguments["to"] != "Hallow Point" || reply.Counted || reply.In == 0 {
		t.Errorf("in one piece: %+v, %v", reply, err)
	}
	reply, err = chatWith(t, request, func(w http.ResponseWriter, _ map[string]any) {
		pieces(w, `{"choices":[{"delta":{"tool_calls":[{"index":0,"id":"a","function":{"name":"boats","arguments":"{\"to\":"}}]}}]}`,
			`{"choices":[{"delta":{"tool_calls":[{"index":0,"function":{"arguments":"\"Hal"}}]}}]}`, `{"choices":[{"finish_reason":"tool_calls"}]}`, `[DONE]`)
	})
	if err != nil || len(reply.Calls) != 1 || reply.Calls[0].Unread != `{"to":"Hal` {
		t.Errorf("a torn call: %+v, %v", reply, err)
	}
}

// What breaks off, is too much, or is refused ends in an error or a cut reply that says so.
func TestWhatAModelServerGetsWrongIsSeen(t *testing.T) {
	request := &thinker.Request{Kind: thinker.Answer, Schema: map[string]any{"type": "object"}}
	calls := strings.Repeat(`{"index":99,"function":{"name":"x"}}`, 1)
	for _, c := range []struct {
		what   string
		answer func(w http.ResponseWriter, _ map[string]any)
		cut    bool
		want   string
	}{
		{"it ended because it might not be longer", func(w http.ResponseWriter, _ map[string]any) {
			pieces(w, `{"choices":[{"delta":{"content":"Dogs"},"finish_reason":"length"}]}`, `[DONE]`)
		}, true, ""},
		{"it ended without an end", func(w http.ResponseWriter, _ map[string]any) { pieces(w, `{"choices":[{"delta":{"content":"Dogs"}}]}`) }, true, ""},
		{"it broke off with a word", func(w http.ResponseWriter, _ map[string]any) {
			pieces(w, `{"error":{"message":"no memory for sesame"}}`)
		}, false, "no memory for ***"},
		{"it is no JSON", func(w http.ResponseWriter, _ map[string]any) { pieces(w, `<html>`) }, false, "not JSON"},
		{"calls without end", func(w http.ResponseWriter, _ map[string]any) {
			pieces(w, `{"choices":[{"delta":{"tool_calls":[`+calls+`]}}]}`)
		}, false, "too many tools"},
		{"arguments without end", func(w http.ResponseWriter, _ map[string]any) {
			pieces(w, `{"choices":[{"delta":{"tool_calls":[{"index":0,"function":{"name":"x","arguments":"`+strings.Repeat("a", 40_000)+`"}}]}}]}`)
		}, false, "more than is read"},
		{"one event without end", func(w http.ResponseWriter, _ map[string]any) {
			w.Header().Set("Content-Type", "text/event-stream")
			fmt.Fprint(w, "data: ", strings.Repeat("x", 2<<20))
		}, false, "broke off"},
		{"it is out of order", func(w http.ResponseWriter, _ map[string]any) { http.Error(w, "sesame", http.StatusBadGateway) }, false, "answered 502: ***"},
		{"it is busy for long", func(w http.ResponseWriter, _ map[string]any) {
			w.Header().Set("Retry-After", "60")
			w.WriteHeader(http.StatusTooManyRequests)
		}, false, "answered 429"},
	} {
		reply, err := chatWith(t, request, c.answer)
		if (err == nil) != (c.want == "") || err != nil && !strings.Contains(err.Error(), c.want) || reply.Cut != c.cut && err == nil {
			t.Errorf("%s: cut %v, %v", c.what, reply.Cut, err)
		}
	}
}

// A server that is busy for a moment is asked once more; one that knows no schemas is asked
// without.
func TestAModelServerIsMetHalfWay(t *testing.T) {
	request := &thinker.Request{Kind: thinker.Answer, Schema: map[string]any{"type": "object"}}
	times := 0
	began := time.Now()
	reply, err := chatWith(t, request, func(w http.ResponseWriter, body map[string]any) {
		times++
		switch {
		case times == 1:
			w.Header().Set("Retry-After", "0.1")
			w.WriteHeader(http.StatusTooManyRequests)
		case body["response_format"] != nil:
			http.Error(w, "response_format is not supported", http.StatusBadRequest)
		default:
			pieces(w, `{"choices":[{"delta":{"content":"{}"},"finish_reason":"stop"}]}`, `[DONE]`)
		}
	})
	if err != nil || reply.Text != "{}" || times != 3 || time.Since(began) < 100*time.Millisecond {
		t.Errorf("%+v, %v, asked %d times", reply, err, times)
	}
	_, err = chatWith(t, &thinker.Request{Kind: thinker.Phrase}, func(w http.ResponseWriter, _ map[string]any) {
		http.Error(w, "no such model", http.StatusBadRequest)
	})
	if !errors.Is(err, outbound.ErrRefused) || !strings.Contains(err.Error(), "no such model") {
		t.Errorf("a refusal: %v", err)
	}
}

// Who leaves out the last part of a model server's address is told what many have there.
func TestTheModelsAreBelowTheAddress(t *testing.T) {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path != "/desk/v1/models" {
			http.NotFound(w, r)
			return
		}
		pieces := `{"data":[{"id":"small"},{"id":""},{"id":"large"}]}`
		_, _ = w.Write([]byte(pieces))
	}))
	t.Cleanup(server.Close)
	at := func(path string) Endpoint {
		return Endpoint{Title: "the desk", Address: server.URL + path, Client: server.Client(), Clock: clock.Real{}}
	}
	for _, path := range []string{"/desk", "/desk/"} {
		if _, err := at(path).Models(t.Context()); !errors.Is(err, outbound.ErrRefused) || !strings.Contains(err.Error(), "try "+server.URL+"/desk/v1") {
			t.Errorf("at %s: %v", path, err)
		}
	}
	if _, err := at("/elsewhere/v1").Models(t.Context()); err == nil || strings.Contains(err.Error(), "try") {
		t.Errorf("at an address that ends so already: %v", err)
	}
	if names, err := at("/desk/v1").Models(t.Context()); err != nil || strings.Join(names, " ") != "large small" {
		t.Errorf("the models are %q, %v", names, err)
	}
}
