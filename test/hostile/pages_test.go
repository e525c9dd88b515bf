package hostile

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/client"
)

func body(t *testing.T, v any) io.Reader {
	t.Helper()
	raw, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return bytes.NewReader(raw)
}

// listener is another system, which the service may not call.
func listener(t *testing.T, asked func(*http.Request)) string {
	t.Helper()
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked(r)
		fmt.Fprint(w, `{"departures":[]}`)
	}))
	t.Cleanup(s.Close)
	return s.URL
}

// reads has a page of the ferry's website read as a source, and returns its passages.
func (h *house) reads(t *testing.T, name, html string) (source client.Source, passages string) {
	t.Helper()
	h.World.Website.Put("hostile/"+name, html)
	a := h.asks(t, http.MethodPost, "/api/v1/sources/web", body(t, map[string]any{"name": "page " + name, "address": h.WorldURL + "/website/hostile/" + name}))
	if a.StatusCode != http.StatusCreated {
		t.Fatalf("%d %s", a.StatusCode, a.body)
	}
	if err := json.Unmarshal([]byte(a.body), &source); err != nil {
		t.Fatal(err)
	}
	tick := time.NewTicker(5 * time.Millisecond)
	defer tick.Stop()
	for deadline := time.Now().Add(patience); source.State == "reading" || source.State == "waiting"; <-tick.C {
		if time.Now().After(deadline) {
			t.Fatalf("it is still %s", source.State)
		}
		if err := json.Unmarshal([]byte(h.asks(t, http.MethodGet, "/api/v1/sources/"+source.ID, nil).body), &source); err != nil {
			t.Fatal(err)
		}
	}
	passages = h.asks(t, http.MethodGet, "/api/v1/sources/"+source.ID+"/passages", nil).body
	t.Cleanup(func() { h.asks(t, http.MethodDelete, "/api/v1/sources/"+source.ID, nil) })
	return source, passages
}

// Text that nobody sees on a page is not told to customers.
func TestHiddenText(t *testing.T) {
	i := 0
	for hidden, told := range map[string]bool{
		`<p style="display:none">SECRET</p>`:                                 false,
		`<p style="DISPLAY : none !important">SECRET</p>`:                    false,
		`<div style="visibility:hidden"><p>SECRET</p></div>`:                 false,
		`<p style="font-size:0">SECRET</p>`:                                  false,
		`<p style="font-size:1px">SECRET</p>`:                                false,
		`<p style="opacity:0">SECRET</p>`:                                    false,
		`<p style="opacity: 0.0;">SECRET</p>`:                                false,
		`<p style="position:absolute;left:-9999px">SECRET</p>`:               false,
		`<p style="text-indent:-5000px">SECRET</p>`:                          false,
		`<p style="color:white;background:white">SECRET</p>`:                 false,
		`<p style="color:transparent">SECRET</p>`:                            false,
		`<p style="height:0;overflow:hidden">SECRET</p>`:                     false,
		`<p style="clip:rect(0 0 0 0)">SECRET</p>`:                           false,
		`<p style="clip-path: inset(50%)">SECRET</p>`:                        false,
		`<p hidden>SECRET</p>`:                                               false,
		`<p aria-hidden="true">SECRET</p>`:                                   false,
		`<template><p>SECRET</p></template>`:                                 false,
		`<noscript><p>SECRET</p></noscript>`:                                 false,
		`<style>.x{display:none}</style><p class="x">SECRET</p>`:             false,
		`<style>p.x , .y { font-size : 0 }</style><p class="x">SECRET</p>`:   false,
		`<style>@charset "utf-8"; #n{opacity:0}</style><p id="n">SECRET</p>`: false,
		`<!-- SECRET -->`:             false,
		`<p title="SECRET">boats</p>`: false,
		`<style>@media print{.x{display:none}}</style><p class="x">SECRET</p>`:                 true,
		`<button aria-controls="a">Open</button><div id="a" style="display:none">SECRET</div>`: true,
		`<div class="faq-answer" style="display:none">SECRET</div>`:                            true,
		`<details><summary>Is it late?</summary><p>SECRET</p></details>`:                       true,
	} {
		i++
		name := fmt.Sprintf("hidden-%d.html", i)
		t.Run(fmt.Sprintf("%.60q", hidden), func(t *testing.T) {
			_, passages := under.reads(t, name, "<html><body><main><h1>Boats</h1><p>The boat is late.</p>"+hidden+"</main></body></html>")
			if got := strings.Contains(passages, "SECRET"); got != told {
				t.Errorf("told: %v", got)
			}
		})
	}
}

