package main

import (
	"fmt"
	"io"
	"strings"
	"time"

	"urgentparrot.example/client"
)

// channelActions are what channels can do beside what all documents can.
var channelActions = []action{
	{"test", "parrot channel test office-mail", (*call).testChannel},
	{"look", "parrot channel look office-mail", (*call).lookAtChannel},
	{"past", "parrot channel past office-mail -from 2026-01-01 -to 2026-02-01", (*call).takePast},
}

// channelFlags are the days of the past.
func (c *call) channelFlags() {
	c.from = c.flags.String("from", "", "past: the first `day` of what is taken in, as 2026-01-31")
	c.to = c.flags.String("to", "", "past: the `day` before which it ends; today, if it is left out")
}

// testChannel tries whether all that a channel needs works.
func (c *call) testChannel(cl *client.Client, name string) error {
	return c.tested(name)(cl.TestChannel(c.ctx, name))
}

// testConnection tries whether another system is there and lets the service in.
func (c *call) testConnection(cl *client.Client, name string) error {
	return c.tested(name)(cl.TestConnection(c.ctx, name))
}

// tested prints what a test found of something; one that does not work is an error.
func (c *call) tested(name string) func(client.ChannelTest, error) error {
	return func(out client.ChannelTest, err error) error {
		if err != nil {
			return err
		}
		return c.printTest(name, out)
	}
}

func (c *call) printTest(name string, out client.ChannelTest) error {
	err := c.print(out, func(w io.Writer) {
		if !out.Works {
			return
		}
		fmt.Fprintf(w, "%s works.\n", name)
		if len(out.Found) > 0 {
			fmt.Fprintf(w, "The other side has %s.\n", strings.Join(out.Found, ", "))
		}
	})
	if err == nil && !out.Works {
		err = fmt.Errorf("%s does not work: %s", name, out.Why)
	}
	return err
}

func (c *call) lookAtChannel(cl *client.Client, name string) error {
	if err := cl.LookAtChannel(c.ctx, name); err != nil {
		return err
	}
	return c.print(struct{}{}, func(w io.Writer) { fmt.Fprintf(w, "%s looks for what is new.\n", name) })
}

// takePast has a channel take in what came before, and tells how far it is.
func (c *call) takePast(cl *client.Client, name string) error {
	var in client.TakePast
	var err error
	if in.From, err = time.Parse(time.DateOnly, *c.from); err != nil {
		return usage("say from which day on, as in -from 2026-01-31")
	}
	if in.To = time.Now().UTC().Truncate(24*time.Hour).AddDate(0, 0, 1); *c.to != "" {
		if in.To, err = time.Parse(time.DateOnly, *c.to); err != nil {
			return usage("write the day as in -to 2026-02-28")
		}
	}
	state, err := cl.TakePast(c.ctx, name, in)
	for err == nil && state.Past != nil && state.Past.Running {
		if isTerminal(c.screen) {
			fmt.Fprintf(c.screen, "\r%d of %d ", state.Past.Done, state.Past.All)
		}
		select {
		case <-time.After(200 * time.Millisecond):
		case <-c.ctx.Done():
			return c.ctx.Err()
		}
		var page client.ChannelPage
		page, err = cl.Channels(c.ctx)
		for _, ch := range page.Items {
			if ch.Name == name {
				state = ch
			}
		}
	}
	if err != nil {
		return err
	}
	if state.Past != nil && state.Past.Error != "" {
		return fmt.Errorf("after %d of %d it broke off: %s", state.Past.Done, state.Past.All, state.Past.Error)
	}
	return c.print(state, func(w io.Writer) {
		if state.Past != nil {
			fmt.Fprintf(w, "%s taken in; none of them is answered by itself.\n", plural(state.Past.Done, "message"))
		}
	})
}
