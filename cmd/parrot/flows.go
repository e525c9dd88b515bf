package main

import (
	"encoding/csv"
	"fmt"
	"io"
	"maps"
	"os"
	"slices"
	"strings"

	"urgentparrot.example/client"
)

// flowActions are what flows can do beside what all documents can.
var flowActions = []action{
	{"live", "parrot flow live follow-up", (*call).flowLive},
	{"down", "parrot flow down follow-up", (*call).flowDown},
	{"start", "parrot flow start follow-up -contact 0b1f2c3d4e5f", (*call).flowStart},
	{"try", "parrot flow try follow-up.yaml -message \"hello\" -pass 2d", (*call).flowTry},
	{"runs", "parrot flow runs follow-up", (*call).flowRuns},
	{"run", "parrot flow run 0b1f2c3d4e5f", (*call).flowRun},
	{"stop", "parrot flow stop 0b1f2c3d4e5f", (*call).changeRun},
	{"retry", "parrot flow retry 0b1f2c3d4e5f", (*call).changeRun},
	{"skip", "parrot flow skip 0b1f2c3d4e5f", (*call).changeRun},
	{"move", "parrot flow move 0b1f2c3d4e5f", (*call).changeRun},
	{"explain", "parrot flow explain follow-up", (*call).flowExplain},
	{"versions", "parrot flow versions follow-up", (*call).flowVersions},
}

// listFlows shows the flows and how they stand.
func (c *call) listFlows(cl *client.Client) error {
	page, err := cl.Flows(c.ctx)
	if err != nil {
		return err
	}
	return c.print(page, func(w io.Writer) {
		if len(page.Items) == 0 {
			fmt.Fprintln(w, "There are no flows yet. Begin from an example: parrot flow example > thanks.yaml, then parrot flow push thanks.yaml")
			return
		}
		fmt.Fprintln(w, "NAME\tSTATE\tLAST STARTED\tRUNS\tWHAT IS TO BE SEEN TO")
		for _, f := range page.Items {
			fired := "never"
			if f.FiredAt != nil {
				fired = ago(*f.FiredAt)
			}
			fmt.Fprintf(w, "%s\t%s\t%s\t%d\t%s\n", f.Name, flowState(f), fired, f.Open, flowTrouble(f))
		}
	})
}

func flowState(f client.Flow) string {
	switch {
	case f.Live == 0:
		return "draft"
	case f.Live == f.Version:
		return fmt.Sprintf("live (version %d)", f.Live)
	}
	return fmt.Sprintf("live (version %d), draft %d", f.Live, f.Version)
}

func flowTrouble(f client.Flow) string {
	errs := 0
	for _, finding := range f.Findings {
		if !finding.Warning {
			errs++
		}
	}
	switch {
	case f.Failed > 0:
		return plural(f.Failed, "run") + " failed"
	case len(f.Broken) > 0 && !f.Broken[0].Warning:
		return "the live version cannot start: " + f.Broken[0].Message
	case errs > 0:
		return "the draft has " + plural(errs, "error")
	case f.MissedAt != nil && (f.FiredAt == nil || f.MissedAt.After(*f.FiredAt)):
		return "did not start: " + f.Missed
	}
	return ""
}

func (c *call) flowLive(cl *client.Client, name string) error {
	f, err := cl.GoLive(c.ctx, name, *c.version)
	if err != nil {
		return err
	}
	return c.print(f, func(w io.Writer) { fmt.Fprintf(w, "%s is live (version %d).\n%s\n", f.Name, f.Live, f.Starts) })
}

func (c *call) flowDown(cl *client.Client, name string) error {
	if err := cl.TakeDown(c.ctx, name); err != nil {
		return err
	}
	return c.print(map[string]string{"down": name}, func(w io.Writer) { fmt.Fprintf(w, "%s does not start any more; its runs go on.\n", name) })
}

