// Screenshots takes the pictures of the documentation from a fresh demo.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/service"
	"urgentparrot.example/test/browser"
)

// A shot is one picture: the page, and what is done there before it is taken.
type shot struct {
	name          string
	address       string
	width, height int64
	dark          bool
	prepare       func(*browser.Page) error
}

func main() {
	folder := flag.String("o", "docs/screenshots", "the `folder` for the pictures")
	only := flag.String("only", "", "only pictures whose name holds this `text`")
	flag.Parse()
	if err := run(*folder, *only); err != nil {
		fmt.Fprintln(os.Stderr, "screenshots:", err)
		os.Exit(1)
	}
}

func run(folder, only string) (err error) {
	ctx := context.Background()
	data, err := os.MkdirTemp("", "parrot-shots-*")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(data)) }()
	d, err := service.StartDemo(ctx, service.Options{Data: data, Listen: "127.0.0.1:0"}, "127.0.0.1:4710", "127.0.0.1:0")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, d.Close()) }()
	if err := d.PlayDay(ctx); err != nil {
		return err
	}
	link, err := d.SignInLink(ctx, service.DemoWorkspace, "Robin")
	if err != nil {
		return err
	}
	b, err := browser.Start()
	if err != nil {
		return err
	}
	defer b.Close()
	first, err := b.Open(1280, 800, false)
	if err != nil {
		return err
	}
	if err := errors.Join(first.Go(link), first.Click("Sign in", false), first.AwaitText("Who waits for a person", false)); err != nil {
		return err
	}
	if err := teach(ctx, d); err != nil {
		return err
	}
	if err := plays(ctx, d); err != nil {
		return err
	}
	for _, s := range shots(d) {
		if !strings.Contains(s.name, only) {
			continue
		}
		if err := take(b, s, folder); err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
	}
	return nil
}

func take(b *browser.Browser, s shot, folder string) error {
	p, err := b.Open(s.width, s.height, s.dark)
	if err != nil {
		return err
	}
	defer p.Close()
	if err := p.Go(s.address); err != nil {
		return err
	}
	if err := s.prepare(p); err != nil {
		return err
	}
	png, err := p.Picture()
	if err != nil {
		return err
	}
	for _, complaint := range p.Errors() {
		fmt.Fprintln(os.Stderr, s.name, "complains:", complaint)
	}
	return os.WriteFile(filepath.Join(folder, s.name+".png"), png, 0o644)
}

// teach lets Robin answer a question that the bot did not know, so that there is a
// lesson to look at, and waits until the website has been read.
func teach(ctx context.Context, d *service.Demo) error {
	token, err := d.NewToken(ctx, service.DemoWorkspace, "Robin")
	if err != nil {
		return err
	}
	robin := &client.Client{Server: d.PublicURL, Token: token}
	const phone = "+447700900171"
	sent := false
	for deadline := time.Now().Add(time.Minute); time.Now().Before(deadline); time.Sleep(100 * time.Millisecond) {
		site, err := robin.Source(ctx, "website")
		if err != nil {
			return err
		}
		if site.State != "ready" || site.Encoding > 0 {
			continue // until all is read, the bot may know less
		}
		if !sent {
			if err := d.World.Handset.Send(ctx, phone, "teach", "Hello, can I rent a bicycle on Gannet Holm?"); err != nil {
				return err
			}
			sent = true
		}
		page, err := robin.Conversations(ctx, "waiting", phone, "")
		if err != nil {
			return err
		}
		if len(page.Items) != 1 {
			continue
		}
		id := page.Items[0].ID
		if _, err := robin.Take(ctx, id, false); err != nil {
			return err
		}
		if _, err := robin.Reply(ctx, id, "Hi there, sorry for the wait! There is no bicycle to be had on Gannet Holm. The shop at Hallow Point lends them for £9 a day.\n\nKind regards\nRobin", ""); err != nil {
			return err
		}
		_, err = robin.Close(ctx, id)
		return err
	}
	return errors.New("the demo did not get ready")
}

// plays has a form sent and a group ask by text, so that there are runs of flows to look at.
func plays(ctx context.Context, d *service.Demo) error {
	form := url.Values{"who": {"my name is Ada Quill"}, "people": {"about thirty"}, "day": {"next friday"}, "mail": {"ada at example.org"}, "mobile": {"07700 900180"}}
	answer, err := http.PostForm(d.PublicURL+"/form/"+service.DemoWorkspace+"/group-enquiry", form)
	if err != nil {
		return err
	}
	if err := answer.Body.Close(); err != nil {
		return err
	}
	const phone = "+447700900181"
	for i, words := range []string{"hello, we are a coach party", "can we bring dogs?", "thirty two of us"} {
		before := len(d.World.Handset.Texts(phone))
		if err := d.World.Handset.Send(ctx, phone, fmt.Sprint("group-", i), words); err != nil {
			return err
		}
		for deadline := time.Now().Add(20 * time.Second); len(d.World.Handset.Texts(phone)) < before+2; time.Sleep(50 * time.Millisecond) {
			if time.Now().After(deadline) {
				return errors.New("the group got no reply")
			}
		}
	}
	return nil
}

