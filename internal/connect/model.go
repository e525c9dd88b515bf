package connect

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/tmaxmax/go-sse"

	"urgentparrot.example/internal/core/thinker"
	"urgentparrot.example/internal/outbound"
)

// A Model is one of a model server's, and how it is to write.
type Model struct {
	Name        string
	Temperature float64
	Output      int // tokens at most
}

// Bounds of what a model server sends.
const (
	mostModels    = 500
	mostEvent     = 1 << 20
	mostCalls     = 16
	mostArguments = 32 << 10
	mostWait      = 2 * time.Second // that is asked for before another try
)

// modelPath is where many servers of models have what they do.
const modelPath = "/v1"

// Models returns the names of the models that a server has, by the call that such servers
// share: GET /models, answered with data, a list of objects with id.
func (e Endpoint) Models(ctx context.Context) (names []string, err error) {
	var answer struct{ Data []struct{ ID string } }
	if err := e.call(ctx, http.MethodGet, "/models", "", nil, &answer); err != nil {
		if address := strings.TrimRight(e.Address, "/"); errors.Is(err, errNotThere) && !strings.HasSuffix(address, modelPath) {
			return nil, fmt.Errorf("%w: nothing is at %s/models; many servers have their models below %s: try %s%s", errNotThere, address, modelPath, address, modelPath)
		}
		return nil, err
	}
	for _, m := range answer.Data[:min(len(answer.Data), mostModels)] {
		if m.ID != "" {
			names = append(names, m.ID)
		}
	}
	slices.Sort(names)
	return names, nil
}

// What is sent to, and comes from, POST /chat/completions.
type (
	chatMessage struct {
		Role      string     `json:"role"`
		Content   string     `json:"content"`
		Calls     []chatCall `json:"tool_calls,omitempty"`
		AnswersTo string     `json:"tool_call_id,omitempty"`
	}
	chatCall struct {
		Index    int    `json:"index"`
		ID       string `json:"id"`
		Type     string `json:"type"`
		Function struct {
			Name      string `json:"name"`
			Arguments string `json:"arguments"`
		} `json:"function"`
	}
	chatUsage struct {
		Prompt     int `json:"prompt_tokens"`
		Completion int `json:"completion_tokens"`
	}
	chatPiece struct {
		Choices []struct {
			Delta   chatMessage `json:"delta"`
			Message chatMessage `json:"message"`
			Finish  string      `json:"finish_reason"`
		} `json:"choices"`
		Usage *chatUsage `json:"usage"`
		Error *struct {
			Message string `json:"message"`
		} `json:"error"`
	}
)

// Chat puts a request to a model, by the call that servers of language models share: POST
// /chat/completions with messages, tools, a JSON Schema for the reply, and a stream of
// pieces that come back. A server that is too busy and says for how long is asked once more
// if that is soon. What comes back is bounded; a reply that ended because it might not be
// longer, or that broke off, is known as cut.
func (e Endpoint) Chat(ctx context.Context, m Model, request *thinker.Request) (reply thinker.Reply, err error) {
	started := e.Clock.Now()
	raw, err := json.Marshal(m.body(request))
	if err != nil {
		return reply, err
	}
	response, err := e.openChat(ctx, raw)
	var unfit *unfitting
	if errors.As(err, &unfit) && request.Schema != nil {
		// Some servers know no schemas for replies. The prompt says the form too, and what
		// comes back is read with the same care.
		plain := *request
		plain.Schema = nil
		if raw, err = json.Marshal(m.body(&plain)); err != nil {
			return reply, err
		}
		response, err = e.openChat(ctx, raw)
	}
	if err != nil {
		return reply, err
	}
	defer response.Body.Close()
	var said chatSaid
	since := func() int { return int(e.Clock.Now().Sub(started).Milliseconds()) }
	if kind, _, _ := mime.ParseMediaType(response.Header.Get("Content-Type")); kind == "text/event-stream" {
		for event, err := range sse.Read(io.LimitReader(response.Body, modelLimit), &sse.ReadConfig{MaxEventSize: mostEvent}) {
			if err != nil {
				return reply, fmt.Errorf("%s broke off: %w", e.Title, err)
			}
			if reply.FirstAfter == 0 {
				reply.FirstAfter = max(1, since())
			}
			if strings.TrimSpace(event.Data) == "[DONE]" {
				said.ended = true
				break
			}
			if err := said.take(e, []byte(event.Data)); err != nil {
				return reply, err
			}
		}
		if ctx.Err() != nil {
			return reply, ctx.Err()
		}
	} else {
		all, err := io.ReadAll(io.LimitReader(response.Body, modelLimit))
		if err != nil {
			return reply, fmt.Errorf("%s broke off: %w", e.Title, err)
		}
		if err := said.take(e, all); err != nil {
			return reply, err
		}
		reply.FirstAfter, said.ended = since(), true
	}
	reply.Took = since()
	reply.Text = string(e.withoutSecret([]byte(said.text.String())))
	reply.Calls = said.asked()
	reply.Cut = said.finish == "length" || !said.ended && said.finish == ""
	if said.usage != nil {
		reply.In, reply.Out, reply.Counted = max(0, said.usage.Prompt), max(0, said.usage.Completion), true
	} else {
		reply.In, reply.Out = len(raw)/tokenBytes, said.text.Len()/tokenBytes+1
	}
	return reply, nil
}

// tokenBytes is how many bytes make a token, about, where a server does not count.
const tokenBytes = 4

