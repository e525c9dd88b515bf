package main

import (
	"context"
	"crypto/tls"
	"fmt"
	"log/slog"
	"maps"
	"net/netip"
	"os"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/reading/apart"
	"urgentparrot.example/internal/service"
)

// serving are the flags that serve and demo share.
func (c *call) serving(data string) *service.Options {
	var o service.Options
	c.flags.StringVar(&o.Data, "data", data, "the `folder` that holds the workspaces")
	c.flags.StringVar(&o.Listen, "listen", "127.0.0.1:4700", "the `address` to listen on")
	c.flags.StringVar(&o.PublicURL, "public-url", "", "the `address` under which people and other systems reach the service, if it is another")
	return &o
}

func (c *call) logger(verbose bool) *slog.Logger {
	level := slog.LevelWarn
	if verbose {
		level = slog.LevelInfo
	}
	return slog.New(slog.NewTextHandler(c.errors, &slog.HandlerOptions{Level: level}))
}

// reader returns what reads files and pages, in processes of their own.
func (c *call) reader(log *slog.Logger) (*apart.Pool, error) {
	command, err := apart.Command()
	if err != nil {
		return nil, fmt.Errorf("this program cannot find itself, to read files in a process of its own: %w", err)
	}
	return apart.New(log, command...), nil
}

// prefixes reads addresses and networks, parted by commas.
func prefixes(list string) (networks []netip.Prefix, err error) {
	for item := range strings.SplitSeq(list, ",") {
		if item = strings.TrimSpace(item); item == "" {
			continue
		}
		network, err := netip.ParsePrefix(item)
		if err != nil {
			addr, err := netip.ParseAddr(item)
			if err != nil {
				return nil, usage("%q is not an address or a network; write 10.0.0.5 or 10.0.0.0/8", item)
			}
			network = netip.PrefixFrom(addr, addr.BitLen())
		}
		networks = append(networks, network.Masked())
	}
	return networks, nil
}

func serve(c *call) error {
	o := c.serving("./data")
	c.flags.StringVar(&o.Workspace, "workspace", "main", "the `name` of the workspace that is made in an empty data folder")
	allow := c.flags.String("allow", "", "`hosts` of your own network (HOST or HOST:PORT, parted by commas) that may be called: read from, or as a tool, CRM, model or webhook")
	proxies := c.flags.String("trusted-proxies", "", "`addresses` or networks of proxies in front of the service (10.0.0.5, 10.0.0.0/8, parted by commas): they say who asks, in X-Forwarded-For")
	c.flags.Func("mcp", "an MCP server on this host that connections may use as program:NAME, as `NAME=COMMAND` with its arguments; may be given several times", func(arg string) error {
		name, command, ok := strings.Cut(arg, "=")
		if !ok || len(strings.Fields(command)) == 0 {
			return fmt.Errorf("write NAME=COMMAND")
		}
		if o.Engine.Programs == nil {
			o.Engine.Programs = map[string][]string{}
		}
		o.Engine.Programs[name] = strings.Fields(command)
		return nil
	})
	mailListen := c.flags.String("mail-listen", "", "the `address` to which another mail server forwards mails (SMTP), for the addresses that channels receive")
	mailCert := c.flags.String("mail-cert", "", "the `file` of the certificate that is shown there (STARTTLS); none: mails come unencrypted")
	mailKey := c.flags.String("mail-key", "", "the `file` of its key")
	verbose := c.flags.Bool("verbose", false, "log more")
	if err := c.parse(0, 0); err != nil {
		return err
	}
	if *allow != "" {
		o.Engine.Rules.Allowed = strings.Split(*allow, ",")
	}
	var err error
	if o.Proxies, err = prefixes(*proxies); err != nil {
		return err
	}
	if *mailListen != "" {
		o.Post = &service.Post{Listen: *mailListen}
		if *mailCert != "" || *mailKey != "" {
			pair, err := tls.LoadX509KeyPair(*mailCert, *mailKey)
			if err != nil {
				return fmt.Errorf("the certificate for mails cannot be read: %w", err)
			}
			o.Post.TLS = &tls.Config{Certificates: []tls.Certificate{pair}, MinVersion: tls.VersionTLS12}
		}
	}
	o.Log = c.logger(*verbose)
	reader, err := c.reader(o.Log)
	if err != nil {
		return err
	}
	defer reader.Close()
	o.Engine.Reader = reader
	s, err := service.Start(c.ctx, *o)
	if err != nil {
		return err
	}
	if s.PostAddr != "" {
		fmt.Fprintf(c.out, "Mails are taken at %s\n", s.PostAddr)
	}
	// Asked to stop at this moment, it still says how it could be reached.
	ctx := context.WithoutCancel(c.ctx)
	fmt.Fprintf(c.out, "Urgent Parrot is ready at %s\n", s.PublicURL)
	for _, name := range slices.Sorted(maps.Keys(s.Workspaces)) {
		link, err := s.SignInLink(ctx, name, "Owner")
		if err != nil {
			return err
		}
		fmt.Fprintf(c.out, "Sign in to %s (works once, within a day): %s\n", name, link)
	}
	return c.serveUntilStopped(s)
}

