package main

import (
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"urgentparrot.example/client"
)

// contactFlags are the flags of parrot contact.
type contactFlags struct {
	client.ContactChange
	filter  client.ContactFilter
	format  *string
	really  *bool
	copies  *bool
	blocked *string
	bots    *string
}

func contact(c *call) error {
	f := &contactFlags{}
	c.remote()
	c.flags.Func("fact", "set, add: a `FIELD=VALUE` that you vouch for; list, export: only those of whom it is known; may be given several times", f.addFact)
	c.flags.Func("stage", "set, add: the `stage`, empty for none; list, export: only those", func(arg string) error { f.Stage, f.filter.Stage = &arg, arg; return nil })
	c.flags.Func("tags", "set, add: all `tags`, parted by commas; list, export: only those with the first", f.setTags)
	c.flags.StringVar(&f.filter.Search, "search", "", "list, export: `words` in what is known, handles, tags and notes")
	c.flags.StringVar(&f.filter.Channel, "channel", "", "list: only those who wrote on this `channel`")
	f.blocked = c.flags.String("blocked", "", "set: `yes` or no; who is blocked is not answered")
	f.bots = c.flags.String("bots", "", "set: `yes` or no; whether bots may write to them")
	f.format = c.flags.String("format", "", "import, export: csv, vcard or json")
	f.really = c.flags.Bool("really", false, "merge, import, forget: do it, and do not only say what would become of it")
	f.copies = c.flags.Bool("copies", false, "forget: remove the copies too that were made before an upgrade")
	if err := c.parse(1, 3); err != nil {
		return err
	}
	cl, err := c.client()
	if err != nil {
		return err
	}
	action, target, other := c.args[0], "", ""
	if len(c.args) > 1 {
		target = c.args[1]
	}
	if len(c.args) > 2 {
		other = c.args[2]
	}
	switch {
	case action == "list":
		return c.listContacts(cl, f)
	case action == "add":
		return c.addContact(cl, f)
	case action == "twins":
		return c.listTwins(cl)
	case action == "import" && target != "":
		return c.importContacts(cl, target, f)
	case action == "export" && target == "":
		return cl.ExportContacts(c.ctx, *f.format, f.filter, c.out)
	case target == "":
		return usage("parrot contact %s needs the id of a contact; parrot contact list shows them", action)
	}
	id, err := c.contactID(cl, target)
	if err != nil {
		return err
	}
	switch action {
	case "show":
		d, err := cl.Contact(c.ctx, id)
		return c.showContact(d, err)
	case "set":
		if f.Blocked, err = yesOrNo("blocked", *f.blocked, false); err != nil {
			return err
		}
		if f.NoBots, err = yesOrNo("bots", *f.bots, true); err != nil {
			return err
		}
		d, err := cl.ChangeContact(c.ctx, id, f.ContactChange)
		return c.showContact(d, err)
	case "note":
		d, err := cl.AddContactNote(c.ctx, id, other)
		return c.showContact(d, err)
	case "merge":
		return c.mergeContacts(cl, id, other, *f.really)
	case "unmerge":
		return c.unmergeContacts(cl, id)
	case "export":
		whole, err := cl.WholeContact(c.ctx, id)
		if err != nil {
			return err
		}
		*c.asJSON = true
		return c.print(whole, nil)
	case "forget":
		return c.forgetContact(cl, id, f)
	}
	return usage("there is no parrot contact %s; there are %s", action, c.arguments)
}

func yesOrNo(flag, said string, inverted bool) (*bool, error) {
	if said == "" {
		return nil, nil
	}
	if said != "yes" && said != "no" {
		return nil, usage("-%s is yes or no", flag)
	}
	value := (said == "yes") != inverted
	return &value, nil
}

// contactID finds a contact by its id, or by the end of it, as list shows it.
func (c *call) contactID(cl *client.Client, id string) (string, error) {
	const whole = 36
	if len(id) == whole || len(id) < 4 {
		return id, nil
	}
	for f := (client.ContactFilter{}); ; {
		page, err := cl.Contacts(c.ctx, f)
		if err != nil {
			return "", err
		}
		for _, known := range page.Items {
			if strings.HasSuffix(known.ID, id) {
				return known.ID, nil
			}
		}
		if f.Cursor = page.Next; f.Cursor == "" {
			return "", &client.Error{Status: 404, Title: "Not found", Detail: "there is no contact whose id ends in " + id + "; parrot contact list shows them"}
		}
	}
}