// body is what is sent.
func (m Model) body(request *thinker.Request) map[string]any {
	var messages []chatMessage
	for _, said := range request.Messages {
		message := chatMessage{Role: said.Role, Content: said.Text, AnswersTo: said.CallID}
		for i, call := range said.Calls {
			arguments, err := json.Marshal(call.Arguments)
			if err != nil {
				arguments = []byte("{}")
			}
			c := chatCall{Index: i, ID: call.ID, Type: "function"}
			c.Function.Name, c.Function.Arguments = call.Name, string(arguments)
			message.Calls = append(message.Calls, c)
		}
		messages = append(messages, message)
	}
	body := map[string]any{
		"model": m.Name, "messages": messages, "temperature": m.Temperature, "max_tokens": m.Output,
		"stream": true, "stream_options": map[string]any{"include_usage": true},
	}
	if request.Schema != nil {
		body["response_format"] = map[string]any{"type": "json_schema", "json_schema": map[string]any{"name": string(request.Kind), "strict": true, "schema": request.Schema}}
	}
	var tools []map[string]any
	for _, f := range request.Functions {
		tools = append(tools, map[string]any{"type": "function", "function": map[string]any{"name": f.Name, "description": f.About, "parameters": f.Parameters}})
	}
	if tools != nil {
		body["tools"] = tools
	}
	return body
}

// openChat sends a request, once more after a pause that the server asks for.
func (e Endpoint) openChat(ctx context.Context, raw []byte) (*http.Response, error) {
	for try := 0; ; try++ {
		request, err := http.NewRequestWithContext(ctx, http.MethodPost, strings.TrimSuffix(e.Address, "/")+"/chat/completions", bytes.NewReader(raw))
		if err != nil {
			return nil, err
		}
		request.Header.Set("Content-Type", "application/json")
		request.Header.Set("Accept", "text/event-stream, application/json")
		if e.Secret != "" {
			request.Header.Set("Authorization", "Bearer "+e.Secret)
		}
		response, err := e.Client.Do(request)
		if err != nil {
			return nil, fmt.Errorf("%s cannot be reached: %w", e.Title, outbound.Why(err))
		}
		if response.StatusCode == http.StatusOK {
			return response, nil
		}
		said, _ := io.ReadAll(io.LimitReader(response.Body, 4<<10))
		response.Body.Close()
		pause, asked := retryAfter(response.Header.Get("Retry-After"))
		if response.StatusCode == http.StatusTooManyRequests && try == 0 && asked && pause <= mostWait {
			passed, stop := e.Clock.Timer(pause)
			select {
			case <-passed:
				continue
			case <-ctx.Done():
				stop()
				return nil, ctx.Err()
			}
		}
		refused := fmt.Errorf("%w: %s answered %d: %s", outbound.ErrRefused, e.Title, response.StatusCode, outbound.Excerpt(e.withoutSecret(said)))
		switch response.StatusCode {
		case http.StatusBadRequest, http.StatusUnprocessableEntity, http.StatusNotImplemented:
			return nil, &unfitting{refused}
		}
		return nil, refused
	}
}

// unfitting is the refusal of a request by its form.
type unfitting struct{ error }

func (u *unfitting) Unwrap() error { return u.error }

func retryAfter(header string) (time.Duration, bool) {
	seconds, err := strconv.ParseFloat(strings.TrimSpace(header), 64)
	if err != nil || !(seconds >= 0) || seconds > 3600 {
		return 0, false
	}
	return time.Duration(seconds * float64(time.Second)), true
}

// chatSaid is what has come of a reply so far.
type chatSaid struct {
	text   strings.Builder
	calls  []chatCall
	finish string
	usage  *chatUsage
	ended  bool
}

func (s *chatSaid) take(e Endpoint, raw []byte) error {
	var piece chatPiece
	if err := json.Unmarshal(raw, &piece); err != nil {
		return fmt.Errorf("%s sent something that is not JSON", e.Title)
	}
	if piece.Error != nil {
		return fmt.Errorf("%s broke off: %s", e.Title, outbound.Excerpt(e.withoutSecret([]byte(piece.Error.Message))))
	}
	if piece.Usage != nil {
		s.usage = piece.Usage
	}
	if len(piece.Choices) == 0 {
		return nil
	}
	choice := piece.Choices[0]
	if choice.Finish != "" {
		s.finish = choice.Finish
	}
	for _, m := range []chatMessage{choice.Delta, choice.Message} {
		if utf8.ValidString(m.Content) {
			s.text.WriteString(m.Content)
		}
		for i, call := range m.Calls {
			at := call.Index
			if choice.Message.Calls != nil {
				at = i
			}
			if at < 0 || at >= mostCalls {
				return errors.New("the model asks for too many tools at once")
			}
			for len(s.calls) <= at {
				s.calls = append(s.calls, chatCall{})
			}
			c := &s.calls[at]
			if call.ID != "" {
				c.ID = call.ID
			}
			c.Function.Name += call.Function.Name
			if c.Function.Arguments += call.Function.Arguments; len(c.Function.Arguments) > mostArguments || len(c.Function.Name) > 200 {
				return errors.New("the model calls a tool with more than is read")
			}
		}
	}
	return nil
}

// asked are the calls that the model asks for.
func (s *chatSaid) asked() (calls []thinker.Call) {
	for i, c := range s.calls {
		call := thinker.Call{ID: c.ID, Name: c.Function.Name}
		if call.ID == "" {
			call.ID = "call-" + strconv.Itoa(i+1)
		}
		if arguments := strings.TrimSpace(c.Function.Arguments); arguments != "" && json.Unmarshal([]byte(arguments), &call.Arguments) != nil {
			call.Unread = arguments
		}
		calls = append(calls, call)
	}
	return calls
}
