package main

import (
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"urgentparrot.example/client"
)

func tokens(c *call) error {
	c.remote()
	if err := c.parse(1, 2); err != nil {
		return err
	}
	cl, err := c.client()
	if err != nil {
		return err
	}
	switch {
	case c.args[0] == "list" && len(c.args) == 1:
		return c.listTokens(cl)
	case c.args[0] == "revoke" && len(c.args) == 2:
		if err := cl.RevokeToken(c.ctx, c.args[1]); err != nil {
			return err
		}
		return c.print(map[string]string{"revoked": c.args[1]}, func(w io.Writer) {
			fmt.Fprintln(w, "Revoked: it lets nobody in any more, and what went on under it has ended.")
		})
	}
	return usage("there are parrot token list and parrot token revoke ID")
}

func (c *call) listTokens(cl *client.Client) error {
	list, err := cl.Tokens(c.ctx)
	if err != nil {
		return err
	}
	return c.print(list, func(w io.Writer) {
		fmt.Fprintln(w, "ID\tKIND\tWHOSE\tMADE\tLAST USED\tEXPIRES")
		for _, t := range list.Items {
			used, expires, name := "never", "never", shorten(t.Name, 32)
			if t.UsedAt != nil {
				used = ago(*t.UsedAt)
			}
			if t.ExpiresAt != nil {
				expires = ago(*t.ExpiresAt)
			}
			if t.Yours {
				name += " (this one)"
			}
			fmt.Fprintf(w, "%s\t%s\t%s\t%s\t%s\t%s\n", t.ID, t.Kind, name, ago(t.CreatedAt), used, expires)
		}
	})
}

// signOut ends the token that sign-in made, and forgets it.
func signOut(c *call) error {
	if err := c.remote().parse(0, 0); err != nil {
		return err
	}
	cl, err := c.client()
	if err != nil {
		return err
	}
	if cl.Token == "" {
		return errors.New("you are not signed in")
	}
	err = cl.SignOut(c.ctx)
	var answered *client.Error
	gone := errors.As(err, &answered) && answered.Status == 401
	if err != nil && !gone {
		return err
	}
	name, err := loginFile()
	if err != nil {
		return err
	}
	kept, err := os.ReadFile(name)
	if err == nil && strings.Contains(string(kept), cl.Token) {
		err = os.Remove(name)
	}
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return err
	}
	return c.print(map[string]bool{"signed_out": true}, func(w io.Writer) {
		if gone {
			fmt.Fprintln(w, "The token was not valid any more; it is forgotten here.")
			return
		}
		fmt.Fprintln(w, "Signed out: the token lets nobody in any more.")
	})
}
