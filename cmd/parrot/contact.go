package main

import (
	"fmt"
	"io"
	"strings"
)

func contact(c *call) error {
	if err := c.remote().parse(1, 1); err != nil {
		return err
	}
	if c.args[0] != "list" {
		return usage("there is no parrot contact %s; there is list", c.args[0])
	}
	cl, err := c.client()
	if err != nil {
		return err
	}
	page, err := cl.Contacts(c.ctx)
	if err != nil {
		return err
	}
	return c.print(page, func(w io.Writer) {
		fmt.Fprintln(w, "FIRST WROTE\tCHANNEL\tHANDLE\tKNOWN")
		for _, person := range page.Items {
			var known []string
			for _, f := range person.Facts {
				known = append(known, f.Value)
			}
			fmt.Fprintf(w, "%s\t%s\t%s\t%s\n", ago(person.CreatedAt), person.Channel, shorten(person.Address, 16), strings.Join(known, ", "))
		}
	})
}
