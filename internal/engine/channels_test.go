package engine

import (
	"context"
	"errors"
	"strings"
	"sync"
	"testing"
	"time"

	"urgentparrot.example/internal/channel/channeltest"
	"urgentparrot.example/internal/clock"
)

const bell = "channel: bell\nkind: bell\nbot: front-desk\ntone: high\n"

// An adapter stays open while its own document, connection and secret are
// unchanged; nothing else touches it.
func TestAnAdapterIsKeptOpenWhileItsOwnThingsAreUnchanged(t *testing.T) {
	s := openStage(t)
	s.put("channel", bell+"connection: outside\n")
	at := func(what string, opened, closed int) {
		t.Helper()
		if o, c := s.bell.Opened("bell"); o != opened || c != closed {
			t.Errorf("%s: opened %d times and closed %d times, want %d and %d", what, o, c, opened, closed)
		}
	}
	at("with a connection", 2, 1)
	s.put("bot", strings.Replace(brief, "name: Pip", "name: Polly", 1))
	s.put("sheet", "sheet: other\ncolumns: [A]\n")
	s.put("channel", "channel: second\nkind: bell\nbot: front-desk\ntone: low\n")
	s.must(s.Documents.PutSecret(t.Context(), "office", "x"))
	s.put("channel", bell+"connection: outside\n")
	at("after changes elsewhere", 2, 1)
	s.must(s.Documents.PutSecret(t.Context(), "outside", "x"))
	at("after a new secret", 3, 2)
	s.put("connection", "connection: outside\nkind: http\naddress: "+s.world.URL+"/v2\n")
	at("after a new address", 4, 3)
	s.put("channel", bell+"off: true\n")
	at("switched off", 4, 4)
	if _, why := s.Channels.Handler("bell", "bell"); why != "the channel is switched off" {
		t.Errorf("it says %q", why)
	}
	s.put("channel", bell)
	at("switched on", 5, 4)
	s.must(s.Documents.Remove(t.Context(), "channel", "bell"))
	at("removed", 5, 5)
	if h, why := s.Channels.Handler("bell", "bell"); h != nil || why != "" {
		t.Errorf("a channel that is gone is served, or says %q", why)
	}
	if h, _ := s.Channels.Handler("bell", "second"); h == nil {
		t.Error("the second channel is not served")
	}
	if h, _ := s.Channels.Handler("chat", "second"); h != nil {
		t.Error("a channel is served at the path of another kind")
	}
	s.close()
	if o, c := s.bell.Opened("second"); o != 1 || c != 1 {
		t.Errorf("at the close the second was opened %d times and closed %d times", o, c)
	}
}

// What runs for a channel is run again after it failed, with growing pauses, and
// people see why meanwhile.
func TestAChannelThatFailsIsTriedAgain(t *testing.T) {
	c, b := clock.NewWalked(start), &channeltest.Bell{}
	var mu sync.Mutex
	runs, ended := 0, false
	b.OnRun = func(ctx context.Context) error {
		mu.Lock()
		runs++
		fails := runs <= 3
		mu.Unlock()
		if fails {
			return errors.New("the mailbox cannot be reached")
		}
		<-ctx.Done()
		mu.Lock()
		defer mu.Unlock()
		ended = true
		return ctx.Err()
	}
	s := openStageIn(t, t.TempDir()+"/main", c, b, newWorld(t))
	ran := func(n int) func() bool {
		return func() bool {
			mu.Lock()
			defer mu.Unlock()
			return runs >= n
		}
	}
	s.until("it has failed", func() bool { return s.Channels.States()[0].Fault == "the mailbox cannot be reached" })
	if !ran(1)() || ran(2)() {
		t.Error("it is run again without a pause")
	}
	s.pausing("it ran again, after a second at most", time.Second, ran(2)) // the pause begins after the fault is told
	s.walking("it runs in the end", ran(4))
	s.until("people see that it works", func() bool { return s.Channels.States()[0].Fault == "" })
	s.close()
	mu.Lock()
	defer mu.Unlock()
	if !ended {
		t.Error("it was still running when the workspace was closed")
	}
}

// Who writes is named by name, by a handle that says something, or as a visitor.
func TestContactsAreNamedForPeople(t *testing.T) {
	s := openStage(t)
	for _, c := range []struct{ name, channel, address, want string }{
		{"Ada", "bell", "+447700900150", "Ada"},
		{"", "bell", "+447700900150", "+447700900150"},
		{"", "gone", "x-17", "x-17"},
	} {
		if got := s.Channels.Who(c.name, c.channel, c.address); got != c.want {
			t.Errorf("%+v is called %q", c, got)
		}
	}
}

// A channel vouches for the handle; what a customer merely claims does not replace
// it.
func TestTheHandleIsVerifiedAndClaimsAreNot(t *testing.T) {
	s := openStage(t)
	id := s.rings("+447700900150", "1", "I'm Ada. My number is 07700 900 999 and my mail is ada@example.org")
	s.settled(id)
	contact := s.conversation(id).ContactID
	known := func() map[string]string {
		t.Helper()
		facts, err := s.Store().Facts(t.Context(), contact)
		s.must(err)
		values := map[string]string{}
		for _, f := range facts {
			values[f.Field] = f.Value
			if f.Verified {
				values[f.Field] += " by " + f.VerifiedBy
			}
		}
		return values
	}
	if got := known(); got["phone"] != "+447700900150 by bell" || got["email"] != "ada@example.org" || got["name"] != "Ada" {
		t.Errorf("known is %v", got)
	}
	// A person vouches for something else; from then on that holds.
	s.must(s.Contacts.Change(t.Context(), contact, "Robin", ContactEdit{Facts: map[string]string{"email": "Ada.Brill@example.org", "name": "Ada Brill"}}))
	s.rings("+447700900150", "2", "sorry, my mail is ada@example.net")
	s.settled(id)
	if got := known(); got["email"] != "ada.brill@example.org by Robin" || got["name"] != "Ada Brill by Robin" {
		t.Errorf("after a claim known is %v", got)
	}
	stage, tags := "enquiry", []string{"group"}
	s.must(s.Contacts.Change(t.Context(), contact, "Robin", ContactEdit{Facts: map[string]string{"phone": ""}, Stage: &stage, Tags: &tags}))
	c, err := s.Store().Contact(t.Context(), contact)
	s.must(err)
	if got := known(); got["phone"] != "" || c.Stage != "enquiry" || len(c.Tags) != 1 {
		t.Errorf("known is %v; the contact stands at %+v", got, c)
	}
	none := ""
	for says, edit := range map[string]ContactEdit{
		"no field called":       {Facts: map[string]string{"shoe_size": "42"}},
		"not an e-mail address": {Facts: map[string]string{"email": "ada at home"}},
		"no stage called":       {Stage: &[]string{"gone"}[0]},
		"no tag called":         {Tags: &[]string{"vip"}},
	} {
		if err := s.Contacts.Change(t.Context(), contact, "Robin", edit); !errors.Is(err, ErrUnknown) || !strings.Contains(err.Error(), says) {
			t.Errorf("%+v: %v, want one that says %q", edit, err, says)
		}
	}
	s.must(s.Contacts.Change(t.Context(), contact, "Robin", ContactEdit{Stage: &none}))
	if c, _ := s.Store().Contact(t.Context(), contact); c.Stage != "" || len(c.Tags) != 1 {
		t.Errorf("without a stage it stands at %+v", c)
	}
	if err := s.Contacts.Change(t.Context(), "nobody", "Robin", ContactEdit{}); err == nil {
		t.Error("nobody was changed")
	}
}
