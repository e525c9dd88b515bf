package test

import (
	"database/sql"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	_ "modernc.org/sqlite"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/service"
)

// Whatever is given another name, nothing else breaks: after every document of the demo was
// renamed, one after another, no reference is left to an old name, the rehearsals still pass,
// the conversations, rows, secrets and runs that there were go on, and customers are answered.
func TestEveryDocumentCanBeRenamed(t *testing.T) {
	s := open(t)
	v := s.visitor()
	contains(t, s.asks(v, "How much is a van?"), "Van up to 6 metres")
	before := s.conversation("").Bot
	const phone = "+447700900111"
	contains(t, s.texts(phone, "1", "our group would like to cross, we are 30", 2)[1].Text, "day")

	kinds, err := s.client.Kinds(s.ctx)
	s.must(err)
	renamed := 0
	for _, k := range kinds.Items {
		if k.Titled || k.Only {
			continue // a rehearsal is called by its title
		}
		docs, err := s.client.Documents(s.ctx, k.Plural)
		s.must(err)
		for _, d := range docs.Items {
			if d.Name == "text-line" {
				continue // the outside world posts to its address
			}
			got, err := s.client.RenameDocument(s.ctx, k.Plural, d.Name, d.Name+"-anew")
			if err != nil || got.Name != d.Name+"-anew" || !strings.Contains(got.Text, k.Name+": "+d.Name+"-anew\n") {
				t.Fatalf("%s %s: %v, %q", k.Name, d.Name, err, got.Text)
			}
			renamed++
		}
	}
	if renamed < 40 {
		t.Errorf("only %d documents were renamed", renamed)
	}
	status, err := s.client.Status(s.ctx)
	s.must(err)
	for _, trouble := range status.Troubles {
		t.Errorf("something is wrong now: %+v", trouble)
	}
	for _, k := range kinds.Items {
		docs, err := s.client.Documents(s.ctx, k.Plural)
		s.must(err)
		for _, d := range docs.Items {
			checked, err := s.client.CheckDocument(s.ctx, k.Plural, d.Name, d.Text)
			s.must(err)
			if len(checked.Problems)+len(checked.Warnings) > 0 && k.Name != "flow" || len(checked.Problems) > 0 {
				t.Errorf("%s %s is wrong now: %+v %+v", k.Name, d.Name, checked.Problems, checked.Warnings)
			}
		}
	}
	played, err := s.client.Rehearse(s.ctx, client.Rehearse{})
	s.must(err)
	for _, r := range played.Items {
		if !r.Passed {
			t.Errorf("the rehearsal %s fails now: %+v", r.Title, r.Lines)
		}
	}

	// The run that was open waits for its answer, and goes on with it; conversations stay
	// with their bots.
	contains(t, s.texts(phone, "2", "next friday", 3)[2].Text, "e-mail")
	s.texts(phone, "3", "ada@example.org", 4)
	s.eventually("the row is written", func() bool {
		rows, err := s.client.Rows(s.ctx, "group-enquiries-anew")
		return err == nil && len(rows.Items) == 1 && rows.Items[0].Cells["People"] == "30"
	})
	page, err := s.client.Conversations(s.ctx, "", "", "")
	s.must(err)
	if !slices.ContainsFunc(page.Items, func(c client.Conversation) bool { return c.Channel == "website-anew" && c.Bot == before+"-anew" }) {
		t.Errorf("the conversations are %+v", page.Items)
	}
	folder := filepath.Join(s.data, service.DemoWorkspace, "sheets")
	s.eventually("its file is written", func() bool { _, err := os.Stat(filepath.Join(folder, "group-enquiries-anew.csv")); return err == nil })
	if _, err := os.Stat(filepath.Join(folder, "group-enquiries.csv")); !errors.Is(err, os.ErrNotExist) {
		t.Error("the file of the sheet is there under its old name")
	}

	// No record is left under an old name: neither as a value nor inside what still counts.
	db, err := sql.Open("sqlite", "file:"+filepath.Join(s.data, service.DemoWorkspace, "parrot.db")+"?mode=ro")
	s.must(err)
	defer db.Close()
	var columns [][2]string
	rows, err := db.QueryContext(s.ctx, `SELECT m.name, c.name FROM sqlite_master m, pragma_table_info(m.name) c WHERE m.type = 'table' AND c.type = 'TEXT'`)
	s.must(err)
	for rows.Next() {
		var at [2]string
		s.must(rows.Scan(&at[0], &at[1]))
		columns = append(columns, at)
	}
	s.must(rows.Err())
	if len(columns) < 100 {
		t.Errorf("only %d columns are looked through", len(columns))
	}
	for _, at := range columns {
		if at[0] == "source" {
			continue // one of the knowledge happens to be called like the channel
		}
		for _, name := range []string{"front-desk", "lost-property", "website", "group-enquiries", "group-crossing", "client-book", "boats-running"} {
			var n int
			s.must(db.QueryRowContext(s.ctx, `SELECT count(*) FROM `+at[0]+` WHERE `+at[1]+` = ?`, name).Scan(&n))
			if n > 0 {
				t.Errorf("%d records of %s still say %s in %s", n, at[0], name, at[1])
			}
		}
	}

	// What cannot be is refused, and says why.
	for to, want := range map[string]string{"front-desk-anew": "is, or was, called", "Front Desk": "is not a name", "": "is not a name"} {
		if _, err := s.client.RenameDocument(s.ctx, "bots", "freight-anew", to); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("to %q: %v", to, err)
		}
	}
	if _, err := s.client.RenameDocument(s.ctx, "bots", "nobody", "somebody"); err == nil {
		t.Error("what is not there is renamed")
	}
}
