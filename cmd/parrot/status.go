package main

import (
	"fmt"
	"io"
	"strings"
)

func status(c *call) error {
	if err := c.remote().parse(0, 0); err != nil {
		return err
	}
	cl, err := c.client()
	if err != nil {
		return err
	}
	s, err := cl.Status(c.ctx)
	if err != nil {
		return err
	}
	return c.print(s, func(w io.Writer) {
		fmt.Fprintf(w, "%s (workspace %s), Urgent Parrot %s\n\n", s.Title, s.Workspace, s.Version)
		fmt.Fprintf(w, "Conversations\t%d wait for a person, %d led by a bot, %d by a person, %d closed\n", s.Counts.Waiting, s.Counts.Bot, s.Counts.Person, s.Counts.Closed)
		if len(s.Decisions) > 0 {
			var made []string
			for _, d := range s.Decisions {
				made = append(made, fmt.Sprintf("%d %s", d.Times, d.Decision))
			}
			fmt.Fprintf(w, "Last 24 hours\t%s\n", strings.Join(made, ", "))
		}
		fmt.Fprintf(w, "Knowledge\t%s\n", plural(s.Passages, "passage"))
		for _, m := range s.Models {
			who := m.Bot
			if who == "" {
				who = "reading"
			}
			line := fmt.Sprintf("%s with %s: %s today, %d tokens, cost %s, %d ms each", who, m.Connection, plural(m.Requests, "request"), m.Read+m.Written, money(m.Cost), m.Average)
			if m.Failed > 0 {
				line += fmt.Sprintf(", %d failed", m.Failed)
			}
			if m.MostTokens > 0 {
				line += fmt.Sprintf("; of %d tokens a day", m.MostTokens)
			}
			if m.MostCost > 0 {
				line += fmt.Sprintf("; of %s a day", money(m.MostCost))
			}
			if m.Resting != "" {
				line += "; " + m.Resting
			}
			fmt.Fprintf(w, "Model\t%s\n", line)
		}
		fmt.Fprintf(w, "Outbox\t%s to be carried out\n", plural(s.Counts.Pending, "effect"))
		for _, ch := range s.Channels {
			state := "works; answered by " + ch.Bot
			if ch.Fault != "" {
				state = "DOES NOT WORK: " + ch.Fault
			}
			fmt.Fprintf(w, "%s\t%s\n", ch.Title, state)
		}
		fmt.Fprintln(w)
		if len(s.Troubles) == 0 {
			fmt.Fprintln(w, "Nothing is going wrong.")
		}
		for _, t := range s.Troubles {
			state := "is being tried again"
			if t.GivenUp {
				state = "wants a person"
			}
			fmt.Fprintf(w, "%s (%s): %s\n", t.What, state, t.Detail)
		}
	})
}

// money shows what was spent: small amounts of it to a hundredth of a hundredth.
func money(amount float64) string {
	if amount < 1 {
		return fmt.Sprintf("%.4f", amount)
	}
	return fmt.Sprintf("%.2f", amount)
}
