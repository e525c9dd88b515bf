package main

import (
	"fmt"
	"io"
	"net/url"

	"urgentparrot.example/client"
)

func signIn(c *call) error {
	c.remote()
	name := c.flags.String("name", "", "how colleagues and customers see you")
	if err := c.parse(1, 1); err != nil {
		return err
	}
	link, err := url.Parse(c.args[0])
	if err != nil || link.Host == "" || link.Query().Get("code") == "" {
		return usage("that is not a sign-in link; it looks like http://127.0.0.1:4700/sign-in?code=pt_...")
	}
	server := link.Scheme + "://" + link.Host
	token, err := (&client.Client{Server: server}).NewToken(c.ctx, client.SignIn{Code: link.Query().Get("code"), Name: *name})
	if err != nil {
		return err
	}
	file, err := login{server, token.Token}.save()
	if err != nil {
		return err
	}
	return c.print(map[string]string{"server": server, "name": token.Name, "file": file}, func(w io.Writer) {
		fmt.Fprintf(w, "Signed in to %s as %s; kept in %s\n", server, token.Name, file)
	})
}
