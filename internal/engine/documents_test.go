package engine

import (
	"errors"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/store"
)

// What a document refers to must be there and fit; what refers to it must still
// fit.
func TestDocumentsFitTogether(t *testing.T) {
	s := openStage(t)
	tool := documents(s.world.URL)[4][1]
	for _, c := range []struct{ kind, name, text, says string }{
		{"channel", "bell", strings.Replace(bell, "front-desk", "night-desk", 1), `there is no bot called "night-desk"`},
		{"channel", "bell", bell + "connection: office\n", "office is not a connection to an HTTP system"},
		{"channel", "bell", "channel: bell\nkind: gong\n", `"gong" is not a kind of channel; it is bell`},
		{"channel", "bell", "channel: bell\nkind: bell\nbot: front-desk\n", "a bell needs a tone"},
		{"channel", "bell", bell + "replies: sometimes\n", "send, hold, draft or off"},
		{"channel", "bell", bell + "pause: 2h\n", "0s to 1m"},
		{"channel", "bell", bell + "origins: []\n", "no key called"},
		{"tool", "tides", strings.Replace(tool, "connection: outside", "connection: nowhere", 1), `no connection to an HTTP system called "nowhere"`},
		{"bot", "front-desk", strings.Replace(brief, "sheet: enquiries", "sheet: orders", 1), `there is no sheet called "orders"; there are: enquiries`},
		{"bot", "front-desk", strings.Replace(brief, "needs: [email]", "needs: [shoe_size]", 1), `"shoe_size" is not a field of contacts; the fields are: [name email phone]`},
		{"bot", "front-desk", strings.Replace(brief, "contact.name.orValue('')", "contact.nom.orValue('')", 1), `"nom" is not a field`},
		{"bot", "front-desk", strings.Replace(brief, "to: team/crew", "to: team/night", 1), `there is no team called "night"`},
		{"bot", "front-desk", strings.Replace(brief, "to: team/crew", "to: the crew", 1), "not a mail address"},
		{"bot", "front-desk", strings.Replace(brief, "notify: office", "notify: outside", 1), "outside is not a connection to a mail server"},
		{"bot", "back-desk", brief, `calls itself "front-desk"`},
		{"settings", "other", "settings: other\n", "one document of settings"},
		{"settings", "main", "settings: main\nembeddings: { connection: nowhere, model: m }\n", "no connection"},
		{"person", "kim", "person: kim\nname: Kim\naddress: kim@example.org\nteams: [night]\n", `there is no team called "night"`},
		// What is referred to cannot be changed so that it does not fit any more.
		{"sheet", "enquiries", "sheet: enquiries\ncolumns: [Name]\n", `the bot front-desk needs it otherwise: the sheet enquiries has no column called "E-mail"`},
		{"connection", "outside", "connection: outside\nkind: smtp\naddress: a:1\nfrom: a@example.org\n", "the tool tides needs it otherwise"},
		{"settings", "main", "settings: main\nfields: [{ field: name, type: name }]\n", "the bot front-desk needs it otherwise"},
	} {
		err := s.Documents.Check(c.kind, c.name, c.text)
		var problems document.Problems
		if !errors.As(err, &problems) || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s %s: %v, want one that says %q", c.kind, c.name, err, c.says)
		}
		if _, err := s.Documents.Put(t.Context(), c.kind, c.name, c.text, 0); err == nil {
			t.Errorf("%s %s was kept", c.kind, c.name)
		}
	}
	// All that is wrong is named at once, each with its place.
	err := s.Documents.Check("bot", "front-desk", strings.NewReplacer("tools: [tides]", "tools: [moon, stars]", "notify: office", "notify: outside").Replace(brief))
	var problems document.Problems
	if !errors.As(err, &problems) || len(problems) != 3 || problems[0].Line != 3 || problems[1].Column <= problems[0].Column {
		t.Errorf("named are %+v", problems)
	}
}

func TestADocumentThatOthersNeedIsNotRemoved(t *testing.T) {
	s := openStage(t)
	for _, c := range [][3]string{{"connection", "outside", "tool tides"}, {"bot", "front-desk", "channel bell"}, {"team", "crew", "bot front-desk"}, {"sheet", "enquiries", "bot front-desk"}} {
		if err := s.Documents.Remove(t.Context(), c[0], c[1]); !errors.Is(err, ErrNeeded) || !strings.Contains(err.Error(), c[2]) {
			t.Errorf("%s %s: %v, want one that names %s", c[0], c[1], err, c[2])
		}
	}
	s.must(s.Documents.Remove(t.Context(), "channel", "bell"))
	s.must(s.Documents.Remove(t.Context(), "person", "robin"))
	if err := s.Documents.Remove(t.Context(), "person", "robin"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("it was removed twice: %v", err)
	}
	// Without settings the workspace falls back to the usual ones.
	s.must(s.Documents.Remove(t.Context(), "settings", "main"))
	if got := s.Documents.Settings(); got.Title != "main" || len(got.Fields) != 3 || got.Language != "en" {
		t.Errorf("without settings there is %+v", got)
	}
}

// A document that another version wrote is a trouble, not the end.
func TestADocumentThatCannotBeReadIsNamed(t *testing.T) {
	s := openStage(t)
	s.spoil(`INSERT INTO document (kind, name, text, version, updated_at) VALUES ('fax', 'main', 'fax: main', 1, 0), ('bot', 'odd', 'bot: [', 1, 0)`)
	s = s.again()
	faults := strings.Join(s.Documents.Faults(), "\n")
	contains(t, faults, "bot odd", `no documents of the kind "fax"`)
	s.rings("+447700900150", "1", "is there food on board?")
	contains(t, s.answered(1)[0], "soup")
}

func TestAnEditMustBeOfTheVersionThatWasRead(t *testing.T) {
	s := openStage(t)
	version, err := s.Documents.Put(t.Context(), "team", "crew", "team: crew\ntitle: One\n", 1)
	if err != nil || version != 2 {
		t.Fatalf("version %d, %v", version, err)
	}
	if _, err := s.Documents.Put(t.Context(), "team", "crew", "team: crew\ntitle: Two\n", 1); !errors.Is(err, store.ErrConflict) {
		t.Errorf("an edit of an older version: %v", err)
	}
	if version, err := s.Documents.Put(t.Context(), "team", "crew", "team: crew\ntitle: One\n", 2); err != nil || version != 2 {
		t.Errorf("an edit that changes nothing: version %d, %v", version, err)
	}
}
