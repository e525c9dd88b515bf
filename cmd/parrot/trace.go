package main

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/core/answer"
)

// trace shows one turn, or all turns of a conversation.
func trace(c *call) error {
	if err := c.remote().parse(1, 1); err != nil {
		return err
	}
	cl, err := c.client()
	if err != nil {
		return err
	}
	turns, err := c.turns(cl, c.args[0])
	if err != nil {
		return err
	}
	return c.print(map[string]any{"turns": turns}, func(w io.Writer) {
		for _, t := range turns {
			showTurn(w, t)
		}
	})
}

func (c *call) turns(cl *client.Client, id string) ([]client.Turn, error) {
	t, err := cl.Turn(c.ctx, id)
	if err == nil {
		return []client.Turn{t}, nil
	}
	var failed *client.Error
	if !errors.As(err, &failed) || failed.Status != http.StatusNotFound {
		return nil, err
	}
	if id, err = c.wholeID(cl, id); err != nil {
		return nil, err
	}
	page, err := cl.Messages(c.ctx, id, "")
	if err != nil {
		return nil, err
	}
	var turns []client.Turn
	for _, m := range page.Items {
		if m.Turn == "" || len(turns) > 0 && turns[len(turns)-1].ID == m.Turn {
			continue
		}
		t, err := cl.Turn(c.ctx, m.Turn)
		if err != nil {
			return nil, err
		}
		turns = append(turns, t)
	}
	return turns, nil
}

func showTurn(w io.Writer, t client.Turn) {
	fmt.Fprintf(w, "%s  %s: %s\n", t.At.Local().Format("15:04:05"), t.Trace.Decision, t.Trace.Why)
	for _, p := range t.Trace.Passed {
		fmt.Fprintf(w, "  passed from %s to %s: %s\n", p.From, p.To, p.Why)
	}
	for _, u := range t.Trace.Understood {
		fmt.Fprintf(w, "  %s %q: %s\n", u.Kind, u.Text, u.Outcome)
		for i, p := range u.Passages {
			if i == 3 {
				break
			}
			mark := " "
			if p.Quoted {
				mark = "*"
			}
			lacks := ""
			if len(p.Missing) > 0 {
				lacks = ", lacks " + strings.Join(p.Missing, " ")
			}
			fmt.Fprintf(w, "   %s %s  covers %.0f%%%s  %s: %s\n", mark, answer.Shown(p.Confidence), 100*p.Coverage, lacks, p.Source, shorten(strings.ReplaceAll(p.Text, "\n", " "), 70))
		}
	}
	for _, th := range t.Trace.Thoughts {
		showThought(w, th)
	}
	if t.Trace.BuiltIn != "" {
		fmt.Fprintf(w, "  built-in thinker: %s\n", t.Trace.BuiltIn)
	}
	for _, tool := range t.Trace.Tools {
		fmt.Fprintf(w, "  tool %s %v: %s\n", tool.Tool, tool.Arguments, tool.Outcome)
	}
	for _, learnt := range t.Trace.Learnt {
		fmt.Fprintf(w, "  learnt %s\n", learnt)
	}
	for _, marked := range t.Trace.Marked {
		fmt.Fprintf(w, "  marked %s\n", marked)
	}
	for _, e := range t.Trace.Effects {
		fmt.Fprintf(w, "  effect %s\n", e)
	}
	var times []string
	for _, part := range t.Trace.Timings {
		times = append(times, fmt.Sprintf("%s %.1f ms", part.Part, float64(part.Microseconds)/1000))
	}
	fmt.Fprintf(w, "  time   %s\n\n", strings.Join(times, ", "))
}

// showThought shows one exchange with a model.
func showThought(w io.Writer, th client.Thought) {
	fmt.Fprintf(w, "  model  %s with %s (%s)", th.Kind, th.Connection, th.Model)
	if th.Reply != nil {
		fmt.Fprintf(w, ": read %d, wrote %d tokens in %d ms, cost %s", th.Reply.In, th.Reply.Out, th.Reply.Took, money(float64(th.Cost)/1e6))
		for _, call := range th.Reply.Calls {
			fmt.Fprintf(w, "; asks for %s %v", call.Name, call.Arguments)
		}
	}
	if th.Error != "" {
		fmt.Fprintf(w, ": %s", th.Error)
	}
	fmt.Fprintln(w)
	for _, check := range th.Checks {
		mark := "stands on " + strings.Join(check.On, " ")
		switch {
		case check.Fault != "":
			mark = fmt.Sprintf("NOT SUPPORTED, %s: %s", check.Fault, check.Why)
		case len(check.On) == 0:
			mark = "needs no support"
		}
		fmt.Fprintf(w, "    %q: %s\n", shorten(check.Says, 90), mark)
	}
}
