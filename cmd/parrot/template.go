package main

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/kinds"
)

// A templated document is one of a template, as a file KIND/NAME.yaml.
type templated struct {
	kind       document.Kind
	name, file string
	text       string
	refused    error // why it could not be taken in yet
}

// template writes all documents of a workspace to a folder, or takes in those of a folder.
func template(c *call) error {
	c.remote()
	title := c.flags.String("title", "", "import: what the business is called, in place of what the template says")
	over := c.flags.Bool("over", false, "import: replace documents that are there already")
	if err := c.parse(2, 2); err != nil {
		return err
	}
	cl, err := c.client()
	if err != nil {
		return err
	}
	switch folder := c.args[1]; c.args[0] {
	case "export":
		return c.exportTemplate(cl, folder)
	case "import":
		return c.importTemplate(cl, folder, *title, *over)
	}
	return usage("there is no parrot template %s; there are export and import", c.args[0])
}

func (c *call) exportTemplate(cl *client.Client, folder string) error {
	if there, err := os.ReadDir(folder); err == nil && len(there) > 0 {
		return fmt.Errorf("%s is not empty: name a new folder, so that nothing old is taken for a part of the template", folder)
	}
	written := map[string]int{}
	for _, kind := range kinds.Documents {
		page, err := cl.Documents(c.ctx, kind.Plural)
		if err != nil {
			return err
		}
		for _, d := range page.Items {
			file := filepath.Join(folder, kind.Name, d.Name+".yaml")
			if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
				return err
			}
			if err := os.WriteFile(file, []byte(d.Text), 0o644); err != nil {
				return err
			}
			written[kind.Name]++
		}
	}
	return c.print(written, func(w io.Writer) {
		for _, kind := range kinds.Documents {
			if n := written[kind.Name]; n > 0 {
				fmt.Fprintf(w, "%s\t%d\n", kind.Title, n)
			}
		}
		fmt.Fprintf(w, "\nWritten to %s. It holds no contacts, conversations, knowledge or secrets; names and addresses of your own people stand in person/.\n", folder)
	})
}

// importTemplate takes in the documents of a folder, each after what it refers to, and says
// what is missing then.
func (c *call) importTemplate(cl *client.Client, folder, title string, over bool) error {
	waiting, err := readTemplate(folder)
	if err != nil {
		return err
	}
	there := map[string]bool{}
	for _, kind := range kinds.Documents {
		page, err := cl.Documents(c.ctx, kind.Plural)
		if err != nil {
			return err
		}
		for _, d := range page.Items {
			there[kind.Name+"/"+d.Name] = true
			there[kind.Name] = kind.Only // a workspace has one of them
		}
	}
	var taken, kept []templated
	for before := -1; len(waiting) > 0 && before != len(taken)+len(kept); {
		before = len(taken) + len(kept)
		var left []templated
		for _, d := range waiting {
			if same := there[d.kind.Name+"/"+d.name]; same && !over || !same && there[d.kind.Name] {
				kept = append(kept, d)
				continue
			}
			if d.kind.Only && title != "" {
				d.text = titleLine.ReplaceAllLiteralString(d.text, "title: "+strconv.Quote(title))
			}
			var problem *client.Error
			switch _, d.refused = cl.PutDocument(c.ctx, d.kind.Plural, d.name, d.text, 0); {
			case d.refused == nil:
				taken = append(taken, d)
			case errors.As(d.refused, &problem) && problem.Status == http.StatusUnprocessableEntity:
				left = append(left, d) // what it refers to may come yet
			default:
				return inFile(d.refused, d.name, d.file)
			}
		}
		waiting = left
	}
	sources, err := cl.Sources(c.ctx)
	if err != nil {
		return err
	}
	for _, d := range waiting {
		fmt.Fprintf(c.errors, "Not taken in: %v\n", inFile(d.refused, d.name, d.file))
	}
	var missing []string
	for _, d := range taken {
		checked, err := cl.CheckDocument(c.ctx, d.kind.Plural, d.name, d.text)
		if err != nil {
			return err
		}
		for _, p := range checked.Warnings {
			missing = append(missing, fmt.Sprintf("%s:%d: %s", d.file, p.Line, p.Message))
		}
		if brief, err := bot.Parse(d.name, []byte(d.text)); d.kind.Name == "bot" && err == nil {
			for _, name := range brief.Sources {
				if !slices.ContainsFunc(sources.Items, func(s client.Source) bool { return s.Name == name }) {
					missing = append(missing, fmt.Sprintf("the source %s, which the bot %s answers from: parrot knowledge add %s", name, d.name, name))
				}
			}
		}
		if d.kind.Name == "connection" {
			missing = append(missing, fmt.Sprintf("the secret of %[1]s, if it wants one: parrot connection secret %[1]s", d.name))
		}
		if d.kind.Drafts {
			missing = append(missing, fmt.Sprintf("the flow %[1]s is a draft: parrot flow live %[1]s", d.name))
		}
	}
	err = c.print(map[string]any{"taken": len(taken), "kept": len(kept), "refused": len(waiting), "missing": missing}, func(w io.Writer) {
		fmt.Fprintf(w, "%s taken in.\n", plural(len(taken), "document"))
		for _, d := range kept {
			fmt.Fprintf(w, "%s %s is not taken in: there is one already. -over replaces one of the same name.\n", d.kind.Name, d.name)
		}
		if len(missing) > 0 {
			fmt.Fprintln(w, "\nStill to do:")
		}
		for _, m := range missing {
			fmt.Fprintf(w, "- %s\n", m)
		}
	})
	if err == nil && len(waiting) > 0 {
		err = fmt.Errorf("%s not taken in", plural(len(waiting), "document"))
	}
	return err
}

var titleLine = regexp.MustCompile(`(?m)^title:.*$`)

// readTemplate reads the documents of a folder, in the order of the kinds.
func readTemplate(folder string) (list []templated, err error) {
	for _, kind := range kinds.Documents {
		files, err := filepath.Glob(filepath.Join(folder, kind.Name, "*.yaml"))
		if err != nil {
			return nil, err
		}
		for _, file := range files {
			text, err := os.ReadFile(file)
			if err != nil {
				return nil, err
			}
			list = append(list, templated{kind: kind, name: nameOf(kind, file, text), file: file, text: string(text)})
		}
	}
	if len(list) == 0 {
		return nil, fmt.Errorf("there are no documents in %s: a template is a folder with bot/NAME.yaml, channel/NAME.yaml and so on, as parrot template export writes it", strings.TrimSuffix(folder, "/"))
	}
	return list, nil
}
