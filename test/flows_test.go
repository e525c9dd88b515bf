package test

import (
	"errors"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"urgentparrot.example/client"
)

// Every flow of the demo is played by a rehearsal, and all of those pass.
func TestTheDemosFlowsAreRehearsed(t *testing.T) {
	s := open(t)
	s.encoded("can i take my bike on the boat?")
	out, err := s.client.Rehearse(s.ctx, client.Rehearse{})
	s.must(err)
	for _, r := range out.Items {
		for _, l := range r.Lines {
			if l.Wrong {
				t.Errorf("%s, line %d: %s: %s", r.Title, l.Line, l.Expected, l.Happened)
			}
		}
	}
	flows, err := s.client.Flows(s.ctx)
	s.must(err)
	if len(flows.Items) < 10 || len(out.Items) < 10 {
		t.Errorf("there are %d flows and %d rehearsals", len(flows.Items), len(out.Items))
	}
	for _, f := range flows.Items {
		for _, finding := range f.Findings {
			t.Logf("%s: %v", f.Name, finding.Message)
			if !finding.Warning {
				t.Errorf("%s is not right: %s", f.Name, finding.Message)
			}
		}
		if f.Live == 0 {
			t.Errorf("%s is not live", f.Name)
		}
	}
}

var fenced = regexp.MustCompile("(?s)```yaml\n((?:flow|rehearsal): .*?)```")

// The examples of the documentation are flows that the checker passes, and rehearsals that
// pass against them.
func TestTheExamplesOfTheDocumentationWork(t *testing.T) {
	raw, err := os.ReadFile("../docs/flows.md")
	if err != nil {
		t.Fatal(err)
	}
	s := open(t)
	s.encoded("can i take my bike on the boat?")
	kept := map[string]string{}
	examples, rehearsed := 0, 0
	for _, m := range fenced.FindAllStringSubmatch(string(raw), -1) {
		kind, rest, _ := strings.Cut(m[1], ": ")
		name, _, _ := strings.Cut(rest, "\n")
		if kind == "flow" {
			examples++
			kept[name] = m[1]
			_, err := s.client.PutDocument(s.ctx, "flows", name, m[1], 0)
			s.must(err)
			continue
		}
		rehearsed++
		out, err := s.client.Rehearse(s.ctx, client.Rehearse{Scripts: []client.DocumentFile{{File: name, Text: m[1]}}})
		s.must(err)
		for _, l := range out.Items[0].Lines {
			if l.Wrong {
				t.Errorf("%s, line %d: %s: %s", name, l.Line, l.Expected, l.Happened)
			}
		}
	}
	for name, text := range kept {
		checked, err := s.client.CheckDocument(s.ctx, "flows", name, text)
		s.must(err)
		for _, p := range checked.Problems {
			t.Errorf("%s, line %d: %s", name, p.Line, p.Message)
		}
	}
	if examples < 5 || rehearsed < 2 {
		t.Errorf("there are %d examples and %d rehearsals", examples, rehearsed)
	}
}

