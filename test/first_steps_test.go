package test

import (
	"errors"
	"testing"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/service"
	"urgentparrot.example/internal/world"
	"urgentparrot.example/test/browser"
)

// newcomer opens an empty workspace and signs somebody in to its console.
func newcomer(t *testing.T) (*stage, *service.Service, *browser.Page, *client.Client) {
	t.Helper()
	d, err := service.Start(t.Context(), service.Options{Data: t.TempDir(), Listen: "127.0.0.1:0"})
	if err != nil {
		t.Fatal(err)
	}
	s := &stage{t: t, ctx: t.Context()}
	t.Cleanup(func() { s.must(d.Close()) })
	p := s.page(s.browser(), false)
	link, err := d.SignInLink(s.ctx, "main", "Maren")
	s.must(err)
	token, err := d.NewToken(s.ctx, "main", "Maren")
	s.must(err)
	s.must(errors.Join(p.Go(link), p.Click("Sign in", false), p.AwaitText("The first steps", false)))
	return s, d, p, &client.Client{Server: d.PublicURL, Token: token}
}

// Somebody who has just installed it is led from an empty workspace to a bot that answers on
// their website, without a line of YAML; once a customer has written, nobody leads them any more.
func TestANewcomerTakesTheFirstSteps(t *testing.T) {
	t.Parallel()
	s, d, p, c := newcomer(t)
	s.must(errors.Join(
		p.Click("Name your business", false), p.Fill("Name", "Thornwick Climbing Hall"), p.Click("Put live", false), p.AwaitText("Version 1 is live", false),

		p.Click("Today", false), p.Click("Add what you know", false), p.Click("Type a text", false), p.Fill("Name", "Visiting"),
		p.Fill("Text; a line that begins with # is a heading", "# Shoes\nShoes are £4 a visit and come in sizes 28 to 50.\n\n# Dogs\nDogs may not come into the hall."), p.Click("Keep it", false), p.AwaitText("ready", false),

		p.Click("Today", false), p.Click("Say who is told", false), p.Click("Write a new one", false), p.Fill("Name", "Maren Holt"), p.Click("Put live", false), p.AwaitText("Version 1 is live", false),

		p.Click("Today", false), p.Click("Make a bot and try it", false), p.Click("Make the first one", false), p.Click("Front desk", false),
		p.Fill("What is it called?", "Moss"), p.Choose("Who comes in when it does not know?", "person/maren-holt"), p.Click("Make it and try it", false),
		p.AwaitText("Ask the awkward questions", false), p.Type(`input[placeholder="Write as a customer"]`, "do you have shoes in size 45?", false), p.Click("Say", false), p.AwaitText("sizes 28 to 50", false),

		p.Click("Today", false), p.Click("Open a way in", false), p.Click("Add a way in", false), p.Click("Website chat", false), p.Click("Put live", false), p.AwaitText("Version 1 is live", false),
		p.AwaitText(`<script async src="`+d.PublicURL+`/chat/main/website/widget.js"></script>`, false),
		p.Click("Today", false), p.AwaitText("All is ready for your first customer", false),
	))
	v, err := world.NewVisitor(s.ctx, d.PublicURL+"/chat/main/website")
	s.must(err)
	contains(t, s.asks(v, "can my dog come in?"), "Dogs may not")
	s.must(errors.Join(p.AwaitText("new conversation", false), p.Await(`!document.body.innerText.includes("All is ready")`)))
	today, err := c.Today(s.ctx)
	if err != nil || today.Begin != nil || today.Counts.Opened != 1 {
		t.Errorf("it is %+v, %v", today, err)
	}
}

// What customers ask for is written into a sheet by a flow that somebody begins from one of ours:
// the columns of the sheet are there to be filled in, what is known is put into them, and the flow
// is tried before anybody can write.
func TestANewcomerTakesRequestsIntoASheet(t *testing.T) {
	t.Parallel()
	s, d, p, c := newcomer(t)
	s.must(errors.Join(
		p.Click("Sheets", false), p.AwaitText("Tables that bots and flows write rows to", false), p.Click("Make the first one", false), p.Click("Put live", false), p.AwaitText("Version 1 is live", false),
		p.Click("Flows", false), p.Click("Make the first one", false), p.Click("Take a request", false),
		entry(p, "Add a step", "Record"), p.AwaitText("Record: not complete yet.", false), p.Choose("Sheet", "enquiries"),
		p.Choose("Put a value into Received", "now"), p.Choose("Put a value into E-mail", "contact.email.orValue('')"), p.Choose("Put a value into About", "about"),
		// It stands before what ends the run.
		p.AwaitText("Write a row in the sheet enquiries: Received, E-mail, About.", false), p.Await(`!document.body.innerText.includes("never reached")`),
		p.Click("Keep the draft", false), p.AwaitText("Only a draft", false),
		p.Tab("Try it"), p.Fill("What they write", "I would like to make a request"), p.Click("Play it", false), p.AwaitText("asked “What is it about?”", false),
	))
	_, err := c.PutDocument(s.ctx, "bots", "moss", "bot: moss\nname: Moss\n", 0)
	s.must(err)
	_, err = c.PutDocument(s.ctx, "channels", "website", "channel: website\nkind: website\nbot: moss\n", 0)
	s.must(err)
	s.must(errors.Join(p.Click("Put version 1 live", false), p.AwaitText("Version 1 is live", false)))
	v, err := world.NewVisitor(s.ctx, d.PublicURL+"/chat/main/website")
	s.must(err)
	contains(t, s.asks(v, "can somebody call me back?"), "What is it about?")
	contains(t, s.asks(v, "a birthday for twelve"), "Which e-mail address")
	contains(t, s.asks(v, "its ada@example.org"), "Thank you")
	s.eventually("the row is written", func() bool {
		rows, err := c.Rows(s.ctx, "enquiries")
		s.must(err)
		return len(rows.Items) == 1 && rows.Items[0].Cells["E-mail"] == "ada@example.org" && rows.Items[0].Cells["About"] == "a birthday for twelve" && rows.Items[0].Cells["Name"] == ""
	})
}
