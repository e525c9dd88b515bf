package test

import (
	"context"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"
)

// Mails that come in while the service is killed again and again stand in the store once
// each, and each is answered under one Message-ID.
func TestKillsLoseNoMailAndAnswerNoneTwice(t *testing.T) {
	const mails, kills = 200, 3
	ctx, cancel := context.WithTimeout(t.Context(), 90*time.Second)
	defer cancel()
	data, listen := t.TempDir(), freePort(t)
	outside, at, secret := around(t, listen)
	service := serve(t, data, listen)
	c := service.signedIn(t)
	setUp(t, c, at, secret)
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	_, err := c.PutDocument(ctx, "channels", "office-mail", "channel: office-mail\nkind: mail\nbot: front-desk\nconnection: office-mailbox\nreplies: send\n", 0)
	must(err)
	wait := func(what string, is func() bool) {
		t.Helper()
		tick := time.NewTicker(20 * time.Millisecond)
		defer tick.Stop()
		for !is() {
			select {
			case <-tick.C:
			case <-ctx.Done():
				t.Fatalf("it did not come about that %s", what)
			}
		}
	}
	wait("the mailbox works", func() bool { test, err := c.TestChannel(ctx, "office-mail"); return err == nil && test.Works })
	// What was there before it is watched is not taken in: the first that is answered shows that it is.
	early := 0
	wait("the mailbox is watched", func() bool {
		if early++; early%20 == 1 {
			_, err := outside.Mailroom.Write("early@example.org", fmt.Sprint("Early ", early), "Is there food on board?", "")
			must(err)
		}
		return len(outside.Mailroom.MailsTo("early@example.org")) > 0
	})

	from := func(i int) string { return fmt.Sprintf("c%03d@example.org", i) }
	written := make(chan int, mails)
	var writing sync.WaitGroup
	writing.Go(func() {
		for i := range mails {
			if _, err := outside.Mailroom.Write(from(i), "A question", []string{"What does a bicycle cost?", "Is there food on board?", "can i take my dog"}[i%3], ""); err != nil {
				t.Error(err)
			}
			written <- i
			time.Sleep(5 * time.Millisecond) // as they come, not all at once
		}
	})
	for range kills {
		for range mails / (kills + 1) {
			<-written
		}
		service.kill()
		service = serve(t, data, listen)
	}
	writing.Wait()
	wait("each is answered", func() bool {
		for i := range mails {
			if len(outside.Mailroom.MailsTo(from(i))) == 0 {
				return false
			}
		}
		return true
	})
	answers := map[string]map[string]bool{}
	for _, m := range outside.Mailroom.Mails() {
		if strings.HasPrefix(m.To, "c") && strings.HasSuffix(m.To, "@example.org") {
			if answers[m.To] == nil {
				answers[m.To] = map[string]bool{}
			}
			answers[m.To][m.ID] = true
		}
	}
	for to, ids := range answers {
		if len(ids) != 1 {
			t.Errorf("%s was answered under %d Message-IDs", to, len(ids))
		}
	}
	stands := map[string]int{}
	for cursor := ""; ; {
		page, err := c.Conversations(ctx, "", "", cursor)
		must(err)
		for _, conv := range page.Items {
			if conv.Channel != "office-mail" {
				continue
			}
			messages, err := c.Messages(ctx, conv.ID, "")
			must(err)
			for _, m := range messages.Items {
				if m.Author == "customer" {
					stands[conv.Address]++
				}
			}
		}
		if cursor = page.Next; cursor == "" {
			break
		}
	}
	for i := range mails {
		if stands[from(i)] != 1 {
			t.Errorf("the mail of %s stands %d times", from(i), stands[from(i)])
		}
	}
}
