// Parrot is the one program of Urgent Parrot: the service, and the commands that
// work with it.
package main

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/signal"
	"path/filepath"
	"strings"
	"syscall"
	"text/tabwriter"
	"time"
	_ "time/tzdata" // where the machine has no time zones of its own

	"urgentparrot.example/client"
	"urgentparrot.example/internal/kinds"
	"urgentparrot.example/internal/reading/apart"
)

// The exit codes.
const (
	exitDone        = 0
	exitFailed      = 1
	exitUsage       = 2
	exitUnreachable = 3
	exitNotAllowed  = 4
	exitNotFound    = 5
)

// A command is one subcommand. What it prints goes to out.
type command struct {
	name, arguments, summary, example string
	run                               func(c *call) error
}

var commands []command

func init() {
	commands = []command{
		{"serve", "", "run the service", "parrot serve -data ./data -listen 127.0.0.1:4700", serve},
		{"demo", "", "run it with the demo business and the simulated outside world", "parrot demo", runDemo},
		{"sign-in", "LINK", "sign in with the link that the service printed", "parrot sign-in 'http://127.0.0.1:4700/sign-in?code=pt_main_...'", signIn},
		{"sign-out", "", "end the token that sign-in made", "parrot sign-out", signOut},
		{"token", "list|revoke [ID]", "who may come in: tokens, sessions and sign-in links", "parrot token list", tokens},
		{"status", "", "is it healthy: channels, queues, troubles", "parrot status", status},
		{"ask", "QUESTION", "put one question to a bot", "parrot ask 'can I take my bike on the boat?'", ask},
		{"chat", "", "talk to a bot in the terminal; nobody else sees it", "parrot chat -bot front-desk", chat},
		{"inbox", "list|show|take|reply|held|approve|reject|topics|trust|hold|answer|return|close [ID] [TEXT]", "answer what the bots hand over, and approve what waits", "parrot inbox list", inbox},
		{"knowledge", "add|list|show|search|sync|remove|quiz|gaps|lessons|examples|words|house [FILE|FOLDER|ADDRESS|NAME|QUESTION]", "what the bots answer from", "parrot knowledge add demo/knowledge", knowledge},
		{"mail", "try FILE.eml", "what would be understood of a mail, and answered; nothing is sent", "parrot mail try complaint.eml", mailCommand},
		{"contact", "list|show|add|set|note|merge|unmerge|twins|import|export|forget [ID|FILE] [ID|TEXT]", "who wrote, and what is known of them", "parrot contact set 0b1f2c3d4e5f -fact island='Gannet Holm' -stage booked", contact},
		{"rehearse", "[FILE|FOLDER...]", "play scripted conversations against bots and flows; nothing real is touched", "parrot rehearse demo/rehearsals", rehearse},
		{"pause", "on|off", "pause all that bots and flows do, or let them go on", "parrot pause on", pause},
		{"template", "export|import FOLDER", "all documents of a workspace as a folder, for the next one", "parrot template import ferries -new otters -title 'Otter Bay Boats'", template},
		{"trace", "CONVERSATION|TURN", "how replies were decided", "parrot trace 01990000-0000-7000-8000-000000000000", trace},
	}
	for _, kind := range kinds.Documents {
		cmd := command{
			kind.Name, "list|show|check|push|pull|drafts|rename|remove|restore|example|schema [NAME|FILE]", strings.ToLower(kind.About[:1]) + strings.TrimSuffix(kind.About[1:], "."),
			fmt.Sprintf("parrot %s example > %s.yaml", kind.Name, kind.Name), documents(kind),
		}
		for _, more := range moreActions[kind.Name] {
			cmd.arguments = strings.Replace(cmd.arguments, " [", "|"+more.name+" [", 1)
			cmd.example = more.example
		}
		commands = append(commands, cmd)
	}
}

// A call is one run of a command.
type call struct {
	command
	ctx    context.Context
	flags  *flag.FlagSet
	args   []string // after the flags
	in     io.Reader
	out    io.Writer
	errors io.Writer
	screen io.Writer // errors as they are, for progress on a terminal
	server *string
	token  *string
	asJSON *bool

	tool *toolFlags // of tools
	bot  *botFlags  // of bots

	from, to *string // of channels: days

	// Of kinds of documents that have drafts.
	live             *bool
	version          *int
	list             *string
	contacts, values texts
	trial            *trialFlags
}

