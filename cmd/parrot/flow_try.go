package main

import (
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"os"
	"strings"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/kinds"
)

// trialFlags say on what a flow is tried.
type trialFlags struct {
	message, body, posted, entry, run, conversation *string
	channel, pass, step, before                     *string
	says, answers                                   texts
}

func newTrialFlags(flags *flag.FlagSet) *trialFlags {
	t := &trialFlags{
		message:      flags.String("message", "", "try: a customer writes this `text`"),
		body:         flags.String("body", "", "try: another system posts the JSON in this `file`"),
		posted:       flags.String("posted", "", "try: what another system posted, by its `id`; latest for the last"),
		entry:        flags.String("entry", "", "try: what was sent with a form, by its `id`; latest for the last"),
		run:          flags.String("run", "", "try: what started the run of this `id`; latest for the last"),
		conversation: flags.String("conversation", "", "try: what a customer said in the conversation of this `id`"),
		channel:      flags.String("channel", "", "try: on this `channel`"),
		pass:         flags.String("pass", "", "try: so much `time` passes at the end: 31m, 4h, 3d"),
		step:         flags.String("step", "", "try: the one step of this `number`, with what -with says was saved before"),
		before:       flags.String("before", "", "try: up to the step of this `number`"),
	}
	flags.Var(&t.says, "says", "try: the customer says this `text` then, or +2h lets time pass; may be given several times")
	flags.Var(&t.answers, "answer", "try: what a tool answers, as `TOOL=JSON`; may be given several times")
	return t
}

// flowTry tries a flow, or a file, on something that happened or might.
func (c *call) flowTry(cl *client.Client, target string) error {
	f := c.trial
	trial := client.FlowTrial{
		Message: *f.message, Posted: *f.posted, Entry: *f.entry, Conversation: *f.conversation, Channel: *f.channel,
		Pass: *f.pass, Step: *f.step, Before: *f.before, Says: f.says, Values: map[string]string{}, Saved: map[string]any{}, Answers: map[string]any{},
	}
	name := target
	if raw, err := os.ReadFile(target); err == nil {
		name, trial.Text = flowNamed(target, raw), string(raw)
	}
	var err error
	if *f.run != "" {
		if trial.Run, err = c.wholeRun(cl, *f.run); err != nil {
			return err
		}
	}
	if len(c.contacts) > 0 {
		if trial.Contact, err = c.contactID(cl, c.contacts[0]); err != nil {
			return err
		}
	}
	if *f.body != "" {
		raw, err := os.ReadFile(*f.body)
		if err != nil {
			return err
		}
		if err := json.Unmarshal(raw, &trial.Body); err != nil {
			return fmt.Errorf("%s is no JSON: %w", *f.body, err)
		}
	}
	for _, pair := range c.values {
		field, value, ok := strings.Cut(pair, "=")
		if !ok {
			return usage("-with takes NAME=VALUE, not %q", pair)
		}
		trial.Values[field], trial.Saved[field] = value, valueOf(value)
	}
	for _, pair := range f.answers {
		tool, answer, ok := strings.Cut(pair, "=")
		if !ok {
			return usage("-answer takes TOOL=JSON, not %q", pair)
		}
		trial.Answers[tool] = valueOf(answer)
	}
	tried, err := cl.TryFlow(c.ctx, name, trial)
	if err != nil {
		return inFile(err, name, target)
	}
	return c.print(tried, func(w io.Writer) { printTrial(w, tried, name) })
}

// flowNamed is the name of the flow in a file.
func flowNamed(file string, text []byte) string {
	kind, _ := document.Find(kinds.Documents, "flow")
	return nameOf(kind, file, text)
}

// valueOf reads JSON; what is none is a text.
func valueOf(s string) (v any) {
	if json.Unmarshal([]byte(s), &v) != nil {
		return s
	}
	return v
}

// inJSON writes a value: texts bare, all else as JSON.
func inJSON(v any) string {
	if s, ok := v.(string); ok {
		return s
	}
	raw, err := json.Marshal(v)
	if err != nil {
		return fmt.Sprint(v)
	}
	return string(raw)
}

func printTrial(w io.Writer, t client.TriedFlow, name string) {
	for _, trigger := range t.Triggers {
		if trigger.Fires {
			fmt.Fprintf(w, "✓ it starts when %s\n", trigger.Words)
		} else {
			fmt.Fprintf(w, "✗ when %s: %s\n", trigger.Words, trigger.Why)
		}
	}
	if t.Missed != "" {
		fmt.Fprintf(w, "It does not start: %s.\n", t.Missed)
		return
	}
	fmt.Fprintln(w)
	for _, s := range t.Steps {
		of := ""
		if s.Flow != name {
			of = " of " + s.Flow
		}
		fmt.Fprintf(w, "%s\t%s%s\t%s\n", s.At.Format("Mon 15:04"), s.Number, of, s.Words)
	}
	section := func(title string, lines []string) {
		if len(lines) > 0 {
			fmt.Fprintf(w, "\n%s\n  %s\n", title, strings.Join(lines, "\n  "))
		}
	}
	var talk, values []string
	for _, l := range t.Talk {
		talk = append(talk, l.By+": "+firstLine(l.Text))
	}
	for _, saved := range sortedNames(t.Values) {
		values = append(values, fmt.Sprintf("%s = %s", saved, inJSON(t.Values[saved])))
	}
	section("What is said:", talk)
	section("What would be done beside:", t.Happened)
	section("What is saved:", values)
	fmt.Fprintf(w, "\nIn the end it %s.\n", t.Stands)
}
