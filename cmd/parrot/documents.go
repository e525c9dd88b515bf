package main

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/core/document"
)

// moreActions are what a kind of documents can do beside what all can, by kind.
var moreActions = map[string][]action{
	"connection": {
		{"secret", "parrot connection secret client-book < secret.txt", (*call).setSecret},
		{"models", "parrot connection models reading-desk", (*call).listModels},
		{"test", "parrot connection test office-mailbox", (*call).testConnection},
		{"consent", "parrot connection consent office-mailbox", (*call).consent},
		{"withdraw", "parrot connection withdraw office-mailbox", (*call).withdrawConsent},
	},
	"sheet": {{"rows", "parrot sheet rows enquiries", (*call).showRows}},
	"form":  {{"entries", "parrot form entries group-enquiry", (*call).showEntries}},
	"flow":  flowActions,
	"tool":  toolActions,
	"bot":   botActions,

	"channel": channelActions,
}

type action struct {
	name, example string
	run           func(*call, *client.Client, string) error
}

// documents returns the command for one kind of document.
func documents(kind document.Kind) func(*call) error {
	return func(c *call) error {
		c.remote()
		const most = 3 // rename FROM TO
		draft := new(bool)
		if kind.Drafts {
			c.draftFlags()
		} else {
			draft = c.flags.Bool("draft", false, "push: keep it as a draft, and what is live as it is; show, pull: the draft")
		}
		switch kind.Name {
		case "tool":
			c.toolFlags()
		case "bot":
			c.botFlags()
		case "channel":
			c.channelFlags()
		}
		if err := c.parse(1, most); err != nil {
			return err
		}
		action, target := c.args[0], ""
		if len(c.args) > 2 && kind.Name != "tool" && action != "rename" {
			return usage("parrot %s %s takes one name or file; %q is one too many", c.name, action, c.args[2])
		}
		if action == "example" {
			_, err := io.WriteString(c.out, kind.Example)
			return err
		}
		cl, err := c.client()
		if err != nil {
			return err
		}
		if len(c.args) > 1 {
			target = c.args[1]
		} else if !slices.Contains([]string{"list", "drafts", "schema", "runs", "waiting"}, action) {
			return usage("parrot %s %s needs a name or a file", c.name, action)
		}
		switch action {
		case "list":
			if kind.Drafts {
				return c.listFlows(cl)
			}
			return c.listDocuments(cl, kind)
		case "schema":
			return cl.Schema(c.ctx, kind.Plural, c.out)
		case "drafts":
			if kind.Drafts {
				return c.listFlows(cl)
			}
			return c.listDrafts(cl, kind)
		case "show", "pull":
			d, err := c.document(cl, kind, target, *draft)
			if err != nil {
				return err
			}
			if action == "pull" {
				file := d.Name + ".yaml"
				if err := os.WriteFile(file, []byte(d.Text), 0o644); err != nil {
					return err
				}
				return c.print(d, func(w io.Writer) { fmt.Fprintf(w, "Written to %s (version %d).\n", file, d.Version) })
			}
			return c.print(d, func(w io.Writer) { fmt.Fprint(w, d.Text) })
		case "push":
			if *draft {
				return c.pushDraft(cl, kind, target)
			}
			return c.writeDocument(cl, kind, action, target)
		case "check":
			return c.writeDocument(cl, kind, action, target)
		case "rename":
			if len(c.args) != 3 {
				return usage("parrot %s rename needs the name that it has and the one that it is to have", c.name)
			}
			d, err := cl.RenameDocument(c.ctx, kind.Plural, target, c.args[2])
			if err != nil {
				return err
			}
			return c.print(d, func(w io.Writer) {
				fmt.Fprintf(w, "%s is called %s now, wherever it was named. Addresses that hold its name change with it.\n", target, d.Name)
			})
		case "restore":
			return c.restoreDocument(cl, kind, target)
		case "remove":
			if err := cl.RemoveDocument(c.ctx, kind.Plural, target); err != nil {
				return err
			}
			return c.print(map[string]string{"removed": target}, func(w io.Writer) {
				fmt.Fprintf(w, "Removed %[1]s. parrot %[2]s restore %[1]s brings it back.\n", target, kind.Name)
			})
		}
		for _, more := range moreActions[kind.Name] {
			if more.name == action {
				return more.run(c, cl, target)
			}
		}
		return usage("there is no parrot %s %s; there are %s", c.name, action, c.arguments)
	}
}

