package test

import (
	"errors"
	"testing"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/service"
	"urgentparrot.example/internal/world"
)

// Somebody who has just installed it is led from an empty workspace to a bot that answers on
// their website, without a line of YAML; once a customer has written, nobody leads them any more.
func TestANewcomerTakesTheFirstSteps(t *testing.T) {
	t.Parallel()
	d, err := service.Start(t.Context(), service.Options{Data: t.TempDir(), Listen: "127.0.0.1:0"})
	if err != nil {
		t.Fatal(err)
	}
	s := &stage{t: t, ctx: t.Context()}
	t.Cleanup(func() { s.must(d.Close()) })
	p := s.page(s.browser(), false)
	link, err := d.SignInLink(s.ctx, "main", "Maren")
	s.must(err)
	s.must(errors.Join(
		p.Go(link), p.Click("Sign in", false), p.AwaitText("The first steps", false),
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
	token, err := d.NewToken(s.ctx, "main", "Maren")
	s.must(err)
	today, err := (&client.Client{Server: d.PublicURL, Token: token}).Today(s.ctx)
	if err != nil || today.Begin != nil || today.Counts.Opened != 1 {
		t.Errorf("it is %+v, %v", today, err)
	}
}