func (c *call) flowStart(cl *client.Client, name string) error {
	start := client.StartFlow{Values: map[string]string{}}
	for _, pair := range c.values {
		field, value, ok := strings.Cut(pair, "=")
		if !ok {
			return usage("-with takes NAME=VALUE, not %q", pair)
		}
		start.Values[field] = value
	}
	for _, id := range c.contacts {
		whole, err := c.contactID(cl, id)
		if err != nil {
			return err
		}
		start.Contacts = append(start.Contacts, whole)
	}
	if *c.list != "" {
		rows, err := readRows(*c.list, c.in)
		if err != nil {
			return err
		}
		start.Rows = rows
	}
	started, err := cl.StartFlow(c.ctx, name, start)
	if err != nil {
		return err
	}
	return c.print(started, func(w io.Writer) {
		fmt.Fprintf(w, "%s of %s asked for; parrot flow runs %s shows them.\n", plural(started.Asked, "start"), name, name)
	})
}

// readRows reads a CSV whose first line names the columns; "-" is standard input.
func readRows(file string, in io.Reader) (rows []map[string]string, err error) {
	if file != "-" {
		f, err := os.Open(file)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		in = f
	}
	table, err := csv.NewReader(in).ReadAll()
	if err != nil {
		return nil, err
	}
	if len(table) < 2 {
		return nil, fmt.Errorf("%s holds no rows: its first line names the columns, each other line is a row", file)
	}
	for _, line := range table[1:] {
		row := map[string]string{}
		for i, cell := range line {
			row[strings.TrimSpace(table[0][i])] = cell
		}
		rows = append(rows, row)
	}
	return rows, nil
}

// flowRuns lists the runs of a flow, or of all.
func (c *call) flowRuns(cl *client.Client, name string) error {
	page, err := cl.Runs(c.ctx, name, "", false)
	if err == nil && len(page.Items) == 0 && name != "" {
		_, err = cl.Flow(c.ctx, name) // a name that is mistyped has no runs either
	}
	if err != nil {
		return err
	}
	return c.print(page, func(w io.Writer) {
		if len(page.Items) == 0 {
			fmt.Fprintln(w, "Nothing has started yet.")
			return
		}
		fmt.Fprintln(w, "RUN\tFLOW\tFOR\tSTATE\tAT STEP\tSTARTED\t")
		for _, r := range page.Items {
			fmt.Fprintf(w, "%s\t%s\t%s\t%s\t%s\t%s\t%s\n", r.ID[len(r.ID)-12:], r.Flow, r.Who, runState(r), r.Step, ago(r.StartedAt), r.Why)
		}
	})
}

func runState(r client.Run) string {
	if r.Status != "waiting" {
		return r.Status
	}
	for waits, words := range map[string]string{"reply": "a reply", "time": "its time", "result": "a tool", "person": "a person to hand back", "talk": "a conversation", "turn": "its turn"} {
		if r.WaitsFor == waits {
			state := "waits for " + words
			if r.Until != nil {
				state += " until " + r.Until.Local().Format("2 Jan 15:04")
			}
			return state
		}
	}
	return r.Status
}

// wholeRun completes the end of a run's id, as runs shows it.
func (c *call) wholeRun(cl *client.Client, id string) (string, error) {
	if len(id) == 36 || id == "latest" {
		return id, nil
	}
	page, err := cl.RunsEnding(c.ctx, id)
	if err != nil || len(id) < 4 || len(page.Items) == 0 {
		return id, err
	}
	return page.Items[0].ID, nil
}

func (c *call) flowRun(cl *client.Client, id string) error {
	id, err := c.wholeRun(cl, id)
	if err != nil {
		return err
	}
	r, err := cl.Run(c.ctx, id)
	if err != nil {
		return err
	}
	return c.printRun(r)
}