// A page that breaks its reader is named, and no other page suffers.
func TestPagesThatBreak(t *testing.T) {
	for name, html := range map[string]string{
		"deep.html":    strings.Repeat("<div>", 100_000),
		"links.html":   strings.Repeat("<a href=/x>b</a>", 100_000),
		"base.html":    `<base href="http://169.254.169.254/"><main><p>The boat is late.</p><a href="x">y</a></main>`,
		"script.html":  `<main><h1>Boats</h1><p>The boat is late. <a href="javascript:alert(1)">more</a></p></main>`,
		"refresh.html": `<meta http-equiv="refresh" content="0;url=http://169.254.169.254/"><main><p>The boat is late.</p></main>`,
	} {
		t.Run(name, func(t *testing.T) {
			source, passages := under.reads(t, name, html)
			if strings.Contains(passages, "javascript:") || strings.Contains(passages, "<script") {
				t.Errorf("a passage holds code: %.200s", passages)
			}
			if source.State == "failed" && source.Error == "" {
				t.Error("it failed without a word")
			}
		})
	}
	under.stands(t)
}

// Documents of builders are checked in little time, whatever they are.
func TestDocuments(t *testing.T) {
	rep := strings.Repeat
	for name, text := range map[string]string{
		"lists in lists":   rep("[", 100_000),
		"blocks in blocks": rep("{a: {a: ", 12_000),
		"items of items":   rep("- ", 50_000),
		"keys of keys":     rep("? ", 50_000),
		"many keys": func() string {
			var b strings.Builder
			for i := range 9_000 {
				fmt.Fprintf(&b, "key%d: v\n", i)
			}
			return b.String()
		}(),
		"doubling":             "a: &a [x]\nb: &b [*a, *a]\nc: [*b, *b]\n",
		"itself":               "a: &a [*a]\n",
		"too large":            rep("#", 300<<10),
		"a tab":                "bot: x\n\tname: y\n",
		"a list without end":   "bot: x\nname: [\n",
		"a quote without end":  "bot: x\nname: \"y\n",
		"a misspelt key":       "bot: x\nnmae: y\n",
		"a tag":                "bot: !!binary aGk=\nname: y\n",
		"not a number":         "bot: x\nname: y\nthreshold: .nan\n",
		"without end":          "bot: x\nname: y\nthreshold: .inf\n",
		"a deep expression":    "bot: x\nname: y\nwordings:\n  welcome: ['{{ " + rep("(", 5_000) + "1" + rep(")", 5_000) + " }}']\n",
		"a long expression":    "bot: x\nname: y\nwordings:\n  welcome: ['{{ " + rep("1 + ", 20_000) + "1 }}']\n",
		"a field that is none": "bot: x\nname: y\nwordings:\n  welcome: ['{{ contact.shoe_size }}']\n",
		"another name":         "bot: z\nname: y\n",
		"nothing":              "",
		"a letter of nothing":  "bot: x\x00\nname: y\n",
		"not utf-8":            "bot: x\nname: \xff\xfe\n",
		"two documents":        "bot: x\nname: y\n---\nbot: z\n",
	} {
		t.Run(name, func(t *testing.T) {
			begun := time.Now()
			a := under.asks(t, http.MethodPut, "/api/v1/documents/bots/x", body(t, map[string]string{"text": text}))
			a.honest(t)
			if took := time.Since(begun); took > 5*time.Second {
				t.Errorf("it took %s", took)
			}
			if a.StatusCode != http.StatusUnprocessableEntity && a.StatusCode != http.StatusRequestEntityTooLarge && name != "not utf-8" && name != "two documents" {
				t.Errorf("answered %d: %.200s", a.StatusCode, a.body)
			}
		})
	}
	for name, tool := range map[string]string{
		"a choice of one letter": "arguments: {type: object, required: [room], properties: {room: {type: string, enum: [A, B, \"1\", Room A, Ä]}}}\nhear: {room: {ask: Which room?}}",
		"a number":               "arguments: {type: object, required: [seats], properties: {seats: {type: integer}}}\nhear: {seats: {ask: How many seats?}}",
		"a schema of itself":     "arguments: {$ref: '#'}",
		"a schema elsewhere":     "arguments: {$ref: 'http://169.254.169.254/'}",
		"a pattern":              "arguments: {type: object, properties: {a: {type: string, pattern: '(a+)+$'}}}",
	} {
		t.Run("tool: "+name, func(t *testing.T) {
			text := "tool: odd\nconnection: timetable\npath: /odd\nwhen: [book a room, book seats]\nsorry: No.\nsay: [{text: Done.}]\n" + tool + "\n"
			a := under.asks(t, http.MethodPut, "/api/v1/documents/tools/odd", body(t, map[string]string{"text": text}))
			a.honest(t)
			if a.StatusCode > 299 {
				return
			}
			brief := "bot: front-desk\nname: Pip\ntools: [odd]\n"
			for _, said := range []string{"book a room apartment", "book room a", "book seats for my nan", "book inf seats", "book a room " + rep("a", 5_000)} {
				trial := under.asks(t, http.MethodPost, "/api/v1/bots/front-desk/trial", body(t, map[string]any{"message": said, "brief": brief}))
				trial.honest(t)
				if trial.StatusCode != http.StatusOK {
					t.Errorf("%.60q: %d %.200s", said, trial.StatusCode, trial.body)
				}
			}
		})
	}
	under.asks(t, http.MethodDelete, "/api/v1/documents/tools/odd", nil)
	under.stands(t)
}
