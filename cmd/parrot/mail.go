package main

import (
	"fmt"
	"io"
	"strings"

	"urgentparrot.example/client"
)

// mailCommand tells what would be made of a mail.
func mailCommand(c *call) error {
	c.remote()
	channel := c.flags.String("channel", "", "the `name` of the channel; the first of mails, if it is left out")
	if err := c.parse(2, 2); err != nil {
		return err
	}
	if c.args[0] != "try" {
		return usage("there is no parrot mail %s; there is try", c.args[0])
	}
	cl, err := c.client()
	if err != nil {
		return err
	}
	raw, err := c.readInput(c.args[1])
	if err != nil {
		return err
	}
	if *channel == "" {
		page, err := cl.Channels(c.ctx)
		if err != nil {
			return err
		}
		for _, ch := range page.Items {
			if ch.Kind == "mail" && *channel == "" {
				*channel = ch.Name
			}
		}
		if *channel == "" {
			return fmt.Errorf("there is no channel of mails; parrot channel example shows how one is written")
		}
	}
	out, err := cl.TryMessage(c.ctx, *channel, raw)
	if err != nil {
		return err
	}
	return c.print(out, func(w io.Writer) { tellTried(w, out) })
}

func tellTried(w io.Writer, t client.TriedMessage) {
	line := func(what, says string) {
		if says != "" {
			fmt.Fprintf(w, "%-11s%s\n", what, hanging(says, 11))
		}
	}
	line("From", t.Came.From)
	line("Answers to", t.Came.ReplyTo)
	line("To", strings.Join(t.Came.To, ", "))
	line("Copy", strings.Join(t.Came.Copy, ", "))
	line("Subject", t.Came.Subject)
	line("Belongs to", strings.Join(t.References, " "))
	line("Sender", t.Came.Proof)
	for _, f := range t.Files {
		line("File", fmt.Sprintf("%s (%s, %d bytes)", f.Name, f.Type, f.Bytes))
	}
	for _, p := range t.Came.Problems {
		line("Broken", p)
	}
	line("Says", t.Text)
	line("Signature", t.Came.Signature)
	line("Quotes", t.Came.Quoted)
	fmt.Fprintln(w)
	if t.Silent != "" {
		fmt.Fprintf(w, "Nothing answers it: %s.\n", t.Silent)
		return
	}
	how := "answers at once"
	if t.Held {
		how = "makes a reply that waits for approval"
	}
	fmt.Fprintf(w, "%s %s:\n\n%s\n\nNothing was kept or sent.\n", t.Bot, how, t.Reply)
}