func (c *call) printRun(r client.RunDetail) error {
	return c.print(r, func(w io.Writer) {
		fmt.Fprintf(w, "%s (version %d), for %s, started by %s %s\n", r.Title, r.Version, r.Who, r.StartedBy, ago(r.StartedAt))
		fmt.Fprintf(w, "State: %s", runState(r.Run))
		if r.Why != "" {
			fmt.Fprintf(w, " (%s)", r.Why)
		}
		fmt.Fprintln(w)
		if r.Step != "" && (r.Status == "waiting" || r.Status == "going" || r.Status == "failed") {
			fmt.Fprintf(w, "At step %s, line %d: %s\n", r.Step, r.Line, r.Words)
		}
		for _, name := range sortedNames(r.Values) {
			fmt.Fprintf(w, "  %s = %s\n", name, inJSON(r.Values[name]))
		}
		fmt.Fprintln(w)
		for _, p := range r.Path {
			fmt.Fprintf(w, "%s\t%s\t%s\n", p.At.Local().Format("2 Jan 15:04:05"), p.Number, p.Words)
		}
	})
}

func (c *call) changeRun(cl *client.Client, id string) error {
	id, err := c.wholeRun(cl, id)
	if err != nil {
		return err
	}
	r, err := cl.ChangeRun(c.ctx, id, c.args[0])
	if err != nil {
		return err
	}
	return c.print(r, func(w io.Writer) {
		fmt.Fprintln(w, map[string]string{"stop": "Stopped.", "retry": "It takes the step again.", "skip": "It goes on.", "move": fmt.Sprintf("It goes on with version %d.", r.Version)}[c.args[0]])
	})
}

// flowExplain tells a flow, or a file, in plain sentences.
func (c *call) flowExplain(cl *client.Client, target string) error {
	var sentences []client.Sentence
	if raw, err := os.ReadFile(target); err == nil {
		e, err := cl.ExplainFlow(c.ctx, flowNamed(target, raw), string(raw))
		if err != nil {
			return err
		}
		sentences = e.Sentences
		if len(sentences) == 0 {
			return fmt.Errorf("it cannot be read: parrot flow check %s says why", target)
		}
	} else if f, err := cl.Flow(c.ctx, target); err != nil {
		return err
	} else {
		sentences = f.Sentences
	}
	return c.print(sentences, func(w io.Writer) {
		for _, s := range sentences {
			number := s.Number
			if number != "" {
				number += "  "
			}
			fmt.Fprintf(w, "%s%s%s\n", strings.Repeat("    ", s.Depth), number, s.Words)
		}
	})
}

func (c *call) flowVersions(cl *client.Client, name string) error {
	page, err := cl.Versions(c.ctx, "flows", name)
	if err != nil {
		return err
	}
	f, err := cl.Flow(c.ctx, name)
	if err != nil {
		return err
	}
	return c.print(page, func(w io.Writer) {
		fmt.Fprintln(w, "VERSION\tBY\tWHEN\t")
		for _, v := range page.Items {
			state := ""
			if v.Version == f.Live {
				state = "live"
			} else if v.Version == f.Version {
				state = "draft"
			}
			fmt.Fprintf(w, "%d\t%s\t%s\t%s\n", v.Version, v.Author, ago(v.At), state)
		}
	})
}

// pause pauses all that bots and flows do, or lets them go on.
func pause(c *call) error {
	c.remote()
	if err := c.parse(1, 1); err != nil {
		return err
	}
	cl, err := c.client()
	if err != nil {
		return err
	}
	if c.args[0] != "on" && c.args[0] != "off" {
		return usage("parrot pause on, or parrot pause off")
	}
	p, err := cl.Pause(c.ctx, c.args[0] == "on")
	if err != nil {
		return err
	}
	return c.print(p, func(w io.Writer) {
		if p.Paused {
			fmt.Fprintln(w, "Paused: bots and flows say and do nothing. What comes in waits. parrot pause off lets them go on.")
		} else {
			fmt.Fprintln(w, "Bots and flows go on, with what has waited.")
		}
	})
}

// texts is a flag that may be given several times.
type texts []string

func (t *texts) String() string     { return strings.Join(*t, ", ") }
func (t *texts) Set(s string) error { *t = append(*t, s); return nil }

func sortedNames[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }
