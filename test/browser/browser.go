// Package browser drives a headless Chromium through the console and the pages
// of the outside world, for tests and for the pictures of the documentation.
package browser

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"sync"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
)

// A Browser is one running Chromium.
type Browser struct {
	ctx    context.Context
	cancel func()
}

// Start starts Chromium with an empty profile.
func Start() (*Browser, error) {
	path, err := exec.LookPath("chromium")
	if err != nil {
		return nil, fmt.Errorf("chromium is not installed; make test installs it where apt-get is there: %w", err)
	}
	profile, err := os.MkdirTemp("", "parrot-browser-*")
	if err != nil {
		return nil, err
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath(path), chromedp.WindowSize(1280, 800), chromedp.NoSandbox, chromedp.UserDataDir(profile),
		chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-quic", true), chromedp.Flag("disable-gpu", true),
		chromedp.Flag("hide-scrollbars", true))
	allocator, stop := chromedp.NewExecAllocator(context.Background(), options...)
	ctx, cancel := chromedp.NewContext(allocator)
	b := &Browser{ctx: ctx, cancel: func() { cancel(); stop(); _ = os.RemoveAll(profile) }}
	if err := chromedp.Do(ctx); err != nil {
		b.Close()
		return nil, err
	}
	return b, nil
}

// Close ends the browser.
func (b *Browser) Close() { b.cancel() }

// A Page is one tab. Once a step has failed, those after it fail with it at once,
// so that steps can be joined.
type Page struct {
	ctx    context.Context
	cancel func()
	failed error
	mu     sync.Mutex
	errors []string
}

// patience is how long a page may take for what is awaited.
const patience = 30 * time.Second

// Open opens a tab of a size in CSS pixels.
func (b *Browser) Open(width, height int64, dark bool) (*Page, error) {
	ctx, cancel := chromedp.NewContext(b.ctx)
	p := &Page{ctx: ctx, cancel: cancel}
	scheme := "light"
	if dark {
		scheme = "dark"
	}
	err := chromedp.Do(ctx, chromedp.EmulateViewport(width, height), func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		_, err := cdp.Call(ctx, t, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{
			Features: []*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: scheme}},
		})
		return chromedp.Void{}, err
	})
	if err == nil {
		err = chromedp.Listen(ctx, p.note)
	}
	if err != nil {
		cancel()
		return nil, err
	}
	return p, nil
}

// note keeps what the page complains about.
func (p *Page) note(event any) {
	p.mu.Lock()
	defer p.mu.Unlock()
	switch e := event.(type) {
	case *runtime.EventExceptionThrown:
		complaint := "exception: " + e.ExceptionDetails.Text
		if thrown := e.ExceptionDetails.Exception; thrown != nil {
			complaint += " " + thrown.Description
		}
		p.errors = append(p.errors, complaint)
	case *runtime.EventConsoleAPICalled:
		if string(e.Type) == "error" {
			for _, arg := range e.Args {
				p.errors = append(p.errors, "console: "+string(arg.Value)+arg.Description)
			}
		}
	}
}

// Errors returns what the page wrote to its console as errors.
func (p *Page) Errors() []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.errors
}

// Close closes the tab.
func (p *Page) Close() { p.cancel() }

// step runs one step, unless one has failed before.
func step[T any](p *Page, action chromedp.Action[T]) (result T, err error) {
	if p.failed != nil {
		return result, p.failed
	}
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	result, p.failed = chromedp.Run(ctx, action)
	return result, p.failed
}

// Go opens an address.
func (p *Page) Go(address string) error {
	_, err := step(p, chromedp.Navigate(address))
	return err
}

// Await waits until a JavaScript expression is true, on this page or one that it leads to.
func (p *Page) Await(expression string) error {
	before := p.failed
	var err error
	for until := time.Now().Add(patience); ; p.failed = nil {
		_, err = step(p, chromedp.Poll[bool]("!!("+expression+")", chromedp.WithPollingTimeout(patience-time.Second), chromedp.WithPollingInterval(50*time.Millisecond)))
		if err == nil || before != nil || time.Now().After(until) || !strings.Contains(err.Error(), "navigated") && !strings.Contains(err.Error(), "find context") {
			break
		}
	}
	if err != nil && before == nil {
		p.failed = nil
		seen, _ := p.Text("")
		p.failed = fmt.Errorf("waiting for %s: %w; the page says:\n%s", expression, err, seen)
	}
	return p.failed
}

