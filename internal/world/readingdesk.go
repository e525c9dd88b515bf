package world

import (
	"encoding/json"
	"fmt"
	"hash/fnv"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"urgentparrot.example/internal/core/thinker"
)

// A ReadingDesk stands in for a server of language models. Nobody thinks there: it answers
// from scripts, and by simple rules over what it is given to read. It keeps the last
// exchanges, and misbehaves on demand.
type ReadingDesk struct {
	Trouble Trouble

	mu        sync.Mutex
	mode      Mode
	scripts   []Script
	exchanges []Exchange
	seen      int // exchanges in all
	hanging   int // requests that it keeps without an answer
	limited   map[string]bool
}

// A Mode is how a reading desk behaves.
type Mode string

// The modes of a reading desk.
const (
	ReadsWell   Mode = "reads well"
	Slow        Mode = "slow"             // a word at a time, for a long time
	Hangs       Mode = "hangs"            // it takes the request and says nothing
	Busy        Mode = "busy"             // answers 429, and to come again in a second
	Full        Mode = "full"             // answers 429 whenever it is asked
	Broken      Mode = "broken"           // answers 500
	CutsOff     Mode = "cuts off"         // ends in mid reply, and says so
	BreaksOff   Mode = "breaks off"       // ends in mid reply without a word
	Garbles     Mode = "garbles"          // replies with what is no JSON
	Invents     Mode = "invents"          // adds a price and a promise
	Careless    Mode = "careless"         // says what other passages say
	AsksUnknown Mode = "unknown tool"     // calls a tool that there is not
	Repeats     Mode = "repeats"          // calls the same tool for ever
	Wanders     Mode = "another language" // replies in German, and gets it wrong
	Obeys       Mode = "obeys"            // does what documents and messages tell it
)

// Modes lists all modes.
var Modes = []Mode{ReadsWell, Slow, Hangs, Busy, Full, Broken, CutsOff, BreaksOff, Garbles, Invents, Careless, AsksUnknown, Repeats, Wanders, Obeys}

// A Script is what is replied to prompts that hold a text.
type Script struct {
	When  string `json:"when"` // in the last message
	Reply string `json:"reply"`
}

// An Exchange is a prompt and what was replied.
type Exchange struct {
	At     time.Time      `json:"at"`
	Model  string         `json:"model"`
	Kind   string         `json:"kind"`
	Prompt []promptLine   `json:"prompt"`
	Tools  []string       `json:"tools,omitempty"`
	Reply  string         `json:"reply"`
	Calls  map[string]any `json:"calls,omitempty"`
	Mode   Mode           `json:"mode"`
}

type promptLine struct {
	Role    string `json:"role"`
	Content string `json:"content"`
	Calls   []any  `json:"tool_calls,omitempty"`
}

// A prompt is what is asked of the desk.
type prompt struct {
	Model    string       `json:"model"`
	Messages []promptLine `json:"messages"`
	Stream   bool         `json:"stream"`
	Most     int          `json:"max_tokens"`
	Format   struct {
		Schema struct {
			Name   string         `json:"name"`
			Schema map[string]any `json:"schema"`
		} `json:"json_schema"`
	} `json:"response_format"`
	Tools []struct {
		Function function `json:"function"`
	} `json:"tools"`
}

type function struct {
	Name        string         `json:"name"`
	Description string         `json:"description"`
	Parameters  map[string]any `json:"parameters"`
}

// A said is what the desk replies: words, or calls.
type said struct {
	text  string
	calls []call
}

type call struct {
	name      string
	arguments map[string]any
}

const keptExchanges = 200

// Set changes how the desk behaves from now on.
func (d *ReadingDesk) Set(mode Mode) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.mode, d.limited = mode, nil
}

// Put gives the desk scripts, in place of those it had.
func (d *ReadingDesk) Put(scripts ...Script) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.scripts = scripts
}

// Exchanges returns the last exchanges, oldest first.
func (d *ReadingDesk) Exchanges() []Exchange {
	d.mu.Lock()
	defer d.mu.Unlock()
	return slices.Clone(d.exchanges)
}

// Seen is how many exchanges there were.
func (d *ReadingDesk) Seen() int {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.seen
}

// Hanging is how many requests for a reply to a customer the desk keeps without an answer,
// until they are given up.
func (d *ReadingDesk) Hanging() int {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.hanging
}

