package engine

import (
	"strings"
	"testing"

	"urgentparrot.example/internal/channel/channeltest"
	"urgentparrot.example/internal/clock"
)

// A template is one text that holds all documents as they were written, and makes another
// workspace the same; what it cannot take in it names, and what is still to do.
func TestATemplateMakesTheNextWorkspace(t *testing.T) {
	s := openStage(t)
	s.put("flow", "flow: tell\nwhen: by hand\nsteps:\n  - say: \"---\"\n  - note: |\n      a rule\n      ---\n      of lines\n")
	s.must(s.Documents.PutSecret(t.Context(), "outside", "sesame"))
	s.rings("0201", "1", "I'm Ada Quill, ada@example.org")
	s.until("it is kept", func() bool { return len(s.contacts()) == 1 })
	text, err := s.Documents.Template(t.Context())
	s.must(err)
	for _, private := range []string{"sesame", "Quill", "ada@example.org", "tea counter"} {
		if strings.Contains(text, private) {
			t.Errorf("the template holds %q", private)
		}
	}
	list, err := s.Documents.ReadTemplate(text)
	s.must(err)
	if len(list) != len(documents(""))+1 {
		t.Fatalf("it holds %d documents", len(list))
	}

	next := openStageIn(t, t.TempDir()+"/next", clock.NewWalked(start), &channeltest.Bell{}, newWorld(t))
	done, err := next.Documents.TakeIn(t.Context(), append(list, Templated{"bot", "lost", "bot: lost\nname: L\ntools: [nothing]\n"}), `The "Tern"`, true)
	s.must(err)
	if len(done.Taken) != len(list) || len(done.Refused) != 1 || done.Refused[0].Name != "lost" {
		t.Errorf("taken in: %d, refused: %+v", len(done.Taken), done.Refused)
	}
	again, err := next.Documents.Template(t.Context())
	s.must(err)
	if want := strings.Replace(text, "title: Brackwater Ferries", `title: "The \"Tern\""`, 1); again != want {
		t.Errorf("the next workspace is\n%s\nnot\n%s", again, want)
	}
	says := ""
	for _, todo := range done.ToDo {
		says += todo.Says + "\n"
	}
	for _, want := range []string{"the secret of outside", "the flow tell is a draft"} {
		if !strings.Contains(says, want) {
			t.Errorf("still to do is %s, and not %q", says, want)
		}
	}
	if kept, err := next.Documents.TakeIn(t.Context(), list, "", false); err != nil || len(kept.Taken) > 0 || len(kept.Kept) != len(list) {
		t.Errorf("a second time: %+v, %v", kept, err)
	}
	for _, bad := range []string{"", "---\n---\n", "hello: you\n", "bot: a\nname: A\n---\nwhat is this\n", strings.Repeat("---\n", 10_000)} {
		if _, err := s.Documents.ReadTemplate(bad); err == nil {
			t.Errorf("%.40q is taken for a template", bad)
		}
	}
}
