package test

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/service"
)

// parrot runs the program against the stage, signed in.
func (s *stage) parrot(input string, args ...string) (out, errs string, code int) {
	s.t.Helper()
	return parrot(s.t, append(s.env, "PARROT_SERVER="+s.PublicURL, "PARROT_TOKEN="+s.client.Token), input, args...)
}

func parrot(t *testing.T, env []string, input string, args ...string) (out, errs string, code int) {
	t.Helper()
	command := exec.Command(program(t), args...)
	command.Env = append(os.Environ(), append(env, "XDG_CONFIG_HOME="+t.TempDir())...)
	var stdout, stderr bytes.Buffer
	command.Stdin, command.Stdout, command.Stderr = strings.NewReader(input), &stdout, &stderr
	var exit *exec.ExitError
	if err := command.Run(); errors.As(err, &exit) {
		code = exit.ExitCode()
	} else if err != nil {
		t.Fatal(err)
	}
	return stdout.String(), stderr.String(), code
}

func TestATeammateWorksTheInboxFromTheCommandLine(t *testing.T) {
	s := open(t)
	s.texts("+447700900141", "1", "let me talk to a person please", 1)
	out, _, _ := s.parrot("", "inbox", "list")
	contains(t, out, "+447700900141", "asked for a person", "waiting")
	var page client.ConversationPage
	out, _, _ = s.parrot("", "inbox", "list", "-json")
	s.must(json.Unmarshal([]byte(out), &page))
	id := page.Items[0].ID[24:]
	if _, errs, code := s.parrot("", "inbox", "reply", id, "Hello"); code != 1 || !strings.Contains(errs, "take it first") {
		t.Errorf("a reply without taking: %d, %s", code, errs)
	}
	out, _, _ = s.parrot("", "inbox", "take", id)
	contains(t, out, "yours")
	s.parrot("This is Robin.\nHow can I help?\n", "inbox", "reply", id, "-")
	if got := s.replies("+447700900141", 2); got[1].Text != "This is Robin.\nHow can I help?" {
		t.Errorf("the customer reads %q", got[1].Text)
	}
	out, _, _ = s.parrot("", "inbox", "show", id)
	contains(t, out, "led by Robin", "Robin: This is Robin.", "Escalated to people")
	out, _, _ = s.parrot("", "trace", id)
	contains(t, out, "handed over: the customer asked for a person")
	out, _, _ = s.parrot("", "inbox", "close", id)
	contains(t, out, "Closed")
	out, _, _ = s.parrot("", "inbox", "list")
	contains(t, out, "Nobody waits")
}

func TestABuilderAddsKnowledge(t *testing.T) {
	s := open(t)
	folder := t.TempDir()
	for name, content := range map[string]string{
		"winter/skates.md": "# Ice skates\n\nYou can rent ice skates at the pier for £7 an hour.",
		"broken.csv":       "question,answer\n\"are there skates?,yes\n",
		"prices.csv":       "name,price\nskates,£7\nsledges,£5\n",
		"picture.png":      "\x89PNG\r\n",
		"latin.txt":        "caf\xe9",
	} {
		s.must(os.MkdirAll(filepath.Dir(filepath.Join(folder, name)), 0o700))
		s.must(os.WriteFile(filepath.Join(folder, name), []byte(content), 0o600))
	}
	out, errs, code := s.parrot("", "knowledge", "add", folder)
	contains(t, out, "winter/skates.md  1 passage", "broken.csv", "the CSV cannot be read", "prices.csv        1 passage", "picture.png", "latin.txt")
	if code != 1 || !strings.Contains(errs, "2 files could not be added") {
		t.Errorf("exit %d, %s", code, errs)
	}
	out, _, _ = s.parrot("", "ask", "how much are ice skates?")
	contains(t, out, "£7", "winter/skates.md > Ice skates")
	var answer client.Answer
	out, _, _ = s.parrot("", "ask", "-bot", "travel-help", "when does the next boat to Hallow Point leave today?")
	contains(t, out, "Tool      timetable: ") // which says it, and no confidence in what was found
	if strings.Contains(out, "Confidence") {
		t.Errorf("a tool's answer has a confidence: %s", out)
	}
	out, _, _ = s.parrot("", "ask", "-json", "can I rent skis?")
	s.must(json.Unmarshal([]byte(out), &answer))
	if answer.Answered || answer.Confidence >= answer.Trace.Threshold {
		t.Errorf("skis were answered: %+v", answer)
	}
	if out, errs, code := s.parrot("Sledges\nA sledge costs £5 a day, and old people pay half.\n\nToboggan run\nThe run is open until the lamps go out.\n", "knowledge", "add", "-", "-name", "sledges"); code != 0 || !strings.Contains(out, "sledges.md  2 passages") {
		t.Errorf("a text without an ending: %s%s, code %d", out, errs, code)
	}
	s.parrot("question,answer\nDo you rent skis?,\"No, only skates.\"\n", "knowledge", "add", "-", "-name", "skis.csv")
	out, _, _ = s.parrot("Do you rent skis?", "ask", "-")
	contains(t, out, "No, only skates.")
	out, _, _ = s.parrot("", "knowledge", "remove", "winter/skates.md")
	contains(t, out, "Removed")
	out, _, _ = s.parrot("", "knowledge", "list")
	if strings.Contains(out, "skates.md") {
		t.Errorf("still there:\n%s", out)
	}
}

