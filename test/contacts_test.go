package test

import (
	"bytes"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"urgentparrot.example/client"
)

// contact returns the newest contact whose name is known to be that.
func (s *stage) contact(name string) client.Contact {
	s.t.Helper()
	page, err := s.client.Contacts(s.ctx, client.ContactFilter{Search: name})
	s.must(err)
	if len(page.Items) == 0 {
		s.t.Fatalf("nobody is called %s", name)
	}
	return page.Items[0]
}

// holds lists the files below a folder that hold some words, whatever else is in them.
func holds(t *testing.T, folder, words string) (files []string) {
	t.Helper()
	if err := filepath.WalkDir(folder, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		raw, err := os.ReadFile(path)
		if err == nil && bytes.Contains(bytes.ToLower(raw), []byte(strings.ToLower(words))) {
			files = append(files, filepath.Base(path))
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return files
}

// Who is forgotten is gone from every file of the data folder: messages, facts, notes, rows,
// traces, runs, forms, gaps, lessons, rehearsals, what waited to be sent, the free space of the
// records. What others said stays.
func TestAForgottenContactIsNowhere(t *testing.T) {
	s := open(t)
	const phone, mail, name, secretly = "+447700900166", "quilla.thornbury@example.org", "Quilla Thornbury", "xylophone"
	s.texts(phone, "1", "Hello, I'm "+name+", "+mail+". Can I take my "+secretly+" to the moon?", 1)
	s.texts(phone, "2", "and when is the next boat to Gannet Holm?", 2)
	s.texts("+447700900167", "4", "I'm Ada Moss, ada@example.org. Can I take my dog?", 1)
	s.eventually("the row is written", func() bool {
		rows, err := s.client.Rows(s.ctx, "enquiries")
		s.must(err)
		return len(rows.Items) == 2 && len(holds(t, filepath.Join(s.data, "brackwater", "sheets"), mail)) > 0
	})
	who := s.contact(name)
	talk := s.conversation(phone)
	_, err := s.client.AddContactNote(s.ctx, who.ID, "Plays the "+secretly+" in a band.")
	s.must(err)
	_, err = s.client.Take(s.ctx, talk.ID, false)
	s.must(err)
	_, err = s.client.Reply(s.ctx, talk.ID, "A "+secretly+" travels free, "+name+".", "")
	s.must(err)
	kept := "rehearsal: Somebody with luggage\nchannel: website\nscript:\n  - customer: \"write to " + mail + "\"\n  - bot: { says: boat }\n"
	_, err = s.client.PutDocument(s.ctx, "rehearsals", "somebody-with-luggage", kept, 0)
	if err != nil {
		kept = ""
	}
	for _, words := range []string{phone, mail, name, secretly} {
		if len(holds(t, s.data, words)) == 0 {
			t.Fatalf("the test has no meaning: nothing holds %q", words)
		}
	}
	whole, err := s.client.WholeContact(s.ctx, who.ID)
	s.must(err)
	if len(whole.Messages) < 5 || len(whole.Rows) != 1 || len(whole.Notes) != 1 || len(whole.Facts) < 2 {
		t.Errorf("what they are handed lacks something: %+v", whole)
	}
	if out, said, code := s.parrot("", "contact", "forget", who.ID[24:]); code != 2 || !strings.Contains(said, "-really") {
		t.Errorf("without a second word: %d %s %s", code, out, said)
	}
	if out, said, code := s.parrot("", "contact", "forget", who.ID[24:], "-really"); code != 0 {
		t.Fatalf("%s %s", out, said)
	}
	for _, words := range []string{phone, mail, name, "Quilla", secretly, who.ID} {
		if files := holds(t, s.data, words); len(files) > 0 {
			t.Errorf("%q is still in %v", words, files)
		}
	}
	if _, err := s.client.Contact(s.ctx, who.ID); err == nil {
		t.Error("the contact is still there")
	}
	contains(t, strings.Join(s.said(s.conversation("+447700900167").ID), "\n"), "Ada Moss")
	rows, err := s.client.Rows(s.ctx, "enquiries")
	s.must(err)
	if len(rows.Items) != 1 {
		t.Errorf("of the sheet %d rows are left", len(rows.Items))
	}
	// They may come back as somebody new.
	s.texts(phone, "3", "can I take my dog?", 4)
	if again := s.conversation(phone); again.ID == talk.ID || again.Contact == who.ID {
		t.Error("who comes back is not somebody new")
	}
}

// Contacts are found, noted about, kept from bots, taken in and given out; two that are one are
// joined with all that is theirs, and can be taken apart again.
func TestTwoContactsThatAreOneAreJoined(t *testing.T) {
	s := open(t)
	s.texts("+447700900171", "1", "I'm Tess Marsh. How much is a van?", 1)
	v := s.visitor()
	s.asks(v, "Hi, Tess here, my mail is tess@example.org. Can I take my dog?")
	phone, web := s.contact("Tess Marsh"), s.contact("tess@example.org")
	yes := "tess@example.org"
	for _, id := range []string{phone.ID, web.ID} {
		_, err := s.client.ChangeContact(s.ctx, id, client.ContactChange{Facts: map[string]string{"email": yes}})
		s.must(err)
	}
	twins, err := s.client.Twins(s.ctx)
	s.must(err)
	if len(twins.Items) != 1 || twins.Items[0].Value != yes {
		t.Fatalf("who may be one: %+v", twins.Items)
	}
	preview, err := s.client.PreviewMerge(s.ctx, phone.ID, web.ID)
	s.must(err)
	if preview.Conversations != 1 || len(preview.Lost) != 1 || preview.Lost[0].Field != "name" {
		t.Errorf("what would become of them: %+v", preview)
	}
	tags := []string{"freight"}
	_, err = s.client.ChangeContact(s.ctx, web.ID, client.ContactChange{Tags: &tags})
	s.must(err)
	one, err := s.client.MergeContacts(s.ctx, phone.ID, web.ID)
	s.must(err)
	if len(one.Handles) != 2 || len(one.Conversations) != 2 || len(one.Merges) != 1 || len(one.Tags) != 1 {
		t.Errorf("joined they are %+v", one)
	}
	if page, err := s.client.Contacts(s.ctx, client.ContactFilter{Search: "Tess"}); err != nil || len(page.Items) != 1 {
		t.Errorf("the list shows %d of them: %v", len(page.Items), err)
	}
	if reply := s.asks(v, "is there wifi?"); reply == "" {
		t.Error("the conversation did not go on")
	}
	if _, err := s.client.MergeContacts(s.ctx, phone.ID, web.ID); err == nil {
		t.Error("they are joined twice")
	}
	if _, err := s.client.MergeContacts(s.ctx, phone.ID, phone.ID); err == nil {
		t.Error("one is joined with itself")
	}
	back, err := s.client.UndoMerge(s.ctx, one.Merges[0].ID)
	s.must(err)
	one, err = s.client.Contact(s.ctx, phone.ID)
	s.must(err)
	if len(back.Handles) != 1 || len(back.Conversations) != 1 || len(one.Handles) != 1 || len(one.Conversations) != 1 || len(one.Tags) != 0 || len(back.Tags) != 1 {
		t.Errorf("taken apart they are %+v and %+v", one, back)
	}

	no := true
	_, err = s.client.ChangeContact(s.ctx, phone.ID, client.ContactChange{NoBots: &no})
	s.must(err)
	if err := s.World.Handset.Send(s.ctx, "+447700900171", "9", "and how much is a car?"); err != nil {
		t.Fatal(err)
	}
	s.eventually("it waits for a person, and no bot wrote", func() bool {
		c := s.conversation("+447700900171")
		return c.Lead == "waiting" && strings.Contains(c.Because, "bots do not answer here")
	})

	file := "Name;E-mail;Telephone;Shoe size;tags\nRolf Ek;rolf@example.org;07700 900188;44;freight\nTess M;tess@example.org;07700900199;38;\nNobody;not a mail;;;\n"
	out, said, code := s.parrot(file, "contact", "import", "-")
	contains(t, out, "1 would be added, 1 would be completed", "Shoe size", "line 4")
	if code != 0 || len(holds(t, s.data, "rolf@example.org")) > 0 {
		t.Errorf("looking kept something: %s", said)
	}
	s.parrot(file, "contact", "import", "-", "-really")
	if rolf := s.contact("Rolf Ek"); len(rolf.Tags) != 1 || len(rolf.Facts) != 3 || !rolf.Facts[0].Verified {
		t.Errorf("Rolf came in as %+v", rolf)
	}
	if out, _, _ = s.parrot(file, "contact", "import", "-", "-really"); !strings.Contains(out, "0 added, 0 completed, of 2 all is known") {
		t.Errorf("a second time: %s", out)
	}
	cards, _, _ := s.parrot("", "contact", "export", "-format", "vcard", "-search", "Rolf")
	contains(t, cards, "BEGIN:VCARD", "EMAIL:rolf@example.org", "TEL:+447700900188", "CATEGORIES:freight")
	if out, _, _ = s.parrot(cards, "contact", "import", "-"); !strings.Contains(out, "of 1 all is known") {
		t.Errorf("what was given out is taken in as: %s", out)
	}
}

// Card numbers, passwords and codes are masked before anything is kept, shown or passed on.
func TestSecretsOfCustomersAreNotKept(t *testing.T) {
	s := open(t)
	s.texts("+447700900177", "1", "my card is 4111 1111 1111 1111, password: hunter2longer. can I take my dog? the number to reach me is +447700900177", 1)
	s.mails("Ada <ada@example.org>", "My card 4111 1111 1111 1111", "Can I take my dog?\n\nOn Monday, Brackwater Ferries wrote:\n> password: hunter2longer\n\n-- \nAda, 4111 1111 1111 1111", "")
	for _, words := range []string{"4111 1111", "41111111", "hunter2longer"} {
		if files := holds(t, s.data, words); len(files) > 0 {
			t.Errorf("%q is kept in %v", words, files)
		}
	}
	contains(t, strings.Join(s.said(s.conversation("+447700900177").ID), "\n"), "[card number]", "[password]", "+447700900177")
}
