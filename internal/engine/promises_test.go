package engine

import (
	"fmt"
	"strings"
	"testing"
	"time"
)

// A customer who waits for a person is not forgotten: the next one is told when nobody comes
// in, the customer hears that it takes longer, once a day, and all that ends when somebody
// comes in. A restart forgets none of it.
func TestAPromiseHasAClock(t *testing.T) {
	s := openStage(t)
	post := &postOffice{}
	s.opensPost(post)
	s.put("team", "team: night\ntitle: Night crew\ncall: in order\n")
	for _, name := range []string{"ada", "bo", "cy"} {
		s.put("person", fmt.Sprintf("person: %s\nname: %s\naddress: %s@brackwater.example\nteams: [night]\n", name, name, name))
	}
	s.put("bot", strings.Replace(brief, "to: team/crew", "to: team/night\n  within: 2h", 1))
	id := s.rings("+447700900150", "1", "do you run on Christmas Day?")
	contains(t, s.answered(1)[0], "asked a colleague")
	told := func(n int) string {
		t.Helper()
		s.until(fmt.Sprintf("%d mails are sent", n), func() bool { return len(post.got()) >= n })
		if got := post.got(); len(got) != n {
			t.Fatalf("there are %d mails, not %d", len(got), n)
		}
		return post.got()[n-1]
	}
	contains(t, told(1), "ada@brackwater.example: ")
	s.clock.Walk(119 * time.Minute)
	told(1)
	s.clock.Walk(2 * time.Minute)
	contains(t, strings.ReplaceAll(told(2), "=\r\n", ""), "bo@brackwater.example: ", "Still waiting", "/inbox/"+id)
	contains(t, s.answered(2)[1], "takes longer")

	s.close() // and the clock goes on
	s = openStageIn(t, s.folder, s.clock, s.bell, s.world)
	s.clock.Walk(121 * time.Minute)
	contains(t, told(3), "cy@brackwater.example: ")
	s.clock.Walk(121 * time.Minute)
	contains(t, told(4), "ada@brackwater.example: ") // once through, it begins anew
	if texts := s.sent(); len(texts) != 2 {
		t.Errorf("on one day the customer reads %q", texts)
	}
	s.must(s.Inbox.Take(t.Context(), id, "bo", false))
	s.clock.Walk(30 * time.Hour)
	if len(post.got()) != 4 || len(s.sent()) != 2 {
		t.Errorf("after bo came in %d mails and %d texts were sent", len(post.got()), len(s.sent()))
	}
}
