package main

import (
	"fmt"
	"io"
	"strings"

	"urgentparrot.example/client"
)

// listHeld lists the replies that wait for a person.
func (c *call) listHeld(cl *client.Client) error {
	page, err := cl.Held(c.ctx)
	if err != nil {
		return err
	}
	return c.print(page, func(w io.Writer) {
		if len(page.Items) == 0 {
			fmt.Fprintln(w, "No reply waits for approval.")
			return
		}
		for _, h := range page.Items {
			came := h.Came
			if h.Confidence > 0 {
				came += fmt.Sprintf(", confidence %.2f", h.Confidence)
			}
			about := ""
			if len(h.Topics) > 0 {
				about = "; stands on " + strings.Join(h.Topics, " and ")
			}
			fmt.Fprintf(w, "%s  %s on %s, %s, %s%s\n", h.Message.ID[24:], h.Conversation.Who, h.Conversation.Channel, ago(h.Message.At), came, about)
			if h.Conversation.Subject != "" {
				fmt.Fprintf(w, "  Subject:  %s\n", h.Conversation.Subject)
			}
			fmt.Fprintf(w, "  Customer: %s\n  %s: %s\n\n", hanging(h.Asked, 12), h.Message.Name, hanging(h.Message.Text, len(h.Message.Name)+4))
		}
		fmt.Fprintln(w, "parrot inbox approve ID [OTHER WORDS] sends one; parrot inbox reject ID [WHY] withdraws it.")
	})
}

// hanging sets the lines of a text below its first.
func hanging(s string, by int) string {
	return strings.ReplaceAll(strings.TrimSpace(s), "\n", "\n"+strings.Repeat(" ", by))
}

// listTopics tells what people did with held replies, by topic, and what may go by itself.
func (c *call) listTopics(cl *client.Client) error {
	out, err := cl.Independence(c.ctx)
	if err != nil {
		return err
	}
	return c.printTopics(out)
}

func (c *call) printTopics(out client.Independence) error {
	return c.print(out, func(w io.Writer) {
		if len(out.Topics) == 0 {
			fmt.Fprintln(w, "No reply has been approved or rejected yet. Where a channel holds replies (replies: hold), they are counted here by what they stand on.")
			return
		}
		fmt.Fprintln(w, "TOPIC\tAPPROVED UNCHANGED\tWORDED OTHERWISE\tCHANGED\tREJECTED\tGOES BY ITSELF")
		for _, t := range out.Topics {
			goes := "no"
			if t.Trusted != "" {
				goes = "yes, says " + t.Trusted
			}
			fmt.Fprintf(w, "%s\t%d of %d\t%d\t%d\t%d\t%s\n", t.Topic, t.Unchanged, t.All, t.Worded, t.Changed, t.Rejected, goes)
		}
		if out.Judged > 0 {
			fmt.Fprintf(w, "\nOf the last %s that people judged, at a threshold of\n", plural(out.Judged, "reply"))
			for _, at := range out.Thresholds {
				if int(at.Threshold*100+0.5)%10 == 0 {
					fmt.Fprintf(w, "  %.2f  %d would have gone by themselves; people changed or rejected %d of them\n", at.Threshold, at.Sent, at.Wrong)
				}
			}
		}
	})
}

// trustTopic lets replies of a topic go by themselves, or has them held.
func (c *call) trustTopic(cl *client.Client, topic string, trust bool) error {
	if trust {
		known, err := cl.Independence(c.ctx)
		if err != nil {
			return err
		}
		there := false
		for _, t := range known.Topics {
			there = there || t.Topic == topic
		}
		if !there {
			return fmt.Errorf("no reply about %q has been judged yet; parrot inbox topics lists the topics", topic)
		}
	}
	out, err := cl.Trust(c.ctx, topic, trust)
	if err != nil {
		return err
	}
	return c.printTopics(out)
}

// answerAfterAll has a message answered that nothing was to answer.
func (c *call) answerAfterAll(cl *client.Client, id string) error {
	if err := cl.AnswerAfterAll(c.ctx, id); err != nil {
		return err
	}
	return c.print(struct{}{}, func(w io.Writer) { fmt.Fprintln(w, "It is answered.") })
}
