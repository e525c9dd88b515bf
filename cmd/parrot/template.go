package main

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/kinds"
	"urgentparrot.example/internal/service"
)

// A templated document is one of a template, as a file KIND/NAME.yaml.
type templated struct {
	kind       document.Kind
	name, file string
	text       string
}

// template writes all documents of a workspace to a folder, or takes in those of a folder.
func template(c *call) error {
	c.remote()
	title := c.flags.String("title", "", "import: what the business is called, in place of what the template says")
	over := c.flags.Bool("over", false, "import: replace documents that are there already")
	name := c.flags.String("new", "", "import: the `name` of a workspace that is made for it, in -data; the service need not run")
	data := c.flags.String("data", "./data", "import -new: the `folder` that holds the workspaces")
	if err := c.parse(2, 2); err != nil {
		return err
	}
	if *name != "" && c.args[0] == "import" {
		return c.newFromTemplate(*data, *name, c.args[1], *title)
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

// newFromTemplate makes a workspace of a template, where no service need run.
func (c *call) newFromTemplate(data, name, folder, title string) error {
	if _, err := readTemplate(folder); err != nil {
		return err
	}
	s, err := service.Start(c.ctx, service.Options{Data: data, Listen: "127.0.0.1:0", Workspace: name, New: true, Log: c.logger(false)})
	if err != nil {
		return err
	}
	token, err := s.NewToken(c.ctx, name, "Template")
	if err == nil {
		cl := &client.Client{Server: s.PublicURL, Token: token}
		err = errors.Join(c.importTemplate(cl, folder, title, true), cl.SignOut(c.ctx))
	}
	if err = errors.Join(err, s.Close()); err == nil && !*c.asJSON {
		fmt.Fprintf(c.out, "\nThe workspace %s stands in %s. Start the service with parrot serve -data %s, anew if it runs: it prints a link to sign in.\n", name, filepath.Join(data, name), data)
	}
	return err
}

// importTemplate takes in the documents of a folder, each after what it refers to, and says
// what is missing then.
func (c *call) importTemplate(cl *client.Client, folder, title string, over bool) error {
	list, err := readTemplate(folder)
	if err != nil {
		return err
	}
	var texts []string
	files := map[string]string{}
	for _, d := range list {
		files[d.kind.Name+"/"+d.name] = d.file
		texts = append(texts, strings.TrimRight(d.text, "\n")+"\n")
	}
	done, err := cl.TakeTemplate(c.ctx, client.Template{Text: strings.Join(texts, "---\n"), Title: title, Over: over})
	if err != nil {
		return err
	}
	for _, d := range done.Refused {
		fmt.Fprintf(c.errors, "Not taken in: %v\n", inFile(&client.Error{Problems: d.Problems}, d.Name, files[d.Kind+"/"+d.Name]))
	}
	err = c.print(done, func(w io.Writer) {
		fmt.Fprintf(w, "%s taken in.\n", plural(len(done.Taken), "document"))
		for _, d := range done.Kept {
			fmt.Fprintf(w, "%s %s is not taken in: there is one already. -over replaces one of the same name.\n", d.Kind, d.Name)
		}
		if len(done.ToDo) > 0 {
			fmt.Fprintln(w, "\nStill to do:")
		}
		for _, t := range done.ToDo {
			if by := doneBy[t.What]; by != "" {
				fmt.Fprintf(w, "- %s: %s %s\n", t.Says, by, t.Name)
			} else {
				fmt.Fprintf(w, "- %s\n", t.Says)
			}
		}
	})
	if err == nil && len(done.Refused) > 0 {
		err = fmt.Errorf("%s not taken in", plural(len(done.Refused), "document"))
	}
	return err
}

// doneBy are the commands by which what is still to do is done.
var doneBy = map[string]string{"secret": "parrot connection secret", "source": "parrot knowledge add", "live": "parrot flow live"}

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