// find finds the root to look in: the page, or the chat it carries.
const find = `(inside => inside ? document.querySelector("#urgent-parrot").shadowRoot : document)`

// AwaitText waits until the page, or with chat the chat on it, shows a text.
func (p *Page) AwaitText(text string, chat bool) error {
	if chat {
		return p.Await(fmt.Sprintf(`document.querySelector("#urgent-parrot")?.shadowRoot.textContent.includes(%s)`, quote(text)))
	}
	return p.Await(fmt.Sprintf(`document.body.innerText.includes(%s)`, quote(text)))
}

// Text returns the text of the element that a selector finds, or of the page.
func (p *Page) Text(selector string) (string, error) {
	expression := `document.body.innerText`
	if selector != "" {
		expression = fmt.Sprintf(`document.querySelector(%s)?.innerText ?? ""`, quote(selector))
	}
	return step(p, chromedp.Evaluate[string](expression))
}

// Do runs JavaScript.
func (p *Page) Do(script string) error {
	_, err := step(p, chromedp.Evaluate[any]("(() => {"+script+"; return null})()"))
	return err
}

// Click clicks the first button, link, tab or choice that has a text or label,
// on the page or in the chat, once it is there.
func (p *Page) Click(name string, chat bool) error {
	at := fmt.Sprintf(`[...%s(%t).querySelectorAll("button, a, [role=tab], [role=radio], [role=menuitem]")].find(e => !e.disabled && (e.innerText.trim().startsWith(%[3]s) || e.getAttribute("aria-label") === %[3]s))`, find, chat, quote(name))
	return p.clickOn(at)
}

// clickOn clicks what an expression finds, as soon as it finds something: it may be gone, or
// disabled, a moment later. Not before it has said so, as a click may lead to another page.
func (p *Page) clickOn(at string) error {
	return p.Await("(e => e && (setTimeout(() => e.click()), true))(" + at + ")")
}

// Tab opens the tab of a name.
func (p *Page) Tab(name string) error {
	at := fmt.Sprintf(`[...document.querySelectorAll("[role=tab]")].find(e => e.innerText.trim() === %s)`, quote(name))
	return p.clickOn(at)
}

// Type puts a text into the field that a selector finds, as if it were typed.
func (p *Page) Type(selector, text string, chat bool) error {
	at := fmt.Sprintf(`%s(%t).querySelector(%s)`, find, chat, quote(selector))
	if err := p.Await(at); err != nil {
		return err
	}
	if err := p.Do(at + ".focus()"); err != nil {
		return err
	}
	return p.Key(text)
}

// labelled finds the field that a label names.
func labelled(label string) string {
	return fmt.Sprintf(`(document.getElementById([...document.querySelectorAll("label")].find(l => l.innerText.trim() === %[1]s)?.htmlFor) ?? document.querySelector("[aria-label=" + CSS.escape(%[1]s) + "]"))`, quote(label))
}

// Fill puts a text into the field that a label names, in place of what stands there.
func (p *Page) Fill(label, text string) error {
	at := labelled(label)
	if err := p.Await(at); err != nil {
		return fmt.Errorf("the field %q: %w", label, err)
	}
	if err := p.Do(at + ".focus(); " + at + ".select?.()"); err != nil {
		return err
	}
	return p.Key(text)
}

// Choose chooses what a value stands for in the list that a label names, once it is there.
func (p *Page) Choose(label, value string) error {
	at := labelled(label)
	if err := p.Await(fmt.Sprintf(`[...%s?.options ?? []].some(o => o.value === %s)`, at, quote(value))); err != nil {
		return fmt.Errorf("the choice %q of %q: %w", value, label, err)
	}
	return p.Do(fmt.Sprintf(`const e = %s; Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(e, %s); e.dispatchEvent(new Event("change", { bubbles: true }))`, at, quote(value)))
}

// Key presses keys on the page.
func (p *Page) Key(keys string) error {
	_, err := step(p, chromedp.KeyEvent(keys))
	return err
}

// Picture returns what the tab shows, as PNG.
func (p *Page) Picture() ([]byte, error) {
	// Fonts that still load would change the picture.
	if err := p.Await(`document.fonts.status === "loaded"`); err != nil {
		return nil, err
	}
	return step(p, chromedp.CaptureScreenshot())
}

func quote(s string) string {
	raw, err := json.Marshal(s)
	if err != nil {
		panic(err) // a string can always be encoded
	}
	return string(raw)
}