// document is one document, or the draft of it.
func (c *call) document(cl *client.Client, kind document.Kind, name string, draft bool) (client.Document, error) {
	if !draft {
		return cl.Document(c.ctx, kind.Plural, name)
	}
	page, err := cl.Drafts(c.ctx, kind.Plural)
	if err != nil {
		return client.Document{}, err
	}
	for _, d := range page.Items {
		if d.Name == name {
			return client.Document{Kind: d.Kind, Name: d.Name, Text: d.Text, UpdatedAt: d.At}, nil
		}
	}
	return client.Document{}, fmt.Errorf("there is no draft of %s; parrot %s drafts lists those that are there", name, kind.Name)
}

func (c *call) listDrafts(cl *client.Client, kind document.Kind) error {
	page, err := cl.Drafts(c.ctx, kind.Plural)
	if err != nil {
		return err
	}
	return c.print(page, func(w io.Writer) {
		if len(page.Items) == 0 {
			fmt.Fprintf(w, "No drafts of %s are kept.\n", kind.Plural)
			return
		}
		fmt.Fprintln(w, "NAME\tKEPT\tBY")
		for _, d := range page.Items {
			fmt.Fprintf(w, "%s\t%s\t%s\n", d.Name, ago(d.At), d.By)
		}
	})
}

// pushDraft keeps a file as a draft, and says what is wrong with it.
func (c *call) pushDraft(cl *client.Client, kind document.Kind, file string) error {
	raw, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	name := nameOf(kind, file, raw)
	if err := cl.PutDraft(c.ctx, kind.Plural, name, string(raw)); err != nil {
		return inFile(err, name, file)
	}
	checked, err := cl.CheckDocument(c.ctx, kind.Plural, name, string(raw))
	if err != nil {
		return err
	}
	c.warn(checked.Warnings, file)
	if len(checked.Problems) > 0 {
		fmt.Fprintf(c.errors, "The draft is kept, and cannot go live yet:\n%s\n", inFile(&client.Error{Problems: checked.Problems}, name, file))
	}
	return c.print(map[string]string{"draft": name}, func(w io.Writer) {
		fmt.Fprintf(w, "The draft of %[1]s is kept; what is live stays as it is. parrot %[2]s push %[3]s puts it live.\n", name, kind.Name, file)
	})
}

func (c *call) listDocuments(cl *client.Client, kind document.Kind) error {
	page, err := cl.Documents(c.ctx, kind.Plural)
	if err != nil {
		return err
	}
	return c.print(page, func(w io.Writer) {
		if len(page.Items) == 0 {
			fmt.Fprintf(w, "There are no %[1]s yet. Begin from an example: parrot %[2]s example > NAME.yaml, then parrot %[2]s push NAME.yaml\n", kind.Plural, kind.Name)
			return
		}
		fmt.Fprintln(w, "NAME\tVERSION\tCHANGED")
		for _, d := range page.Items {
			fmt.Fprintf(w, "%s\t%d\t%s\n", d.Name, d.Version, ago(d.UpdatedAt))
		}
	})
}

