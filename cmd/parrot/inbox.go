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
	switch action {
	case "list":
		return c.listInbox(cl, *all, *search)
	case "held":
		return c.listHeld(cl)
	case "topics":
		return c.listTopics(cl)
	}
	if len(rest) == 0 {
		return usage("which conversation? parrot inbox list shows their ids")
	}
	if action == "trust" || action == "hold" {
		return c.trustTopic(cl, strings.Join(rest, " "), action == "trust")
	}
	if action == "answer" {
		return c.answerAfterAll(cl, rest[0])
	}
	if action == "approve" || action == "reject" {
		return c.judgeHeld(cl, action, rest[0], strings.Join(rest[1:], " "))
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
		return usage("there is no parrot inbox %s; there are list, show, take, reply, held, approve, reject, topics, trust, hold, answer, return and close", action)
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
			fmt.Fprintf(w, "%s\t%s\t%s\t%s\t%s\t%s\t%s\n", conv.ID[24:], conv.Who, conv.Channel, lead, waits, conv.Because, shorten(conv.Preview, 50))
		}
	})
}

// ledBy says who leads a conversation.
func ledBy(conv client.Conversation) string {
	switch conv.Lead {
	case "waiting":
		return "waiting for a person"
	case "person":
		return "led by " + conv.Assignee
	case "closed":
		return "closed"
	}
	return "led by the bot " + conv.Bot
}

// judgeHeld approves a held reply, with other words if any are given, or rejects
// it for a reason. The id is a message's, or the end of one in the conversations
// that wait.
func (c *call) judgeHeld(cl *client.Client, action, id, words string) error {
	if len(id) < 36 {
		page, err := cl.Conversations(c.ctx, "urgent", "", "")
		if err != nil {
			return err
		}
		for _, conv := range page.Items {
			messages, err := cl.Messages(c.ctx, conv.ID, "")
			if err != nil {
				return err
			}
			for _, m := range messages.Items {
				if m.State == "held" && len(id) >= 4 && strings.HasSuffix(m.ID, id) {
					id = m.ID
				}
			}
		}
	}
	var m client.Message
	var err error
	if action == "approve" {
		m, err = cl.Approve(c.ctx, id, words)
	} else {
		m, err = cl.Reject(c.ctx, id, words)
	}
	if err != nil {
		return err
	}
	return c.print(m, func(w io.Writer) {
		fmt.Fprintln(w, map[string]string{"approve": "Approved; it goes out.", "reject": "Withdrawn; the customer waits for a person."}[action])
	})
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
		fmt.Fprintf(w, "%s on %s, %s\n", conv.Who, conv.Channel, ledBy(conv))
		if conv.Subject != "" {
			fmt.Fprintf(w, "Subject: %s\n", conv.Subject)
		}
		if conv.WaitingSince != nil {
			fmt.Fprintf(w, "Waits for a person since %s: %s\n", ago(*conv.WaitingSince), conv.Because)
		}
		for _, q := range conv.Questions {
			if q.Answer == "" {
				fmt.Fprintf(w, "Not answered yet: %s\n", q.Question)
			} else {
				fmt.Fprintf(w, "Answered by the bot: %s\n", q.Question)
			}
		}
		if len(conv.Tags) > 0 {
			fmt.Fprintf(w, "Tagged: %s\n", strings.Join(conv.Tags, ", "))
		}
		for _, f := range conv.Facts {
			fmt.Fprintf(w, "%s: %s\n", f.Label, shownValue(f))
		}
		fmt.Fprintln(w)
		for _, m := range page.Items {
			name := m.Author
			if m.Name != "" {
				name = m.Name
			}
			state := ""
			if m.State == "held" {
				state = " [held; parrot inbox approve " + m.ID[24:] + "]"
			} else if m.State != "" && m.State != "sent" && m.State != "received" {
				state = " [" + m.State + "]"
			}
			fmt.Fprintf(w, "%s  %s: %s%s\n", m.At.Local().Format("15:04"), name, strings.ReplaceAll(m.Text, "\n", "\n       "), state)
			for _, f := range m.Files {
				fmt.Fprintf(w, "       File: %s (%s, %d bytes)\n", f.Name, f.Type, f.Bytes)
			}
			if m.Beside != nil && m.Beside.Silent != "" {
				fmt.Fprintf(w, "       Not answered: %s; parrot inbox answer %s\n", m.Beside.Silent, m.ID)
			}
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
