package mail

import (
	"strings"
	"testing"

	"github.com/emersion/go-imap/v2"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/world"
)

// A flag that somebody sets on a mail asks for a draft, once; one that stood there before says
// nothing, and none does where the channel says so.
func TestAFlagAsksForADraft(t *testing.T) {
	o := newOffice(t, "")
	old := o.write("Old <old@example.org>", "Fares", "What was the fare last year?", "")
	mark := func(id string, on bool) {
		t.Helper()
		if err := o.mail.Mark("INBOX", id, imap.FlagFlagged, on); err != nil {
			t.Fatal(err)
		}
	}
	mark(old, true)
	earlier := o.write("Ben <ben@example.org>", "Fares", "What does a bicycle cost?", "")
	o.run()
	id := o.write("Ada <ada@example.org>", "Dogs", "Can I bring my dog?", "")
	o.eventually("it is here", func() bool { return len(o.room.Received()) == 1 })
	mark(id, true)
	o.eventually("a draft is asked for", func() bool { return len(o.room.WereWanted()) == 1 })
	mark(earlier, true) // of a mail that the service has never seen
	o.eventually("another is asked for", func() bool { return len(o.room.WereWanted()) == 2 })
	wanted := o.room.WereWanted()
	if wanted[0].Address != "ada@example.org" || wanted[0].Text != "Can I bring my dog?" || wanted[1].Address != "ben@example.org" {
		t.Errorf("wanted: %+v", wanted)
	}

	// The same flag asks no more, also after a restart; one that is set anew does.
	if err := o.stop(); err != nil {
		t.Fatal(err)
	}
	o.run()
	mark(id, false)
	o.write("Cy <cy@example.org>", "Seats", "Can I book a seat?", "")
	o.eventually("the next mail is here", func() bool { return len(o.room.Received()) == 2 })
	if n := len(o.room.WereWanted()); n != 2 {
		t.Errorf("%d drafts were asked for", n)
	}
	mark(id, true)
	o.eventually("it is asked for again", func() bool { return len(o.room.WereWanted()) == 3 })

	silent := newOffice(t, "flagged: nothing\n")
	silent.run()
	id = silent.write("Ada <ada@example.org>", "Dogs", "Can I bring my dog?", "")
	silent.eventually("it is here", func() bool { return len(silent.room.Received()) == 1 })
	if err := silent.mail.Mark("INBOX", id, imap.FlagFlagged, true); err != nil {
		t.Fatal(err)
	}
	silent.write("Ada <ada@example.org>", "Cats", "And my cat?", "")
	silent.eventually("the next is here", func() bool { return len(silent.room.Received()) == 2 })
	if n := len(silent.room.WereWanted()); n != 0 {
		t.Errorf("%d drafts were asked for where flags say nothing", n)
	}
}

// A folder and a keyword make knowledge of a mail, of one bot.
func TestAFolderAndAKeywordTeach(t *testing.T) {
	o := newOffice(t, "learns: { folder: "+world.WorthKnowing+", keyword: teach, bot: front-desk }\n")
	o.run()
	o.eventually("the folder is watched", func() bool {
		at, _ := o.room.Recall(t.Context(), "folder "+world.WorthKnowing)
		return at != ""
	})
	id := o.write("Dana <dana@example.org>", "Bicycles in winter", "From November on bicycles are free.\n\n-- \nDana, 0161 496 0000", "")
	o.eventually("it is here", func() bool { return len(o.room.Received()) == 1 })
	if err := o.mail.File("INBOX", id, world.WorthKnowing); err != nil {
		t.Fatal(err)
	}
	o.eventually("the folder teaches", func() bool { return len(o.room.WereTaught()) == 1 })
	if err := o.mail.Mark("INBOX", id, "teach", true); err != nil {
		t.Fatal(err)
	}
	o.eventually("the keyword teaches", func() bool { return len(o.room.WereTaught()) == 2 })
	for _, taught := range o.room.WereTaught() {
		if taught.Bot != "front-desk" || taught.Own || taught.Text != "From November on bicycles are free." || taught.Beside.Subject != "Bicycles in winter" {
			t.Errorf("taught: %+v", taught)
		}
	}
	for said, more := range map[string]string{
		"name another folder":             "learns: { folder: INBOX }\n",
		"a keyword is one word":           "learns: { keyword: worth knowing }\n",
		"a flag asks for draft, or nothi": "flagged: sometimes\n",
	} {
		_, err := channel.Parse([]channel.Kind{Kind})("office.yaml", []byte(Kind.Example+more))
		if err == nil || !strings.Contains(err.Error(), said) {
			t.Errorf("%q: %v", more, err)
		}
	}
}