// isTerminal reports whether something is shown to a person at once.
func isTerminal(w any) bool {
	f, ok := w.(*os.File)
	if !ok {
		return false
	}
	info, err := f.Stat()
	return err == nil && info.Mode()&os.ModeCharDevice != 0
}

// errUsage is wrapped by errors of wrong usage.
var errUsage = errors.New("")

func usage(format string, args ...any) error {
	return fmt.Errorf("%w%s", errUsage, fmt.Sprintf(format, args...))
}

func main() {
	apart.WorkIfAsked()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	code := run(ctx, os.Args[1:], os.Stdin, os.Stdout, os.Stderr)
	stop()
	os.Exit(code)
}

func run(ctx context.Context, args []string, in io.Reader, out, errs io.Writer) int {
	if len(args) == 0 || args[0] == "help" || args[0] == "-h" || args[0] == "-help" || args[0] == "--help" {
		overview(out)
		if len(args) == 0 {
			return exitUsage
		}
		return exitDone
	}
	for _, cmd := range commands {
		if cmd.name != args[0] {
			continue
		}
		c := newCall(ctx, cmd, in, out, errs)
		if len(args) == 2 && (args[1] == "-h" || args[1] == "-help" || args[1] == "--help") {
			// The command names its flags first, then stops at this one.
			c.flags.Usage = func() { c.help(out) }
		}
		err := c.command.run(c.parseLater(args[1:]))
		if err != nil && !errors.Is(err, flag.ErrHelp) {
			fmt.Fprintf(c.errors, "parrot %s: %v\n", cmd.name, err)
		}
		return exitCode(err)
	}
	fmt.Fprintf(errs, "parrot: there is no command %q; parrot help lists them\n", args[0])
	return exitUsage
}

func exitCode(err error) int {
	var answered *client.Error
	switch {
	case err == nil, errors.Is(err, flag.ErrHelp):
		return exitDone
	case errors.Is(err, errUsage):
		return exitUsage
	case errors.Is(err, client.ErrUnreachable):
		return exitUnreachable
	case errors.As(err, &answered) && (answered.Status == http.StatusUnauthorized || answered.Status == http.StatusForbidden):
		return exitNotAllowed
	case errors.As(err, &answered) && answered.Status == http.StatusNotFound:
		return exitNotFound
	}
	return exitFailed
}

func overview(w io.Writer) {
	fmt.Fprint(w, "Urgent Parrot: bots that answer your customers from what you know.\n\nUsage: parrot COMMAND [flags] [arguments]\n\n")
	table := tabwriter.NewWriter(w, 0, 0, 3, ' ', 0)
	for _, cmd := range commands {
		fmt.Fprintf(table, "  %s\t%s\n", cmd.name, cmd.summary)
	}
	table.Flush()
	fmt.Fprint(w, "\nparrot COMMAND -h shows a command's flags and an example.\n")
}

func newCall(ctx context.Context, cmd command, in io.Reader, out, errs io.Writer) *call {
	c := &call{command: cmd, ctx: ctx, in: in, out: &printable{Writer: out}, errors: &printable{Writer: errs}, screen: errs, flags: flag.NewFlagSet(cmd.name, flag.ContinueOnError)}
	c.flags.SetOutput(c.errors)
	c.flags.Usage = func() { c.help(c.errors) }
	return c
}

// parseLater keeps the arguments until the command has named its flags.
func (c *call) parseLater(args []string) *call {
	c.args = args
	return c
}

// parse reads the flags, which may stand before and between the arguments, and
// checks the number of arguments.
func (c *call) parse(least, most int) error {
	var rest []string
	args := c.args
	for {
		if err := c.flags.Parse(args); err != nil {
			if errors.Is(err, flag.ErrHelp) {
				return err
			}
			return usage("wrong flags; parrot %s -h shows them", c.name)
		}
		if args = c.flags.Args(); len(args) == 0 {
			break
		}
		rest, args = append(rest, args[0]), args[1:]
	}
	c.args = rest
	if len(rest) < least || len(rest) > most {
		return usage("it is used like this: %s", c.example)
	}
	return nil
}