// Files go in and come out as they were; the commands say what is so.
func TestFlowsAreWorkedOnInTheTerminal(t *testing.T) {
	s := open(t)
	dir := t.TempDir()
	file := filepath.Join(dir, "thanks.yaml")
	const text = "flow: thanks # a comment\nwhen: by hand\nsteps:\n  - count: kind word # another\n"
	s.must(os.WriteFile(file, []byte(text), 0o600))
	run := func(fails bool, args ...string) string {
		t.Helper()
		cmd := exec.CommandContext(s.ctx, program(t), args...)
		cmd.Dir, cmd.Env = dir, append(os.Environ(), "PARROT_SERVER="+s.PublicURL, "PARROT_TOKEN="+s.client.Token)
		out, err := cmd.CombinedOutput()
		if (err != nil) != fails {
			t.Fatalf("parrot %v: %v\n%s", args, err, out)
		}
		return string(out)
	}
	for _, c := range []struct {
		fails bool
		args  string
		says  string
	}{
		{false, "flow check thanks.yaml", "is well"}, {false, "flow push thanks.yaml", "draft of thanks is kept"}, {true, "flow start thanks", "not live"},
		{false, "flow live thanks", "is live (version 1)"}, {false, "flow start thanks -with a=b", "1 start of thanks asked for"}, {false, "flow explain thanks", "1  Count “kind word”."},
		{false, "flow list", "live (version 1)"}, {false, "flow versions thanks", "live"}, {false, "flow pull thanks", "Written to thanks.yaml"}, {false, "flow schema", "\"$defs\""},
		{false, "pause on", "Paused"}, {false, "status", "Bots and flows are paused"}, {false, "pause off", "go on"}, {false, "flow down thanks", "does not start any more"},
		{false, "flow try thanks", "it starts when somebody starts it by hand"}, {false, "flow try thanks.yaml -step 1", "step 1 is taken"}, {false, "flow try group-crossing -message hello", "It does not start"},
		{true, "flow try thanks -step 9", "no step"}, {true, "flow try thank -message x", `did you mean "thanks"?`}, {true, "flow runs thank", `did you mean "thanks"?`}, {true, "flow try thanks -entry latest", "no form"}, {true, "flow try thanks -with x", "NAME=VALUE"},
		{false, "rehearsal example", "rehearsal: "}, {true, "rehearse nothing.yaml", "no such file"},
	} {
		if got := run(c.fails, strings.Fields(c.args)...); !strings.Contains(got, c.says) {
			t.Errorf("parrot %s says %q", c.args, got)
		}
	}
	if got, _ := os.ReadFile(file); string(got) != text {
		t.Errorf("pulled, it reads %q", got)
	}
	s.must(os.WriteFile(filepath.Join(dir, "r.yaml"), []byte("rehearsal: Dogs\nchannel: website\nscript:\n  - customer: do dogs travel free?\n  - bot: { says: cats }\n"), 0o600))
	if got := run(true, "rehearse", "-junit", "out.xml", "r.yaml"); !strings.Contains(got, "FAILED: Dogs") || !strings.Contains(got, "✗    5") {
		t.Errorf("it says %s", got)
	}
	if junit, _ := os.ReadFile(filepath.Join(dir, "out.xml")); !strings.Contains(string(junit), `failures="1"`) {
		t.Errorf("the results are %s", junit)
	}
	s.must(os.WriteFile(file, []byte("flow: thanks\nwhen: by hand\nsteps:\n  - tag: nobody\n"), 0o600))
	if got := run(true, "flow", "push", "-live", "thanks.yaml"); !strings.Contains(got, "thanks.yaml:4:10") {
		t.Errorf("with an error it says %s", got)
	}
}

// A builder writes a flow in the console, sees what is wrong at its line, puts it live and
// starts it; a teammate sees the run in the conversation and stops it.
func TestABuilderWritesAFlowInTheConsole(t *testing.T) {
	s := open(t)
	p := s.console("Robin", false)
	const area = `textarea[aria-label="The text of the flow"]`
	writes := func(text string) error {
		return errors.Join(p.Await(`document.querySelector('`+area+`')`), p.Do(`const a = document.querySelector('`+area+`'); Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, "value").set.call(a, `+"`"+text+"`"+`); a.dispatchEvent(new Event("input", { bubbles: true }))`))
	}
	s.must(errors.Join(
		p.AwaitText("Nobody. When a bot hands", false),
		p.Go(s.PublicURL+"/flows?new=1"), p.AwaitText("begin from this example", false), p.Tab("Text"),
		writes("flow: wave\\ntitle: A wave\\nwhen:\\n  - message: { exactly: [wave] }\\nsteps:\\n  - ask: How many hands?\\n    save: hands\\n    as: integer\\n  - say: \"{{ hadns }} hands\"\\n"),
		p.AwaitText("did you mean hands", false), p.AwaitText("Ask “How many hands?”", false),
		p.Click("Keep the draft", false), p.AwaitText("Only a draft: it does not start.", false), p.AwaitText("not right yet", false),
		writes("flow: wave\\ntitle: A wave\\nwhen:\\n  - message: { exactly: [wave] }\\nsteps:\\n  - ask: How many hands?\\n    save: hands\\n    as: integer\\n  - say: \"{{ hands }} hands\"\\n"),
		p.Await(`!document.querySelector("[aria-label=Findings]")`), p.Click("Keep the draft", false), p.Click("Put version 2 live", false), p.AwaitText("Version 2 is live", false),
		p.Click("Versions", false), p.AwaitText("What version 2 changed", false),
	))
	s.must(s.World.Handset.Send(s.ctx, "+447700900188", "wave-1", "wave"))
	s.must(errors.Join(
		p.Click("Runs (1)", false), p.AwaitText("waits for a reply until", false), p.Click("+447700900188", false), p.AwaitText("asked “How many hands?”", false),
		p.Click("Open the conversation", false), p.AwaitText("Flow started: A wave", false), p.Click("Stop it", false), p.AwaitText("Flow stopped: stopped by Robin", false),
		p.Click("freight", false), p.AwaitText("Conversation tagged: freight, by Robin", false), p.Await(`document.querySelector("button[aria-pressed=true]")?.innerText === "freight"`),
		p.Click("Save this conversation as one", false), p.AwaitText("Saved. Open it", false),
		p.Go(s.PublicURL+"/rehearsals"), p.Click("Play them all", false), p.AwaitText("of 14 passed", false),
		p.Go(s.PublicURL+"/today"), p.Click("Pause bots and flows", false), p.Click("Pause them", false), p.AwaitText("Bots and flows are paused", false),
		p.Click("Let bots and flows go on", false), p.Await(`!document.body.innerText.includes("Bots and flows are paused")`),
	))
}