func TestDocumentsAreCheckedByLineAndColumn(t *testing.T) {
	s := open(t)
	brief, _, _ := s.parrot("", "bot", "show", "front-desk")
	file := filepath.Join(t.TempDir(), "front-desk.yaml")
	write := func(text string) { s.must(os.WriteFile(file, []byte(text), 0o600)) }
	for _, c := range []struct{ old, new, says string }{
		{"threshold: 0.65", "threshold: 1.5", "front-desk.yaml:8:12: the threshold must lie between 0 and 1"},
		{"threshold:", "treshold:", `there is no key called "treshold"`},
		{"[timetable,", "[timetables,", `there is no tool called "timetables"; did you mean "timetable"?`},
		{"{{ now }}", "{{ nowt }}", "undeclared reference to 'nowt'"},
		{"needs: [name, email]", "needs: [name, mail]", `"mail" is not a field`},
		{"name: Pip", "name: [", "front-desk.yaml:"},
		{"sheet: enquiries", "sheet: inquiries", `there is no sheet called "inquiries"`},
	} {
		write(strings.Replace(brief, c.old, c.new, 1))
		for _, action := range []string{"check", "push"} {
			if _, errs, code := s.parrot("", "bot", action, file); code != 1 || !strings.Contains(errs, c.says) {
				t.Errorf("%s with %s: exit %d, %q; want %q", action, c.new, code, errs, c.says)
			}
		}
	}
	write(strings.Replace(brief, "name: Pip", "name: Tern", 1))
	out, _, _ := s.parrot("", "bot", "push", file)
	contains(t, out, "live (version 2)")
	contains(t, s.asks(s.visitor(), "are you a robot?"), "I'm Tern")
	// The document's own name counts, whatever the file is called.
	write(strings.Replace(brief, "bot: front-desk", "bot: night-desk", 1))
	out, _, _ = s.parrot("", "bot", "push", file)
	contains(t, out, "night-desk is live (version 1)")
	if out, _, _ = s.parrot("my secret is whsec_abc", "connection", "show", "text-gateway"); strings.Contains(out, "whsec") {
		t.Error("a secret can be read back")
	}
}

func TestCommandsSayWhatWentWrong(t *testing.T) {
	s := open(t)
	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"nope"}, 2, "parrot help"},
		{[]string{"ask"}, 2, "it is used like this"},
		{[]string{"ask", "-bogus", "x"}, 2, "-h"},
		{[]string{"ask", "-bot", "nobody", "hello"}, 5, "nothing of that name"},
		{[]string{"bot", "show", "nobody"}, 5, "nobody"},
		{[]string{"status", "-token", "wrong"}, 4, "sign in"},
		{[]string{"status", "-server", "127.0.0.1:1"}, 3, "cannot be reached"},
		{[]string{"inbox", "show", "0000"}, 5, ""},
		{[]string{"ask", " "}, 1, "empty"},
		{[]string{"ask", strings.Repeat("x", 5000)}, 1, "more than 4000"},
		{[]string{"serve", "-data", s.data, "-listen", "127.0.0.1:0"}, 1, "in use by another process"},
		{[]string{"serve", "-data", t.TempDir(), "-listen", strings.TrimPrefix(s.PublicURL, "http://")}, 1, "-listen"},
	} {
		if _, errs, code := s.parrot("", c.args...); code != c.code || !strings.Contains(errs, c.says) {
			t.Errorf("%.60q: exit %d, %q; want %d, %q", c.args, code, errs, c.code, c.says)
		}
	}
	for _, name := range []string{"serve", "demo", "sign-in", "status", "ask", "chat", "inbox", "knowledge", "bot", "channel", "tool", "connection", "sheet", "contact", "trace"} {
		if out, _, code := parrot(t, nil, "", name, "-h"); code != 0 || !strings.Contains(out, "Example: parrot "+name) {
			t.Errorf("parrot %s -h: exit %d\n%s", name, code, out)
		}
	}
}

func TestATrialInTheTerminal(t *testing.T) {
	s := open(t)
	out, _, _ := s.parrot("when is the next boat?\ngannet holm\nI'm Ada, ada@example.org\n", "chat")
	contains(t, out, "Where would you like to go", "Grey Heron", "Thank you, Ada")
	if rows, err := s.client.Rows(s.ctx, "enquiries"); err != nil || len(rows.Items) != 0 {
		t.Errorf("a trial wrote %v (%v)", rows.Items, err)
	}
}

