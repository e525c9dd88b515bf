package main

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/parser"

	"urgentparrot.example/client"
)

// botActions are what bots can do beside what all documents can.
var botActions = []action{
	{"new", "parrot bot new support -name Sam -to team/crew", (*call).newBot},
	{"order", "parrot bot order notes.txt", (*call).orderNotes},
	{"powers", "parrot bot powers front-desk", (*call).botPowers},
}

// orderNotes shows what free notes come to as parts of a brief, in YAML.
func (c *call) orderNotes(cl *client.Client, file string) error {
	raw, err := c.readInput(file)
	if err != nil {
		return err
	}
	out, err := cl.OrderNotes(c.ctx, "new", string(raw))
	if err != nil {
		return err
	}
	return c.print(out, func(w io.Writer) {
		brief := map[string]any{}
		for key, value := range out.Values {
			if block, inner, is := strings.Cut(key, "."); is {
				within, _ := brief[block].(map[string]any)
				if within == nil {
					within = map[string]any{}
				}
				within[inner] = value
				brief[block] = within
			} else {
				brief[key] = value
			}
		}
		if text, err := yaml.MarshalWithOptions(brief, yaml.IndentSequence(true)); err == nil {
			fmt.Fprint(w, string(text))
		}
		for _, p := range out.Placed {
			if p.Key == "" {
				fmt.Fprintf(w, "# not placed: %s\n", p.Sentence)
			}
		}
	})
}

// botPowers tells what a bot may do beside answering, and what is missing yet.
func (c *call) botPowers(cl *client.Client, name string) error {
	d, err := cl.Document(c.ctx, "bots", name)
	if err != nil {
		return err
	}
	told, err := cl.ExplainBot(c.ctx, name, d.Text)
	if err != nil {
		return err
	}
	return c.print(told, func(w io.Writer) {
		for _, p := range told.Powers {
			fmt.Fprintln(w, p.Says)
			for _, said := range p.When {
				fmt.Fprintf(w, "    “%s”\n", said)
			}
		}
		fmt.Fprintln(w, "Nothing else can happen, whatever a customer or a model says.")
		if len(told.Missing) > 0 {
			fmt.Fprintln(w, "\nStill missing:")
		}
		for _, m := range told.Missing {
			fmt.Fprintln(w, "  "+m)
		}
	})
}

// botFlags are the flags of bot new.
type botFlags struct {
	name, to, notify *string
	sources          texts
}

func (c *call) botFlags() {
	f := &botFlags{}
	f.name = c.flags.String("name", "", "new: what customers read as its `name`")
	f.to = c.flags.String("to", "", "new: who comes in when it does not know, as `team/NAME`, person/NAME or a mail address")
	f.notify = c.flags.String("notify", "", "new: the `connection` of the mail server that tells them")
	c.flags.Var(&f.sources, "source", "new: a `source` that it answers from; may be given several times, none means all")
	c.bot = f
}

// newBot makes a bot from where bots may begin, and says how to try it; for "list" it lists
// those.
func (c *call) newBot(cl *client.Client, start string) error {
	kinds, err := cl.Kinds(c.ctx)
	if err != nil {
		return err
	}
	at := slices.IndexFunc(kinds.Items, func(k client.DocumentKind) bool { return k.Name == "bot" })
	starts := kinds.Items[at].Starts
	chosen := slices.IndexFunc(starts, func(s client.DocumentStart) bool { return s.Name == start })
	if start == "list" {
		return c.print(starts, func(w io.Writer) {
			for _, s := range starts {
				fmt.Fprintf(w, "%s\t%s\n", s.Name, s.About)
				for _, said := range s.Talk {
					fmt.Fprintf(w, "\t  customer: %s\n\t  bot:      %s\n", said.Customer, said.Bot)
				}
			}
		})
	}
	if chosen < 0 {
		var names []string
		for _, s := range starts {
			names = append(names, s.Name)
		}
		return usage("there is no start called %s; there are %s; parrot bot new list tells of them", start, strings.Join(names, ", "))
	}
	page, err := cl.Documents(c.ctx, "bots")
	if err != nil {
		return err
	}
	name := start
	for n := 2; slices.ContainsFunc(page.Items, func(d client.Document) bool { return d.Name == name }); n++ {
		name = fmt.Sprintf("%s-%d", start, n)
	}
	text, err := c.bot.fill(starts[chosen].Text, name)
	if err != nil {
		return err
	}
	d, err := cl.PutDocument(c.ctx, "bots", name, text, 0)
	if err != nil {
		return err
	}
	return c.print(d, func(w io.Writer) {
		fmt.Fprintf(w, "%[1]s is made. Try it: parrot chat -bot %[1]s. Its brief: parrot bot pull %[1]s. A channel names the bot that receives its customers.\n", name)
	})
}

// fill sets in the text of a start what the flags say.
func (f *botFlags) fill(text, name string) (string, error) {
	file, err := parser.ParseBytes([]byte(text), parser.ParseComments)
	if err != nil {
		return "", err
	}
	for path, value := range map[string]any{"$.bot": name, "$.name": *f.name, "$.sources": []string(f.sources), "$.escalate.to": *f.to, "$.escalate.notify": *f.notify} {
		if list, is := value.([]string); value == "" || is && len(list) == 0 {
			continue
		}
		key := path[strings.LastIndex(path, ".")+1:]
		at, err := yaml.PathString(path)
		if err != nil {
			return "", err
		}
		raw, err := yaml.Marshal(value)
		if err != nil {
			return "", err
		}
		if node, err := at.FilterFile(file); err == nil && node != nil {
			err = at.ReplaceWithReader(file, strings.NewReader(string(raw)))
			if err != nil {
				return "", err
			}
			continue
		}
		parent, err := yaml.PathString(path[:strings.LastIndex(path, ".")])
		if err != nil {
			return "", err
		}
		more, err := yaml.Marshal(map[string]any{key: value})
		if err != nil {
			return "", err
		}
		if err := parent.MergeFromReader(file, strings.NewReader(string(more))); err != nil {
			return "", err
		}
	}
	return file.String(), nil
}
