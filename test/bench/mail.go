package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"time"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/service"
	"urgentparrot.example/test/mailservers"
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
	d, err := service.StartDemo(ctx, service.Options{Data: data, Listen: "127.0.0.1:0", Engine: engine.Options{Rules: outbound.Rules{Allowed: []string{"127.0.0.1"}}}}, "127.0.0.1:0", "127.0.0.1:0")
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
	if !mailservers.HasDovecot() {
		fmt.Println("10,000 mails of the past are left out: dovecot is not installed")
		return nil
	}
	past, err := pile(questions)
	if err != nil {
		return err
	}
	defer os.RemoveAll(past.Folder)
	defer past.Stop()
	text := fmt.Sprintf("connection: office-mailbox\nkind: mailbox\naddress: %s\nsends: 127.0.0.1:1\nfrom: office@brackwater.example\nsecurity: none\n", past.Address)
	if _, err := cl.PutDocument(ctx, "connections", "office-mailbox", text, 0); err != nil {
		return err
	}
	if err := cl.PutSecret(ctx, "office-mailbox", mailservers.Password); err != nil {
		return err
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
	fmt.Printf("%-58s %10s   (aim: under 20 s)\n", "10,000 mails of the past taken in, from a Dovecot", time.Since(begun).Round(100*time.Millisecond))
	return nil
}

// pile starts a real mail server with many mails in its mailbox.
func pile(questions []string) (*mailservers.Dovecot, error) {
	folder, err := os.MkdirTemp("/tmp", "dovecot-") // its sockets need a short name
	if err != nil {
		return nil, err
	}
	d, err := mailservers.NewDovecot(folder)
	if err != nil {
		return nil, err
	}
	box := filepath.Join(folder, "mail", "office@brackwater.example")
	for _, part := range []string{"cur", "new", "tmp"} {
		if err := errors.Join(os.MkdirAll(filepath.Join(box, part), 0o777), os.Chmod(box, 0o777), os.Chmod(filepath.Join(box, part), 0o777)); err != nil {
			return nil, err
		}
	}
	for i := range pastMails {
		raw := fmt.Appendf(nil, "From: p%d@example.org\nTo: office@brackwater.example\nSubject: An old matter %d\nMessage-ID: <p%d@example.org>\nDate: Tue, 03 Mar 2026 09:00:00 +0000\n\n%s\n", i, i, i, questions[i%len(questions)])
		if err := os.WriteFile(filepath.Join(box, "cur", fmt.Sprintf("%d.%d.bench:2,S", time.Now().Unix(), i)), raw, 0o644); err != nil {
			return nil, err
		}
	}
	return d, nil
}