// What was built for one business is taken to the next: all of its documents, in an order in
// which each finds what it refers to, and nothing of its customers and secrets.
func TestAWorkspaceIsTheTemplateOfTheNext(t *testing.T) {
	s := open(t)
	s.asks(s.visitor(), "I'm Maren Holt, maren.holt@example.org")
	folder := filepath.Join(t.TempDir(), "ferries")
	out, errs, code := s.parrot("", "template", "export", folder)
	contains(t, out, "Bots", "Flows", "no contacts")
	if code != 0 {
		t.Fatal(errs)
	}
	files := 0
	s.must(filepath.WalkDir(folder, func(path string, entry os.DirEntry, err error) error {
		if err != nil || entry.IsDir() {
			return err
		}
		files++
		text, err := os.ReadFile(path)
		for _, private := range []string{"Maren", "maren.holt", s.client.Token} {
			if strings.Contains(string(text), private) {
				t.Errorf("%s holds %q", path, private)
			}
		}
		return err
	}))
	if _, errs, code = s.parrot("", "template", "export", folder); code != 1 || !strings.Contains(errs, "not empty") {
		t.Errorf("over the old one: %d, %s", code, errs)
	}

	next, err := service.Start(s.ctx, service.Options{Data: t.TempDir(), Listen: "127.0.0.1:0"})
	s.must(err)
	defer func() { s.must(next.Close()) }()
	token, err := next.NewToken(s.ctx, "main", "Robin")
	s.must(err)
	there := []string{"PARROT_SERVER=" + next.PublicURL, "PARROT_TOKEN=" + token}
	s.must(os.WriteFile(filepath.Join(folder, "bot", "lost.yaml"), []byte("bot: lost\nname: X\nescalate: { on: [wish], to: team/nobody }\n"), 0o600))
	out, errs, code = parrot(t, there, "", "template", "import", folder, "-title", `The "Tern" bakery`)
	if code != 1 {
		t.Errorf("one that cannot be taken in ends with %d", code)
	}
	contains(t, errs, "bot/lost.yaml:3", `no team called "nobody"`)
	contains(t, out, fmt.Sprintf("%d documents taken in", files), "parrot connection secret client-book", "the source crew-notes.md, which the bot crew answers from", "parrot flow live group-crossing")
	cl := &client.Client{Server: next.PublicURL, Token: token}
	kinds, err := cl.Kinds(s.ctx)
	s.must(err)
	for _, kind := range kinds.Items {
		here, err := s.client.Documents(s.ctx, kind.Plural)
		s.must(err)
		copied, err := cl.Documents(s.ctx, kind.Plural)
		s.must(err)
		if len(here.Items) != len(copied.Items) {
			t.Errorf("of %d %s %d are there", len(here.Items), kind.Plural, len(copied.Items))
		}
		for i, d := range copied.Items {
			if !kind.Only && d.Text != here.Items[i].Text {
				t.Errorf("%s %s is changed", kind.Name, d.Name)
			} else if kind.Only {
				contains(t, d.Text, `title: "The \"Tern\" bakery"`)
			}
		}
	}
	out, _, _ = parrot(t, there, "", "template", "import", folder)
	contains(t, out, "0 documents taken in", "bot front-desk is not taken in: there is one already")

	// Or it makes one itself, beside others, while no service runs.
	s.must(os.Remove(filepath.Join(folder, "bot", "lost.yaml")))
	data := t.TempDir()
	for _, name := range []string{"otters", "terns"} {
		out, errs, code = s.parrot("", "template", "import", folder, "-new", name, "-data", data, "-title", "The "+name)
		contains(t, out, fmt.Sprintf("%d documents taken in", files), "The workspace "+name+" stands in")
		if code != 0 {
			t.Fatal(errs)
		}
	}
	for name, refused := range map[string]string{"otters": "is there already", "The Otters": "is not a name"} {
		if _, errs, code = s.parrot("", "template", "import", folder, "-new", name, "-data", data); code != 1 || !strings.Contains(errs, refused) {
			t.Errorf("a workspace %q: %d, %s", name, code, errs)
		}
	}
	both, err := service.Start(s.ctx, service.Options{Data: data, Listen: "127.0.0.1:0"})
	s.must(err)
	defer func() { s.must(both.Close()) }()
	for _, name := range []string{"otters", "terns"} {
		token, err := both.NewToken(s.ctx, name, "Robin")
		s.must(err)
		cl := &client.Client{Server: both.PublicURL, Token: token}
		settings, err := cl.Documents(s.ctx, "settings")
		s.must(err)
		contains(t, settings.Items[0].Text, "title: \"The "+name)
		there, err := cl.Tokens(s.ctx)
		s.must(err)
		for _, t2 := range there.Items {
			if t2.Name == "Template" {
				t.Errorf("the token with which %s was made is still good", name)
			}
		}
	}
}
