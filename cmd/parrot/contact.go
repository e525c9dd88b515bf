package main

import (
	"fmt"
	"io"
	"strings"

	"urgentparrot.example/client"
)

func contact(c *call) error {
	var change contactFlags
	c.remote()
	c.flags.Func("fact", "set: a `FIELD=VALUE` that you vouch for; may be given several times", change.addFact)
	c.flags.Func("stage", "set: the `stage`, empty for none", change.setStage)
	c.flags.Func("tags", "set: all `tags`, parted by commas", change.setTags)
	if err := c.parse(1, 2); err != nil {
		return err
	}
	cl, err := c.client()
	if err != nil {
		return err
	}
	switch {
	case c.args[0] == "show" && len(c.args) == 2:
		return c.showContact(cl, c.args[1], nil)
	case c.args[0] == "set" && len(c.args) == 2:
		return c.showContact(cl, c.args[1], &change.ContactChange)
	case c.args[0] != "list":
		return usage("there is no parrot contact %s; there are list, show ID and set ID", c.args[0])
	}
	page, err := cl.Contacts(c.ctx)
	if err != nil {
		return err
	}
	return c.print(page, func(w io.Writer) {
		fmt.Fprintln(w, "ID\tFIRST WROTE\tCHANNEL\tWHO\tSTAGE\tKNOWN")
		for _, person := range page.Items {
			var known []string
			for _, f := range person.Facts {
				known = append(known, shownValue(f))
			}
			fmt.Fprintf(w, "%s\t%s\t%s\t%s\t%s\t%s\n", person.ID[24:], ago(person.CreatedAt), person.Channel, shorten(person.Who, 24), person.Stage, strings.Join(known, ", "))
		}
	})
}

// contactFlags is what contact set changes.
type contactFlags struct{ client.ContactChange }

func (f *contactFlags) addFact(arg string) error {
	field, value, ok := strings.Cut(arg, "=")
	if !ok {
		return fmt.Errorf("write FIELD=VALUE")
	}
	if f.Facts == nil {
		f.Facts = map[string]string{}
	}
	f.Facts[field] = value
	return nil
}

func (f *contactFlags) setStage(arg string) error {
	f.Stage = &arg
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
	return nil
}

// shownValue is a fact's value, unless it is sensitive.
func shownValue(f client.Fact) string {
	if f.Sensitive {
		return f.Label + " (sensitive)"
	}
	return f.Value
}

// showContact shows a contact, after a change if there is one.
func (c *call) showContact(cl *client.Client, id string, change *client.ContactChange) error {
	page, err := cl.Contacts(c.ctx)
	if err != nil {
		return err
	}
	for _, known := range page.Items { // the end of an id, as list shows it
		if len(id) >= 4 && strings.HasSuffix(known.ID, id) {
			id = known.ID
		}
	}
	var contact client.Contact
	if change != nil {
		contact, err = cl.ChangeContact(c.ctx, id, *change)
	} else {
		contact, err = cl.Contact(c.ctx, id)
	}
	if err != nil {
		return err
	}
	return c.print(contact, func(w io.Writer) {
		fmt.Fprintf(w, "%s on %s (%s)\n", contact.Who, contact.Channel, contact.Address)
		if contact.Stage != "" {
			fmt.Fprintf(w, "Stage\t%s\n", contact.Stage)
		}
		if len(contact.Tags) > 0 {
			fmt.Fprintf(w, "Tags\t%s\n", strings.Join(contact.Tags, ", "))
		}
		for _, f := range contact.Facts {
			how := "as they said"
			if f.Verified {
				how = "verified by " + f.VerifiedBy
			}
			fmt.Fprintf(w, "%s\t%s\t(%s, %s)\n", f.Label, f.Value, how, ago(f.LearntAt))
		}
	})
}