func (c *call) writeDocument(cl *client.Client, kind document.Kind, action, file string) error {
	raw, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	name := nameOf(kind, file, raw)
	if action == "push" {
		d, err := cl.PutDocument(c.ctx, kind.Plural, name, string(raw), 0)
		if err != nil {
			return inFile(err, name, file)
		}
		if kind.Drafts {
			return c.afterDraft(cl, d, name, file, string(raw))
		}
		return c.print(d, func(w io.Writer) { fmt.Fprintf(w, "%s is live (version %d).\n", name, d.Version) })
	}
	checked, err := cl.CheckDocument(c.ctx, kind.Plural, name, string(raw))
	if err != nil {
		return err
	}
	if !*c.asJSON {
		c.warn(checked.Warnings, file)
	}
	if len(checked.Problems) > 0 && !*c.asJSON {
		return inFile(&client.Error{Problems: checked.Problems}, name, file)
	}
	if err := c.print(checked, func(w io.Writer) { fmt.Fprintf(w, "%s is well.\n", file) }); err != nil {
		return err
	}
	if len(checked.Problems) > 0 {
		return fmt.Errorf("%s found", plural(len(checked.Problems), "problem"))
	}
	return nil
}

// nameOf is the name that a document's text gives itself; that of the file, if it gives none.
func nameOf(kind document.Kind, file string, text []byte) string {
	if d, err := kind.Parse(file, text); err == nil {
		return d.Named()
	}
	own := regexp.MustCompile(`(?m)^` + regexp.QuoteMeta(kind.Name) + `:[ \t]*["']?([a-z0-9][a-z0-9-]*)["']?[ \t]*(?:#.*)?$`)
	if m := own.FindSubmatch(text); m != nil {
		return string(m[1])
	}
	return strings.TrimSuffix(filepath.Base(file), filepath.Ext(file))
}

// draftFlags are the flags of kinds that have drafts.
func (c *call) draftFlags() {
	c.live = c.flags.Bool("live", false, "push: put it live, if nothing is wrong with it")
	c.version = c.flags.Int("version", 0, "live: which `version`, the newest if it is left out")
	c.list = c.flags.String("list", "", "start: a CSV `file` with a row for each start; a column contact holds ids")
	c.flags.Var(&c.contacts, "contact", "start, try: for the contact with this `id`; start takes several")
	c.flags.Var(&c.values, "with", "start, try: a value, as `NAME=VALUE`; may be given several times")
	c.trial = newTrialFlags(c.flags)
}

// afterDraft says what is wrong with a draft that was kept, or puts it live.
func (c *call) afterDraft(cl *client.Client, d client.Document, name, file, text string) error {
	checked, err := cl.CheckDocument(c.ctx, d.Kind, name, text)
	if err != nil {
		return err
	}
	c.warn(checked.Warnings, file)
	if *c.live {
		return inFile(c.flowLive(cl, name), name, file)
	}
	if len(checked.Problems) > 0 {
		fmt.Fprintf(c.errors, "The draft is kept, and cannot go live yet:\n%s\n", inFile(&client.Error{Problems: checked.Problems}, name, file))
	}
	return c.print(d, func(w io.Writer) {
		fmt.Fprintf(w, "The draft of %s is kept (version %d). parrot flow live %s puts it live.\n", name, d.Version, name)
	})
}

// warn shows what may be wrong.
func (c *call) warn(warnings []client.Problem, file string) {
	for _, p := range warnings {
		fmt.Fprintf(c.errors, "%s:%d:%d: perhaps: %s\n", file, p.Line, p.Column, p.Message)
	}
}

// showEntries shows what was sent with a form.
func (c *call) showEntries(cl *client.Client, name string) error {
	page, err := cl.FormEntries(c.ctx, name)
	if err != nil {
		return err
	}
	return c.print(page, func(w io.Writer) {
		if len(page.Items) == 0 {
			fmt.Fprintln(w, "Nobody has sent it yet.")
			return
		}
		for _, e := range page.Items {
			fmt.Fprintln(w, ago(e.At))
			for _, field := range sortedNames(e.Said) {
				note := ""
				if value, ok := e.Cleaned[field]; ok && fmt.Sprint(value) != e.Said[field] {
					note = fmt.Sprintf(" (taken as %v)", value)
				}
				fmt.Fprintf(w, "  %s: %s%s\n", field, e.Said[field], note)
			}
		}
	})
}