func (d *ReadingDesk) count(what *int, by int) {
	d.mu.Lock()
	defer d.mu.Unlock()
	*what += by
}

func (d *ReadingDesk) now() (Mode, []Script) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.mode == "" {
		return ReadsWell, d.scripts
	}
	return d.mode, d.scripts
}

// serve adds the desk's routes.
func (d *ReadingDesk) serve(mux *http.ServeMux) {
	mux.HandleFunc("GET /reading-desk/v1/models", func(w http.ResponseWriter, r *http.Request) {
		if !d.Trouble.strikes(w, r) {
			writeJSON(w, http.StatusOK, map[string]any{"object": "list", "data": []any{map[string]any{"id": "desk-small", "object": "model"}, map[string]any{"id": "desk-large", "object": "model"}}})
		}
	})
	mux.HandleFunc("POST /reading-desk/v1/chat/completions", d.chat)
	mux.HandleFunc("POST /reading-desk/v1/embeddings", d.embed)
	mux.HandleFunc("GET /reading-desk/exchanges", func(w http.ResponseWriter, _ *http.Request) {
		mode, scripts := d.now()
		writeJSON(w, http.StatusOK, map[string]any{"mode": mode, "modes": Modes, "scripts": scripts, "exchanges": d.Exchanges(), "seen": d.Seen()})
	})
	mux.HandleFunc("POST /reading-desk/mode", func(w http.ResponseWriter, r *http.Request) {
		mode := Mode(r.FormValue("mode"))
		if !slices.Contains(Modes, mode) {
			http.Error(w, "there is no such mode", http.StatusBadRequest)
			return
		}
		d.Set(mode)
		writeJSON(w, http.StatusOK, map[string]any{"mode": mode})
	})
	mux.HandleFunc("POST /reading-desk/scripts", func(w http.ResponseWriter, r *http.Request) {
		var scripts []Script
		if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 1<<20)).Decode(&scripts); err != nil {
			http.Error(w, "scripts are a list of objects with when and reply", http.StatusBadRequest)
			return
		}
		d.Put(scripts...)
		writeJSON(w, http.StatusOK, scripts)
	})
}

// chat serves POST /chat/completions.
func (d *ReadingDesk) chat(w http.ResponseWriter, r *http.Request) {
	if d.Trouble.strikes(w, r) {
		return
	}
	var p prompt
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 4<<20)).Decode(&p); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	mode, scripts := d.now()
	switch mode {
	case Hangs:
		by := 0
		if p.Format.Schema.Name == string(thinker.Answer) {
			by = 1
		}
		d.count(&d.hanging, by)
		<-r.Context().Done()
		d.count(&d.hanging, -by)
		return
	case Broken:
		http.Error(w, `{"error":{"message":"out of memory"}}`, http.StatusInternalServerError)
		return
	case Busy, Full:
		d.mu.Lock()
		again := d.limited[p.last()]
		if d.limited == nil {
			d.limited = map[string]bool{}
		}
		d.limited[p.last()] = true
		d.mu.Unlock()
		if mode == Full || !again {
			w.Header().Set("Retry-After", "1")
			http.Error(w, `{"error":{"message":"too many requests"}}`, http.StatusTooManyRequests)
			return
		}
	}
	reply := p.reply(mode, scripts)
	d.keep(p, reply, mode)
	if !p.Stream {
		writeJSON(w, http.StatusOK, p.whole(reply, mode))
		return
	}
	p.stream(w, r, reply, mode)
}

// embed serves POST /embeddings: the stems of a text, counted in places that their hashes
// choose. Texts that share words are near each other.
func (d *ReadingDesk) embed(w http.ResponseWriter, r *http.Request) {
	const components = 256
	if d.Trouble.strikes(w, r) {
		return
	}
	var in struct{ Input []string }
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 4<<20)).Decode(&in); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	data := []any{}
	for i, words := range in.Input {
		vector := make([]float32, components)
		for _, t := range english.Terms(words) {
			h := fnv.New32a()
			h.Write([]byte(t.Stem))
			if vector[h.Sum32()%components] += 1; t.Light || t.Stop {
				vector[h.Sum32()%components] -= 0.8
			}
		}
		vector[0] += 0.01 // no text is nowhere
		data = append(data, map[string]any{"object": "embedding", "index": i, "embedding": vector})
	}
	writeJSON(w, http.StatusOK, map[string]any{"object": "list", "data": data})
}