// A builder tries a draft before it is live, keeps a value of what another system posted as a
// field of the contact, and starts a flow with the values that it asks for.
func TestABuilderTriesAFlowInTheConsole(t *testing.T) {
	s := open(t)
	p := s.console("Robin", false)
	const parcel = "# What the carrier tells us.\nflow: parcel\nwhen:\n  - webhook:\n      body: { type: object, required: [number] } # as agreed\n  - by hand: { with: [number] }\nsteps:\n  - note: \"Parcel {{ event.kind }}\"\n  - wait: 1d\n"
	_, err := s.client.PutDocument(s.ctx, "flows", "parcel", parcel, 0)
	s.must(err)
	live, err := s.client.GoLive(s.ctx, "parcel", 0)
	s.must(err)
	post, err := http.Post(s.PublicURL+live.Address, "application/json", strings.NewReader(`{"number": "BR-7", "customer": {"e-mail": "ada@example.org"}}`))
	s.must(err)
	s.must(post.Body.Close())
	s.must(errors.Join(
		p.Go(s.PublicURL+"/flows/group-crossing?tab=try"), p.AwaitText("What they write", false),
		p.Type("form input", "can you take a school class of 30 on friday?", false), p.Type("form textarea", "ada@example.org", false), p.Click("Play it", false),
		p.AwaitText("✓ It starts when a customer writes", false), p.AwaitText("not asked: 30 was said already", false), p.AwaitText("(party_size is 30)", false), p.AwaitText("row group-enquiries", false),
		p.Go(s.PublicURL+"/flows/parcel?tab=posted"), p.AwaitText(`event.body.customer["e-mail"]`, false), p.Await(`document.querySelector("select[aria-label^='Keep event.body.customer'] option[value=email]")`),
		p.Do(`const keep = document.querySelectorAll("select[aria-label^='Keep event.body.customer']")[0]; keep.value = "email"; keep.dispatchEvent(new Event("change", { bubbles: true }))`),
		p.AwaitText("The draft takes body.customer.e-mail", false), p.Click("Put version 2 live", false), p.AwaitText("Version 2 is live", false),
		p.Click("Start it…", false), p.Await(`document.querySelector("[role=dialog] input:not([type=checkbox])")`), p.Type("[role=dialog] input:not([type=checkbox])", "BR-9", false), p.Do(`document.querySelector("[role=dialog] form").requestSubmit()`),
		p.AwaitText("Runs (2)", false),
	))
	if d, err := s.client.Document(s.ctx, "flows", "parcel"); err != nil || !strings.Contains(d.Text, "# as agreed") || !strings.Contains(d.Text, "email: body.customer.e-mail") || !strings.HasPrefix(d.Text, "# What the carrier") {
		t.Errorf("the draft reads %q, %v", d.Text, err)
	}
	if runs, err := s.client.Runs(s.ctx, "parcel", "", true); err != nil || len(runs.Items) != 2 {
		t.Errorf("there are %d runs, %v", len(runs.Items), err)
	} else if run, err := s.client.Run(s.ctx, runs.Items[0].ID); err != nil || run.Event["number"] != "BR-9" {
		t.Errorf("it was started with %v, %v", run.Event, err)
	}
}