// remote adds the flags of commands that speak with a service.
func (c *call) remote() *call {
	c.server = c.flags.String("server", "", "the service's `address` (or PARROT_SERVER, or what sign-in wrote)")
	c.token = c.flags.String("token", "", "a `token` (or PARROT_TOKEN, or what sign-in wrote)")
	c.asJSON = c.flags.Bool("json", false, "print one JSON document")
	return c
}

func (c *call) help(w io.Writer) {
	fmt.Fprintf(w, "parrot %s: %s\n\nUsage: parrot %s [flags] %s\n", c.name, c.summary, c.name, c.arguments)
	c.flags.SetOutput(w)
	fmt.Fprintln(w, "\nFlags:")
	c.flags.PrintDefaults()
	fmt.Fprintf(w, "\nExample: %s\n", c.example)
}

// A login is what sign-in keeps in the user's configuration folder.
type login struct {
	Server string `json:"server"`
	Token  string `json:"token"`
}

func loginFile() (string, error) {
	folder, err := os.UserConfigDir()
	return filepath.Join(folder, "urgent-parrot", "sign-in.json"), err
}

func (l login) save() (string, error) {
	name, err := loginFile()
	if err != nil {
		return "", err
	}
	if err := os.MkdirAll(filepath.Dir(name), 0o700); err != nil {
		return "", err
	}
	raw, err := json.Marshal(l)
	if err != nil {
		return "", err
	}
	return name, os.WriteFile(name, raw, 0o600)
}

// client returns the client for the service that the flags, the environment or
// the last sign-in name.
func (c *call) client() (*client.Client, error) {
	var kept login
	if name, err := loginFile(); err == nil {
		if raw, err := os.ReadFile(name); err == nil {
			if err := json.Unmarshal(raw, &kept); err != nil {
				return nil, fmt.Errorf("%s is damaged: sign in again with parrot sign-in", name)
			}
		}
	}
	first := func(values ...string) string {
		for _, v := range values {
			if v != "" {
				return v
			}
		}
		return ""
	}
	cl := &client.Client{
		Server: first(*c.server, os.Getenv("PARROT_SERVER"), kept.Server, "http://127.0.0.1:4700"),
		Token:  first(*c.token, os.Getenv("PARROT_TOKEN"), kept.Token),
	}
	if !strings.Contains(cl.Server, "://") {
		cl.Server = "http://" + cl.Server
	}
	return cl, nil
}

// print writes a value as JSON, or else calls people to write it for people.
func (c *call) print(value any, people func(w io.Writer)) error {
	if *c.asJSON {
		if out, ok := c.out.(*printable); ok {
			out.escaped = true
		}
		encoder := json.NewEncoder(c.out)
		encoder.SetIndent("", "  ")
		encoder.SetEscapeHTML(false)
		return encoder.Encode(value)
	}
	table := tabwriter.NewWriter(c.out, 0, 0, 2, ' ', 0)
	people(table)
	return table.Flush()
}

// ago says how long ago something was.
func ago(t time.Time) string {
	switch d := time.Since(t); {
	case d < -48*time.Hour:
		return t.Local().Format("2006-01-02 15:04")
	case d < -time.Hour:
		return fmt.Sprintf("in %d h", int((-d + 30*time.Minute).Hours()))
	case d < -time.Minute:
		return fmt.Sprintf("in %d min", int(-d.Minutes()))
	case d < time.Minute:
		return "just now"
	case d < time.Hour:
		return fmt.Sprintf("%d min ago", int(d.Minutes()))
	case d < 24*time.Hour:
		return fmt.Sprintf("%d h ago", int(d.Hours()))
	default:
		return t.Local().Format("2006-01-02 15:04")
	}
}

// plural counts things: "1 passage", "2 passages".
func plural(n int, thing string) string {
	if n == 1 {
		return "1 " + thing
	}
	if before, ends := strings.CutSuffix(thing, "y"); ends {
		return fmt.Sprintf("%d %sies", n, before)
	}
	return fmt.Sprintf("%d %ss", n, thing)
}