func (c *call) listContacts(cl *client.Client, f *contactFlags) error {
	page, err := cl.Contacts(c.ctx, f.filter)
	if err != nil {
		return err
	}
	return c.print(page, func(w io.Writer) {
		if len(page.Items) == 0 {
			fmt.Fprintln(w, "Nobody fits that.")
			return
		}
		fmt.Fprintln(w, "ID\tFIRST WROTE\tCHANNEL\tWHO\tSTAGE\tKNOWN")
		for _, person := range page.Items {
			var known []string
			for _, f := range person.Facts {
				known = append(known, shownValue(f))
			}
			fmt.Fprintf(w, "%s\t%s\t%s\t%s\t%s\t%s\n", person.ID[24:], ago(person.CreatedAt), person.Channel, shorten(person.Who, 24), person.Stage, strings.Join(known, ", "))
		}
		if page.Next != "" {
			fmt.Fprintln(w, "There are more; -search, -stage, -tags and -fact choose among them.")
		}
	})
}

func (c *call) addContact(cl *client.Client, f *contactFlags) error {
	d, err := cl.AddContact(c.ctx, f.ContactChange)
	return c.showContact(d, err)
}

func (f *contactFlags) addFact(arg string) error {
	field, value, ok := strings.Cut(arg, "=")
	if !ok {
		return fmt.Errorf("write FIELD=VALUE")
	}
	if f.Facts == nil {
		f.Facts = map[string]string{}
	}
	f.Facts[field] = value
	f.filter.Field, f.filter.Value = field, value
	return nil
}

func (f *contactFlags) setTags(arg string) error {
	tags := []string{}
	for _, tag := range strings.Split(arg, ",") {
		if tag = strings.TrimSpace(tag); tag != "" {
			tags = append(tags, tag)
		}
	}
	f.Tags = &tags
	if len(tags) > 0 {
		f.filter.Tag = tags[0]
	}
	return nil
}

// shownValue is a fact's value, unless it is sensitive.
func shownValue(f client.Fact) string {
	if f.Sensitive {
		return f.Label + " (sensitive)"
	}
	return f.Value
}

func (c *call) showContact(contact client.ContactDetail, err error) error {
	if err != nil {
		return err
	}
	return c.print(contact, func(w io.Writer) {
		fmt.Fprintf(w, "%s\n", contact.Who)
		for _, h := range contact.Handles {
			fmt.Fprintf(w, "On %s\t%s\n", h.Channel, h.Address)
		}
		if contact.Stage != "" {
			fmt.Fprintf(w, "Stage\t%s\n", contact.Stage)
		}
		if len(contact.Tags) > 0 {
			fmt.Fprintf(w, "Tags\t%s\n", strings.Join(contact.Tags, ", "))
		}
		for _, f := range contact.Facts {
			fmt.Fprintf(w, "%s\t%s\t(%s, %s)\n", f.Label, f.Value, howKnown(f), ago(f.LearntAt))
		}
		if contact.Blocked {
			fmt.Fprintln(w, "Blocked: nobody answers, and no flows start.")
		}
		if contact.NoBots {
			fmt.Fprintln(w, "Bots do not write to this contact; people answer.")
		}
		for _, n := range contact.Notes {
			fmt.Fprintf(w, "Note\t%s\t(%s, %s)\n", n.Text, n.Author, ago(n.At))
		}
		for _, talk := range contact.Conversations {
			fmt.Fprintf(w, "Conversation %s\t%s\t(%s, %s)\n", talk.ID[24:], shorten(talk.Preview, 50), talk.Channel, ago(talk.UpdatedAt))
		}
		for _, r := range contact.Runs {
			fmt.Fprintf(w, "Flow %s\t%s\t(%s)\n", r.Title, r.Status, ago(r.StartedAt))
		}
		for _, m := range contact.Merges {
			fmt.Fprintf(w, "Joined with %s by %s %s; parrot contact unmerge %s undoes it\n", m.Gone[24:], m.By, ago(m.At), contact.ID[24:])
		}
	})
}

func howKnown(f client.Fact) string {
	if f.Verified {
		return "verified by " + f.VerifiedBy
	}
	return "as they said"
}