type closing interface {
	Wait() error
	Close() error
}

// serveUntilStopped waits for the end of the service, or for the user's.
func (c *call) serveUntilStopped(s closing) error {
	collectSeldom()
	go tendMemory()
	failed := make(chan error, 1)
	go func() { failed <- s.Wait() }()
	select {
	case err := <-failed:
		return err
	case <-c.ctx.Done():
		fmt.Fprintln(c.out, "Stopping: finishing what is in hand.")
	}
	closed := make(chan error, 1)
	go func() { closed <- s.Close() }()
	select {
	case err := <-closed:
		return err
	case <-time.After(stopTime):
		// What was acknowledged is on the disk: ending now is as safe as a crash.
		fmt.Fprintln(c.out, "Stopped with some of it unfinished; it goes on at the next start.")
		return nil
	}
}

// stopTime is how long the end of the service may take.
const stopTime = 5 * time.Second

func runDemo(c *call) error {
	o := c.serving("./demo-data")
	worldListen := c.flags.String("world", "127.0.0.1:4710", "the `address` of the outside world's pages")
	mailListen := c.flags.String("mailroom", "127.0.0.1:4725", "the `address` of the outside world's mail server")
	c.flags.StringVar(&o.Mailbox, "mailbox", "127.0.0.1:4743", "the `address` at which the mailbox of the business in it is read")
	fresh := c.flags.Bool("fresh", false, "throw the folder of an earlier demo away first")
	quiet := c.flags.Bool("quiet", false, "let no customers write by themselves")
	model := c.flags.Bool("model", false, "let the bots of a fresh demo think with the outside world's model server")
	if err := c.parse(0, 0); err != nil {
		return err
	}
	if *model {
		o.Model = "reading-desk"
	}
	if *fresh {
		if err := os.RemoveAll(o.Data); err != nil {
			return err
		}
	}
	o.Log = c.logger(false)
	reader, err := c.reader(o.Log)
	if err != nil {
		return err
	}
	defer reader.Close()
	o.Engine.Reader = reader
	d, err := service.StartDemo(c.ctx, *o, *worldListen, *mailListen)
	if err != nil {
		return err
	}
	ctx := context.WithoutCancel(c.ctx)
	link, err := d.SignInLink(ctx, service.DemoWorkspace, "Robin")
	if err != nil {
		return err
	}
	token, err := d.NewToken(ctx, service.DemoWorkspace, "Robin")
	if err != nil {
		return err
	}
	file, err := login{d.PublicURL, token}.save()
	if err != nil {
		return err
	}
	if d.Fresh && !*quiet {
		if err := d.PlayDay(c.ctx); err != nil {
			fmt.Fprintf(c.errors, "The demo's customers could not write: %v\n", err)
		}
	}
	fmt.Fprintf(c.out, `Brackwater Ferries is open.

  Sign in to the console    %s
  The ferry's website       %s/ferries
  A telephone for texts     %s/handset
  A model server to try     %s/reading-desk
  The outside world         %s
  The data                  %s

The parrot command is signed in too (%s). Try: parrot inbox list
Stop with Ctrl-C; start again with the same folder and everything is still there.
`, link, d.WorldURL, d.WorldURL, d.WorldURL, d.WorldURL, o.Data, file)
	return c.serveUntilStopped(d)
}