// inFile makes problems with a document speak of the file it was read from.
func inFile(err error, name, file string) error {
	if failed, ok := err.(*client.Error); ok {
		for i := range failed.Problems {
			if failed.Problems[i].File == name {
				failed.Problems[i].File = file
			}
		}
		if len(failed.Problems) > 0 {
			return fmt.Errorf("the file is not right yet:\n%w", failed)
		}
	}
	return err
}

func (c *call) setSecret(cl *client.Client, connection string) error {
	raw, err := io.ReadAll(io.LimitReader(c.in, 8<<10))
	if err != nil {
		return err
	}
	if err := cl.PutSecret(c.ctx, connection, strings.TrimSpace(string(raw))); err != nil {
		return err
	}
	return c.print(map[string]string{"connection": connection}, func(w io.Writer) {
		fmt.Fprintf(w, "The secret of %s is kept, sealed. It cannot be read back.\n", connection)
	})
}

// consent tells how it stands with the consent of a connection, and where it is given.
func (c *call) consent(cl *client.Client, connection string) error {
	state, err := cl.Consent(c.ctx, connection)
	if err != nil {
		return err
	}
	var ask client.ConsentAddress
	if !state.Connected || state.Fault != "" {
		if ask, err = cl.AskForConsent(c.ctx, connection); err != nil {
			return err
		}
	}
	return c.print(struct {
		client.Consent
		Address string `json:"address,omitempty"`
	}{state, ask.Address}, func(w io.Writer) {
		if state.Connected {
			fmt.Fprintf(w, "%s has connected %s, %s.\n", state.By, connection, ago(*state.At))
			if len(state.Scopes) > 0 {
				fmt.Fprintf(w, "It may: %s.\n", strings.Join(state.Scopes, ", "))
			}
			if state.EndsAt != nil {
				fmt.Fprintf(w, "Until %s.\n", ago(*state.EndsAt))
			}
		}
		for _, said := range []string{state.Fault, state.Failed} {
			if said != "" {
				fmt.Fprintln(w, said)
			}
		}
		if ask.Address != "" {
			fmt.Fprintf(w, "Open this within a quarter of an hour, in a browser in which you are signed in to the console:\n%s\n", ask.Address)
		}
	})
}

func (c *call) withdrawConsent(cl *client.Client, connection string) error {
	if err := cl.WithdrawConsent(c.ctx, connection); err != nil {
		return err
	}
	return c.print(map[string]string{"connection": connection}, func(w io.Writer) {
		fmt.Fprintf(w, "%s is not connected any more.\n", connection)
	})
}

func (c *call) showRows(cl *client.Client, sheet string) error {
	if !*c.asJSON {
		return cl.SheetCSV(c.ctx, sheet, c.out)
	}
	page, err := cl.Rows(c.ctx, sheet)
	if err != nil {
		return err
	}
	return c.print(page, nil)
}

// listModels lists what a model server has.
func (c *call) listModels(cl *client.Client, connection string) error {
	names, err := cl.Models(c.ctx, connection)
	if err != nil {
		return err
	}
	return c.print(names, func(w io.Writer) {
		for _, name := range names.Items {
			fmt.Fprintln(w, name)
		}
	})
}

// restoreDocument brings a document back that was removed, as it was last.
func (c *call) restoreDocument(cl *client.Client, kind document.Kind, name string) error {
	page, err := cl.RemovedDocuments(c.ctx, kind.Plural)
	if err != nil {
		return err
	}
	for _, gone := range page.Items {
		if gone.Name != name {
			continue
		}
		d, err := cl.PutDocument(c.ctx, kind.Plural, name, gone.Text, 0)
		if err != nil {
			return err
		}
		return c.print(d, func(w io.Writer) { fmt.Fprintf(w, "%s is back (version %d).\n", name, d.Version) })
	}
	var names []string
	for _, gone := range page.Items {
		names = append(names, gone.Name)
	}
	if len(names) == 0 {
		return usage("no %s was removed", kind.Name)
	}
	return usage("no %s called %s was removed; there are %s", kind.Name, name, strings.Join(names, ", "))
}