// last is what the customer said last.
func (p *prompt) last() string {
	for _, m := range slices.Backward(p.Messages) {
		if m.Role == "user" {
			return m.Content
		}
	}
	return ""
}

func (d *ReadingDesk) keep(p prompt, reply said, mode Mode) {
	e := Exchange{At: time.Now(), Model: p.Model, Kind: p.Format.Schema.Name, Prompt: p.Messages, Reply: reply.text, Mode: mode}
	for _, t := range p.Tools {
		e.Tools = append(e.Tools, t.Function.Name)
	}
	for _, c := range reply.calls {
		if e.Calls == nil {
			e.Calls = map[string]any{}
		}
		e.Calls[c.name] = c.arguments
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	d.seen++
	if d.exchanges = append(d.exchanges, e); len(d.exchanges) > keptExchanges {
		d.exchanges = slices.Delete(d.exchanges, 0, len(d.exchanges)-keptExchanges)
	}
}

func (p *prompt) usage(reply said) map[string]any {
	read := 0
	for _, m := range p.Messages {
		read += len(m.Content)/4 + 4
	}
	return map[string]any{"prompt_tokens": read, "completion_tokens": len(reply.text)/4 + 20*len(reply.calls) + 1}
}

func (reply said) calling() (list []any) {
	for i, c := range reply.calls {
		raw, err := json.Marshal(c.arguments)
		if err != nil {
			raw = []byte("{}")
		}
		list = append(list, map[string]any{"index": i, "id": fmt.Sprintf("call-%d", i+1), "type": "function", "function": map[string]any{"name": c.name, "arguments": string(raw)}})
	}
	return list
}

func (reply said) finish(mode Mode) string {
	switch {
	case mode == CutsOff:
		return "length"
	case len(reply.calls) > 0:
		return "tool_calls"
	}
	return "stop"
}

func (p *prompt) whole(reply said, mode Mode) map[string]any {
	message := map[string]any{"role": "assistant", "content": reply.text}
	if calls := reply.calling(); calls != nil {
		message["tool_calls"] = calls
	}
	return map[string]any{"object": "chat.completion", "model": p.Model, "choices": []any{map[string]any{"index": 0, "message": message, "finish_reason": reply.finish(mode)}}, "usage": p.usage(reply)}
}

// stream sends a reply in pieces.
func (p *prompt) stream(w http.ResponseWriter, r *http.Request, reply said, mode Mode) {
	w.Header().Set("Content-Type", "text/event-stream")
	flush := http.NewResponseController(w)
	send := func(choice map[string]any, usage map[string]any) bool {
		piece := map[string]any{"object": "chat.completion.chunk", "model": p.Model, "choices": []any{}}
		if choice != nil {
			piece["choices"] = []any{choice}
		}
		if usage != nil {
			piece["usage"] = usage
		}
		raw, err := json.Marshal(piece)
		if err != nil {
			return false
		}
		if _, err := fmt.Fprintf(w, "data: %s\n\n", raw); err != nil {
			return false
		}
		return flush.Flush() == nil
	}
	words := strings.SplitAfter(reply.text, " ")
	if mode == CutsOff || mode == BreaksOff {
		words = words[:len(words)/2]
	}
	for i := 0; i < len(words); i += 8 {
		if !send(map[string]any{"index": 0, "delta": map[string]any{"role": "assistant", "content": strings.Join(words[i:min(i+8, len(words))], "")}}, nil) {
			return
		}
		if mode == Slow {
			select {
			case <-time.After(500 * time.Millisecond):
			case <-r.Context().Done():
				return
			}
		}
	}
	if mode == BreaksOff {
		panic(http.ErrAbortHandler)
	}
	if calls := reply.calling(); calls != nil {
		send(map[string]any{"index": 0, "delta": map[string]any{"role": "assistant", "tool_calls": calls}}, nil)
	}
	send(map[string]any{"index": 0, "delta": map[string]any{}, "finish_reason": reply.finish(mode)}, nil)
	send(nil, p.usage(reply))
	fmt.Fprint(w, "data: [DONE]\n\n")
}
