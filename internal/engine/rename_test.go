package engine

import (
	"errors"
	"net/http"
	"strings"
	"testing"
)

// A name changes in the text where it names the document, and nowhere else: comments, order,
// quotes, and the same word in what is said stay. Drafts and old versions follow, so that they
// can still be taken up.
func TestARenameChangesNamesAndNothingElse(t *testing.T) {
	s := openStage(t)
	flow := func(title string) string {
		return "# tides\nflow: tell\ntitle: \"" + title + "\"\nwhen: by hand\nsteps:\n  - call: { tool: \"tides\", with: {} } # the tides\n    save: tides_now\n  - note: \"tides, from the tool tides\"\n"
	}
	s.live(flow("First"))
	s.put("flow", flow("Second"))
	s.must(s.Documents.PutDraft(t.Context(), "bot", "front-desk", "# not yet\nbot: front-desk\nname: Polly\ntools: [ 'tides', tides-of-old ]\n"))
	s.must(s.Documents.PutDraft(t.Context(), "bot", "half", "bot: half\ntools: [tides\n"))
	s.must(s.Documents.Rename(t.Context(), "tool", "tides", "high-water"))

	text := func(kind, name string) string {
		docs, err := s.Store().Documents(t.Context(), kind)
		s.must(err)
		for _, d := range docs {
			if d.Name == name {
				return d.Text
			}
		}
		return ""
	}
	if got, want := text("flow", "tell"), strings.Replace(flow("Second"), `tool: "tides"`, `tool: "high-water"`, 1); got != want {
		t.Errorf("the flow is now %s; want %s", got, want)
	}
	if got, want := text("bot", "front-desk"), strings.Replace(brief, "tools: [tides]", "tools: [high-water]", 1); got != want {
		t.Errorf("the brief is now %s", got)
	}
	if got := text("tool", "high-water"); !strings.HasPrefix(got, "tool: high-water\n") || !strings.Contains(got, "path: /tides") {
		t.Errorf("the tool is now %s", got)
	}
	drafts, err := s.Store().Drafts(t.Context(), "bot")
	s.must(err)
	if len(drafts) != 2 || !strings.Contains(drafts[0].Text, "[ 'high-water', tides-of-old ]") || drafts[1].Text != "bot: half\ntools: [tides\n" {
		t.Errorf("the drafts are %+v", drafts)
	}
	s.must(s.Documents.GoLive(t.Context(), "flow", "tell", 1, "Robin"))
	s.must(s.Flows.Start(t.Context(), "tell", "Robin", []Start{{}}))
	s.until("the tool is called", func() bool { return len(s.world.requests()) > 0 })

	for to, want := range map[string]string{"High Water": "is not a name", "high-water": "", "tides": ""} {
		if err := s.Documents.Rename(t.Context(), "tool", "high-water", to); want == "" && err != nil || want != "" && (!errors.Is(err, ErrRename) || !strings.Contains(err.Error(), want)) {
			t.Errorf("to %q: %v", to, err)
		}
	}
	s.put("tool", strings.Replace(text("tool", "tides"), "tool: tides", "tool: spare", 1))
	s.must(s.Documents.Remove(t.Context(), "tool", "spare"))
	if err := s.Documents.Rename(t.Context(), "tool", "tides", "spare"); !errors.Is(err, ErrRename) {
		t.Errorf("a name that can be brought back is given away: %v", err)
	}
}

// A connection keeps its secret under another name, and what waits to be carried to it goes.
func TestARenamedConnectionKeepsItsSecret(t *testing.T) {
	s := openStage(t)
	s.must(s.Documents.PutSecret(t.Context(), "outside", "sesame"))
	var bearer []string
	down := true
	s.world.answers(func(w http.ResponseWriter, r *http.Request) {
		bearer = append(bearer, r.Header.Get("Authorization"))
		if down {
			w.WriteHeader(http.StatusServiceUnavailable)
			return
		}
		_, _ = w.Write([]byte(`{"id": "c1"}`))
	})
	s.rings("0201", "1", "my mail is ada@example.org")
	s.pausing("the CRM is tried", 0, func() bool { return len(s.world.requests()) > 0 })
	s.must(s.Documents.Rename(t.Context(), "connection", "outside", "crm"))
	down = false
	s.walking("the contact is written", func() bool {
		for _, e := range s.effects("done") {
			if e.Kind == "sync" {
				return true
			}
		}
		return false
	})
	if last := bearer[len(bearer)-1]; last != "Bearer sesame" {
		t.Errorf("the other side is told %q", last)
	}
	if _, _, err := s.Store().Secret(t.Context(), "outside"); err == nil {
		t.Error("the secret is there under its old name too")
	}
}
