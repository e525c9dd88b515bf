package main

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/service"
)

// What is asked of a mailbox.
const (
	pastMails = 10_000
	freshMail = 500
	oneByOne  = 60
)

// measureMail prints how fast mails come in and are decided on, with a mail server in the same
// process.
func measureMail(data string) error {
	ctx := context.Background()
	d, err := service.StartDemo(ctx, service.Options{Data: data, Listen: "127.0.0.1:0"}, "127.0.0.1:0", "127.0.0.1:0")
	if err != nil {
		return err
	}
	defer d.Close()
	token, err := d.NewToken(ctx, service.DemoWorkspace, "Robin")
	if err != nil {
		return err
	}
	cl := &client.Client{Server: d.PublicURL, Token: token}
	store := d.Workspaces[service.DemoWorkspace].Store()
	questions := []string{"What does a bicycle cost?", "Is there food on board?", "can i take my dog to hallow point?", "do you sell gift vouchers?"}
	write := func(n int) error {
		_, err := d.World.Mailroom.Write(fmt.Sprintf("c%d@example.org", n), fmt.Sprint("Question ", n), questions[n%len(questions)], "")
		return err
	}
	until := func(is func() (bool, error)) error {
		for {
			if done, err := is(); done || err != nil {
				return err
			}
			time.Sleep(2 * time.Millisecond)
		}
	}
	held := func(n int) func() (bool, error) {
		return func() (bool, error) {
			list, err := store.Held(ctx, 100_000)
			return len(list) >= n, err
		}
	}
	if err := until(func() (bool, error) { test, err := cl.TestChannel(ctx, "office-mail"); return test.Works, err }); err != nil {
		return err
	}
	time.Sleep(2 * time.Second) // the knowledge is read meanwhile
	var took []time.Duration
	for i := range oneByOne {
		begun := time.Now()
		if err := write(i); err != nil {
			return err
		}
		if err := until(held(i + 1)); err != nil {
			return err
		}
		took = append(took, time.Since(begun))
	}
	slices.Sort(took)
	fmt.Printf("%-58s %10s %10s   (aim: a second)\n", "a mail, from the mailbox (IDLE) to its reply, p50 and p99", took[len(took)/2].Round(time.Millisecond), took[len(took)*99/100].Round(time.Millisecond))
	begun := time.Now()
	for i := range freshMail {
		if err := write(oneByOne + i); err != nil {
			return err
		}
	}
	if err := until(held(oneByOne + freshMail)); err != nil {
		return err
	}
	fmt.Printf("%-58s %10.0f/s   (aim: 100/s)\n", "mails taken in and decided on", freshMail/time.Since(begun).Seconds())
	for i := range pastMails {
		raw := fmt.Appendf(nil, "From: p%d@example.org\r\nTo: office@brackwater.example\r\nSubject: An old matter %d\r\nMessage-ID: <p%d@example.org>\r\nDate: Tue, 03 Mar 2026 09:00:00 +0000\r\n\r\n%s\r\n", i, i, i, questions[i%len(questions)])
		if err := d.World.Mailroom.PutIn("Junk", raw); err != nil {
			return err
		}
	}
	page, err := cl.Documents(ctx, "channels")
	if err != nil {
		return err
	}
	for _, doc := range page.Items {
		if doc.Name == "office-mail" {
			if _, err := cl.PutDocument(ctx, "channels", doc.Name, strings.Replace(doc.Text, "[INBOX]", "[Junk]", 1), 0); err != nil {
				return err
			}
		}
	}
	begun = time.Now()
	if _, err := cl.TakePast(ctx, "office-mail", client.TakePast{From: time.Now().AddDate(0, 0, -2), To: time.Now().AddDate(0, 0, 2)}); err != nil {
		return err
	}
	if err := until(func() (bool, error) {
		page, err := cl.Channels(ctx)
		for _, ch := range page.Items {
			if ch.Name == "office-mail" && ch.Past != nil && !ch.Past.Running {
				if ch.Past.Error != "" || ch.Past.Done != pastMails {
					return false, fmt.Errorf("%d of %d: %s", ch.Past.Done, ch.Past.All, ch.Past.Error)
				}
				return true, err
			}
		}
		return false, err
	}); err != nil {
		return err
	}
	fmt.Printf("%-58s %10s   (aim: under 20 s)\n", "10,000 mails of the past taken in", time.Since(begun).Round(100*time.Millisecond))
	return nil
}