func (c *call) listTwins(cl *client.Client) error {
	page, err := cl.Twins(c.ctx)
	if err != nil {
		return err
	}
	return c.print(page, func(w io.Writer) {
		if len(page.Items) == 0 {
			fmt.Fprintln(w, "No two contacts have the same verified address or number.")
			return
		}
		fmt.Fprintln(w, "THIS\tAND THIS\tMAY BE ONE BY")
		for _, t := range page.Items {
			fmt.Fprintf(w, "%s %s\t%s %s\t%s %s\n", t.A.ID[24:], shorten(t.A.Who, 20), t.B.ID[24:], shorten(t.B.Who, 20), t.Label, t.Value)
		}
	})
}

// mergeContacts joins two contacts, or says what would become of them.
func (c *call) mergeContacts(cl *client.Client, id, with string, really bool) error {
	if with == "" {
		return usage("say with whom: parrot contact merge KEPT GONE")
	}
	with, err := c.contactID(cl, with)
	if err != nil {
		return err
	}
	if really {
		d, err := cl.MergeContacts(c.ctx, id, with)
		return c.showContact(d, err)
	}
	p, err := cl.PreviewMerge(c.ctx, id, with)
	if err != nil {
		return err
	}
	return c.print(p, func(w io.Writer) {
		fmt.Fprintf(w, "%s would become %s, with %s. This would hold:\n", p.Gone.Who, p.Kept.Who, plural(p.Conversations, "conversation"))
		for _, f := range p.Facts {
			fmt.Fprintf(w, "%s\t%s\t(%s)\n", f.Label, shownValue(f), howKnown(f))
		}
		for _, f := range p.Lost {
			fmt.Fprintf(w, "%s\t%s\t(would not hold any more)\n", f.Label, shownValue(f))
		}
		fmt.Fprintln(w, "Nothing was changed; with -really they are joined, which can be undone.")
	})
}

func (c *call) unmergeContacts(cl *client.Client, id string) error {
	d, err := cl.Contact(c.ctx, id)
	if err != nil {
		return err
	}
	if len(d.Merges) == 0 {
		return errors.New("nobody was joined with this contact")
	}
	back, err := cl.UndoMerge(c.ctx, d.Merges[0].ID)
	return c.showContact(back, err)
}

// importContacts takes contacts out of a file, or says what would become of it.
func (c *call) importContacts(cl *client.Client, file string, f *contactFlags) error {
	var raw []byte
	var err error
	if file == "-" {
		raw, err = io.ReadAll(io.LimitReader(c.in, 8<<20))
	} else {
		raw, err = os.ReadFile(file)
	}
	if err != nil {
		return err
	}
	done, err := cl.ImportContacts(c.ctx, client.ContactFile{Format: *f.format, Text: string(raw), Look: !*f.really})
	if err != nil {
		return err
	}
	return c.print(done, func(w io.Writer) {
		would := "would be "
		if *f.really {
			would = ""
		}
		fmt.Fprintf(w, "%d %sadded, %d %scompleted, of %d all is known.\n", done.Added, would, done.Changed, would, done.Same)
		if len(done.Left) > 0 {
			fmt.Fprintf(w, "Left out, as they are no fields: %s. Fields are declared in the settings.\n", strings.Join(done.Left, ", "))
		}
		for _, wrong := range done.Wrong {
			fmt.Fprintf(w, "Not taken, line %s\n", wrong)
		}
		if !*f.really {
			fmt.Fprintln(w, "Nothing was kept; with -really it is.")
		}
	})
}

// forgetContact removes a contact everywhere.
func (c *call) forgetContact(cl *client.Client, id string, f *contactFlags) error {
	if !*f.really {
		d, err := cl.Contact(c.ctx, id)
		if err != nil {
			return err
		}
		return usage("%s, with %s and all that belongs to them, would be removed for good; add -really", d.Who, plural(len(d.Conversations), "conversation"))
	}
	gone, err := cl.Forget(c.ctx, id, *f.copies)
	if err != nil {
		return err
	}
	return c.print(gone, func(w io.Writer) {
		fmt.Fprintln(w, "Forgotten, everywhere.")
		for _, made := range gone.Copies {
			fmt.Fprintf(w, "A copy that was made before an upgrade still holds them until %s: %s (-copies removes it)\n", made.Expires.Format("2 January 2006"), made.File)
		}
	})
}
