package main

import (
	"bufio"
	"fmt"
	"io"
	"strings"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/core/answer"
)

func ask(c *call) error {
	c.remote()
	bot := c.flags.String("bot", "front-desk", "the bot's `name`")
	data := c.flags.String("data", "", "a `folder` of documents, or a data folder, instead of a running service")
	if err := c.parse(1, 100); err != nil {
		return err
	}
	question := strings.Join(c.args, " ")
	if question == "-" {
		raw, err := io.ReadAll(io.LimitReader(c.in, 64<<10))
		if err != nil {
			return err
		}
		question = string(raw)
	}
	if *data != "" {
		return c.askFolder(*data, "", question)
	}
	cl, err := c.client()
	if err != nil {
		return err
	}
	a, err := cl.Ask(c.ctx, *bot, question)
	if err != nil {
		return err
	}
	return c.printAnswer(a)
}

func (c *call) printAnswer(a client.Answer) error {
	return c.print(a, func(w io.Writer) {
		if a.Answer != "" {
			fmt.Fprintf(w, "%s\n\n", a.Answer)
		}
		fmt.Fprintf(w, "Decision\t%s: %s\n", a.Trace.Decision, a.Trace.Why)
		switch n := len(a.Trace.Thoughts); {
		case n > 0 && a.Trace.BuiltIn == "":
			last := a.Trace.Thoughts[n-1]
			fmt.Fprintf(w, "Written by\t%s (%s); what it says was held against the passages\n", last.Connection, last.Model)
		default:
			if a.Trace.BuiltIn != "" {
				fmt.Fprintf(w, "Built-in\t%s\n", a.Trace.BuiltIn)
			}
			if len(a.Trace.Tools) > 0 {
				for _, use := range a.Trace.Tools {
					fmt.Fprintf(w, "Tool\t%s: %s\n", use.Tool, use.Outcome)
				}
				break
			}
			fmt.Fprintf(w, "Confidence\t%s (the bot answers from %v)\n", answer.Shown(a.Confidence), a.Trace.Threshold)
		}
		for _, cite := range a.Citations {
			fmt.Fprintf(w, "Cites\t%s\n", place(cite))
		}
	})
}

// place says where a citation leads.
func place(c client.Citation) string {
	where := []string{c.Source}
	if c.Question != "" {
		where = append(where, c.Question)
	}
	return strings.Join(append(where, c.Trail...), " > ")
}

func chat(c *call) error {
	c.remote()
	bot := c.flags.String("bot", "front-desk", "the bot's `name`")
	if err := c.parse(0, 0); err != nil {
		return err
	}
	cl, err := c.client()
	if err != nil {
		return err
	}
	terminal := isTerminal(c.in)
	if terminal {
		fmt.Fprintf(c.out, "You talk to %s. Nothing is kept, and nobody else sees it. End with Ctrl-D.\n", *bot)
	}
	var before client.TrialState
	lines := bufio.NewScanner(c.in)
	lines.Buffer(nil, 64<<10)
	for {
		if terminal {
			fmt.Fprint(c.out, "\nyou> ")
		}
		if !lines.Scan() {
			return lines.Err()
		}
		if strings.TrimSpace(lines.Text()) == "" {
			continue
		}
		turn, err := cl.Try(c.ctx, *bot, client.Trial{Message: lines.Text(), Before: before})
		if err != nil {
			return err
		}
		before = turn.After
		if err := c.print(turn, func(w io.Writer) {
			fmt.Fprintf(w, "bot> %s\n", strings.ReplaceAll(turn.Reply, "\n", "\n     "))
			for _, cite := range turn.Citations {
				fmt.Fprintf(w, "     (%s)\n", place(cite))
			}
		}); err != nil {
			return err
		}
	}
}
