package test

import (
	"context"
	"fmt"
	"net/mail"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/submission"
)

// Mails that come in, from a mailbox and from a server that forwards them, while the service is
// killed again and again stand in the store once each, and each is answered under one
// Message-ID, or by one draft.
func TestKillsLoseNoMailAndAnswerNoneTwice(t *testing.T) {
	t.Run("sent", func(t *testing.T) { killAmongMails(t, "send", 200) })
	t.Run("drafts", func(t *testing.T) { killAmongMails(t, "draft", 60) })
}

func killAmongMails(t *testing.T, replies string, mails int) {
	const kills = 3
	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
	defer cancel()
	data, listen, forward := t.TempDir(), freePort(t), freePort(t)
	outside, at, secret := around(t, listen)
	start := func() *process { return serve(t, data, listen, "-mail-listen", forward) }
	service := start()
	c := service.signedIn(t)
	setUp(t, c, at, secret)
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	_, err := c.PutDocument(ctx, "channels", "office-mail", "channel: office-mail\nkind: mail\nbot: front-desk\nconnection: office-mailbox\nreceives: [office@brackwater.example]\nreplies: "+replies+"\n", 0)
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
	// The answers to a customer that there are, by Message-ID.
	answers := func() map[string][]string {
		list := outside.Mailroom.Mails()
		if replies == "draft" {
			list, err = outside.Mailroom.Folder("Drafts")
			must(err)
		}
		by := map[string][]string{}
		for _, m := range list {
			to, err := mail.ParseAddress(m.To)
			must(err)
			by[to.Address] = append(by[to.Address], m.ID)
		}
		return by
	}
	// What was there before it is watched is not taken in: the first that is answered shows that it is.
	early := 0
	wait("the mailbox is watched", func() bool {
		if early++; early%20 == 1 {
			_, err := outside.Mailroom.Write("early@example.org", fmt.Sprint("Early ", early), "Is there food on board?", "")
			must(err)
		}
		return len(answers()["early@example.org"]) > 0
	})
	forwards := &submission.Server{Address: forward, Security: workspace.NoSecurity, Rules: outbound.Rules{Allowed: []string{"127.0.0.1"}}}
	defer forwards.Close()

	from := func(i int) string { return fmt.Sprintf("c%03d@example.org", i) }
	questions := []string{"What does a bicycle cost?", "Is there food on board?", "can i take my dog"}
	written := make(chan int, mails)
	var writing sync.WaitGroup
	writing.Go(func() {
		for i := range mails {
			if i%2 == 0 {
				if _, err := outside.Mailroom.Write(from(i), "A question", questions[i%3], ""); err != nil {
					t.Error(err)
				}
			} else { // as mail servers do: again and again until it is taken
				writing.Go(func() {
					raw := fmt.Sprintf("From: %[1]s\r\nTo: office@brackwater.example\r\nSubject: A question\r\nMessage-ID: <%[2]d@example.org>\r\n\r\n%[3]s\r\n", from(i), i, questions[i%3])
					for forwards.Send(ctx, from(i), []string{"office@brackwater.example"}, []byte(raw)) != nil && ctx.Err() == nil {
						time.Sleep(50 * time.Millisecond)
					}
				})
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
		service = start()
	}
	writing.Wait()
	wait("each is answered", func() bool {
		by := answers()
		for i := range mails {
			if len(by[from(i)]) == 0 {
				return false
			}
		}
		return true
	})
	for to, ids := range answers() {
		one := slices.Compact(slices.Sorted(slices.Values(ids)))
		if strings.HasSuffix(to, "@example.org") && !strings.HasPrefix(to, "early") && (len(one) != 1 || replies == "draft" && len(ids) != 1) {
			t.Errorf("%s was answered under %q", to, ids)
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
