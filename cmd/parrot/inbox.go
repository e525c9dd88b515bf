package main

import (
	"fmt"
	"io"
	"strings"

	"urgentparrot.example/client"
)

func inbox(c *call) error {
	c.remote()
	all := c.flags.Bool("all", false, "list: not only those who wait for a person")
	search := c.flags.String("search", "", "list: only with these `words`")
	over := c.flags.Bool("over", false, "take: even from another person")
	if err := c.parse(1, 100); err != nil {
		return err
	}
	cl, err := c.client()
	if err != nil {
		return err
	}
	action, rest := c.args[0], c.args[1:]
	if action == "list" {
		return c.listInbox(cl, *all, *search)
	}
	if len(rest) == 0 {
		return usage("which conversation? parrot inbox list shows their ids")
	}
	id := rest[0]
	if id, err = c.wholeID(cl, id); err != nil {
		return err
	}
	var conversation client.Conversation
	switch action {
	case "show":
		return c.showConversation(cl, id)
	case "reply":
		return c.replyTo(cl, id, strings.Join(rest[1:], " "))
	case "take":
		conversation, err = cl.Take(c.ctx, id, *over)
	case "return":
		conversation, err = cl.Return(c.ctx, id)
	case "close":
		conversation, err = cl.Close(c.ctx, id)
	default:
		return usage("there is no parrot inbox %s; there are list, show, take, reply, return and close", action)
	}
	if err != nil {
		return err
	}
	return c.print(conversation, func(w io.Writer) {
		fmt.Fprintln(w, map[string]string{"take": "It is yours; the bot is silent.", "return": "The bot answers again.", "close": "Closed."}[action])
	})
}

// wholeID completes the end of an id, as list shows it.
func (c *call) wholeID(cl *client.Client, id string) (string, error) {
	if len(id) == 36 {
		return id, nil
	}
	for _, lead := range []string{"urgent", ""} {
		page, err := cl.Conversations(c.ctx, lead, "", "")
		if err != nil {
			return "", err
		}
		for _, found := range page.Items {
			if len(id) >= 4 && strings.HasSuffix(found.ID, id) {
				return found.ID, nil
			}
		}
	}
	return id, nil
}

func (c *call) listInbox(cl *client.Client, all bool, search string) error {
	lead := "urgent"
	if all || search != "" {
		lead = ""
	}
	page, err := cl.Conversations(c.ctx, lead, search, "")
	if err != nil {
		return err
	}
	return c.print(page, func(w io.Writer) {
		if len(page.Items) == 0 {
			fmt.Fprintln(w, "Nobody waits for a person. With -all you see every conversation.")
			return
		}
		fmt.Fprintln(w, "ID\tWHO\tCHANNEL\tLED BY\tWAITS\tWHY\tLAST")
		for _, conv := range page.Items {
			waits := ""
			if conv.WaitingSince != nil {
				waits = strings.TrimSuffix(ago(*conv.WaitingSince), " ago")
			}
			lead := conv.Lead
			if conv.Assignee != "" {
				lead = conv.Assignee
			}
			fmt.Fprintf(w, "%s\t%s\t%s\t%s\t%s\t%s\t%s\n", conv.ID[24:], who(conv), conv.Channel, lead, waits, conv.Reason, shorten(conv.Preview, 50))
		}
	})
}

// who names a contact: by name, or by a handle that a person can read.
func who(conv client.Conversation) string {
	switch {
	case conv.Name != "":
		return conv.Name
	case conv.Channel == "website":
		return "a visitor"
	}
	return conv.Address
}

func shorten(s string, limit int) string {
	if runes := []rune(s); len(runes) > limit {
		return string(runes[:limit-1]) + "…"
	}
	return s
}

func (c *call) showConversation(cl *client.Client, id string) error {
	conv, err := cl.Conversation(c.ctx, id)
	if err != nil {
		return err
	}
	page, err := cl.Messages(c.ctx, id, "")
	if err != nil {
		return err
	}
	return c.print(map[string]any{"conversation": conv, "messages": page.Items}, func(w io.Writer) {
		fmt.Fprintf(w, "%s on %s, led by %s %s\n", who(conv), conv.Channel, conv.Lead, conv.Assignee)
		if conv.WaitingSince != nil {
			fmt.Fprintf(w, "Waits for a person since %s: %s\n", ago(*conv.WaitingSince), conv.Reason)
		}
		if s := conv.Summary; s != nil {
			for _, open := range s.Open {
				fmt.Fprintf(w, "Not answered yet: %s\n", open)
			}
			for _, asked := range s.Asked {
				fmt.Fprintf(w, "Answered by the bot: %s\n", asked)
			}
		}
		for _, f := range conv.Facts {
			fmt.Fprintf(w, "Known: %s %s\n", f.Detail, f.Value)
		}
		fmt.Fprintln(w)
		for _, m := range page.Items {
			name := m.Author
			if m.Name != "" {
				name = m.Name
			}
			state := ""
			if m.Delivery != "" && m.Delivery != "sent" {
				state = " [" + m.Delivery + "]"
			}
			fmt.Fprintf(w, "%s  %s: %s%s\n", m.At.Local().Format("15:04"), name, strings.ReplaceAll(m.Text, "\n", "\n       "), state)
		}
	})
}

func (c *call) replyTo(cl *client.Client, id, words string) error {
	if words == "" || words == "-" {
		raw, err := io.ReadAll(io.LimitReader(c.in, 64<<10))
		if err != nil {
			return err
		}
		words = strings.TrimSpace(string(raw))
	}
	m, err := cl.Reply(c.ctx, id, words, "")
	if err != nil {
		return err
	}
	return c.print(m, func(w io.Writer) { fmt.Fprintln(w, "Said.") })
}