// steps does one thing after another.
func steps(all ...func(*browser.Page) error) func(*browser.Page) error {
	return func(p *browser.Page) error {
		for _, step := range all {
			if err := step(p); err != nil {
				return err
			}
		}
		return nil
	}
}

func sees(text string) func(*browser.Page) error {
	return func(p *browser.Page) error { return p.AwaitText(text, false) }
}

func clicks(name string) func(*browser.Page) error {
	return func(p *browser.Page) error { return p.Click(name, false) }
}

func awaits(expression string) func(*browser.Page) error {
	return func(p *browser.Page) error { return p.Await(expression) }
}

func does(script string) func(*browser.Page) error {
	return func(p *browser.Page) error { return p.Do(script) }
}

func types(selector, text string) func(*browser.Page) error {
	return func(p *browser.Page) error { return p.Type(selector, text, false) }
}

func asksTheChat(p *browser.Page) error {
	return errors.Join(
		p.Click("Open the chat", true), p.Type("textarea", "can i take my bike on the boat?", true), p.Click("Send", true), p.AwaitText("£2.50", true),
		p.Type("textarea", "I'm Ada. Is there food on board and when does the gangway close?", true), p.Click("Send", true), p.AwaitText("3 minutes", true),
		p.Type("textarea", "where do I leave the car", true), p.Click("Send", true), p.AwaitText("Which of these", true))
}

func triesAFlow(p *browser.Page) error {
	return errors.Join(
		p.AwaitText("What they write", false), p.Type("form input", "can you take a school class of 70 on friday?", false), p.Type("form textarea", "ada@example.org", false),
		p.Click("Play it", false), p.AwaitText("(party_size is 70)", false))
}

func triesATool(p *browser.Page) error {
	return errors.Join(
		p.AwaitText("Call it", false), p.Choose("to", "Hallow Point"), p.Click("Call it", false), p.AwaitText("The customer is told", false))
}

func shots(d *service.Demo) []shot {
	console := d.PublicURL
	talk := steps(sees("Trial conversation"),
		types(`input[aria-label="Write as a customer"]`, "How much is a van?\r"), sees("£41"),
		types(`input[aria-label="Write as a customer"]`, "do babies pay\r"), sees("not sure that this"))
	angry := steps(clicks("+447700900103"), sees("is angry"))
	maren := steps(clicks("All"), clicks("Maren Holt"), sees("Tags of the conversation"), sees("as they said"))
	tomas := steps(clicks("All"), clicks("Tomas Birk"), clicks("Why?"), sees("What was understood"))
	return []shot{
		{"today", console + "/today", 1280, 800, false, sees("What the bots did")},
		{"inbox", console + "/inbox", 1280, 800, false, maren},
		{"trace", console + "/inbox", 1280, 800, false, tomas},
		{"knowledge", console + "/knowledge", 1280, 800, false, sees("lost-property.txt")},
		{"knowledge-gaps", console + "/knowledge/gaps", 1280, 800, false, steps(sees("asked once"), clicks("Answer"), sees("Keep as house answer"))},
		{"knowledge-search", console + "/knowledge/search", 1280, 800, false, steps(types("input[type=search]", "gran is in a wheelchair, will someone help her get on?"), sees("A bot would offer this"), awaits(`document.querySelector("[aria-busy=false]")`))},
		{"bots", console + "/bots/front-desk", 1280, 800, false, talk},
		{"channels", console + "/channels/office-mail", 1280, 800, false, steps(clicks("Test it"), sees("All that it needs works"))},
		{"held", console + "/inbox?show=held", 1280, 800, false, steps(clicks("Ben Hale"), sees("Waits for your approval"), clicks("What is quoted below"), sees("each boat has room"))},
		{"connections", console + "/connections/office-mailbox", 1280, 800, false, sees("The other side has Drafts")},
		{"contacts", console + "/contacts", 1280, 800, false, steps(clicks("Maren Holt"), sees("Bots may write to them"))},
		{"tools", console + "/tools/timetable", 1280, 800, false, triesATool},
		{"flows", console + "/flows/group-crossing", 1280, 800, false, sees("How many of you will travel?")},
		{"flow-try", console + "/flows/group-crossing?tab=try", 1280, 800, true, triesAFlow},
		{"flow-run", console + "/flows/group-form?tab=runs", 1280, 800, false, steps(clicks("Ada Quill"), sees("wrote a row in the sheet group-enquiries"))},
		{"rehearsals", console + "/rehearsals/a-group-of-thirty", 1280, 800, true, steps(clicks("Play them all"), sees("of 13 passed"), sees("Happy to help"))},
		{"form", d.PublicURL + "/form/brackwater/group-enquiry", 390, 780, false, sees("Ask for a quote")},
		{"telephone-inbox", console + "/inbox", 390, 780, false, steps(angry, sees("Said last"), sees("someone will answer you here"))},
		{"website-chat", d.WorldURL + "/ferries", 1280, 800, false, asksTheChat},
	}
}
