package main

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"urgentparrot.example/client"
)

func knowledge(c *call) error {
	c.remote()
	name := c.flags.String("name", "", "add -: the `name` of what comes from standard input")
	if err := c.parse(1, 1000); err != nil {
		return err
	}
	cl, err := c.client()
	if err != nil {
		return err
	}
	action, rest := c.args[0], c.args[1:]
	if action != "list" && len(rest) == 0 {
		return usage("parrot knowledge %s needs a name, a file or a question", action)
	}
	switch action {
	case "list":
		return c.listSources(cl)
	case "add":
		return c.addSources(cl, rest, *name)
	case "show":
		return c.showPassages(cl, rest[0])
	case "search":
		return c.search(cl, strings.Join(rest, " "))
	case "remove":
		if err := cl.RemoveSource(c.ctx, rest[0]); err != nil {
			return err
		}
		return c.print(map[string]string{"removed": rest[0]}, func(w io.Writer) { fmt.Fprintf(w, "Removed %s and its passages.\n", rest[0]) })
	}
	return usage("there is no parrot knowledge %s; there are add, list, show, search and remove", action)
}

func (c *call) listSources(cl *client.Client) error {
	page, err := cl.Sources(c.ctx)
	if err != nil {
		return err
	}
	return c.print(page, func(w io.Writer) {
		if len(page.Items) == 0 {
			fmt.Fprintln(w, "There is no knowledge yet. Add files with: parrot knowledge add FILE or FOLDER")
			return
		}
		fmt.Fprintln(w, "SOURCE\tTITLE\tPASSAGES\tSIZE\tREAD")
		for _, s := range page.Items {
			fmt.Fprintf(w, "%s\t%s\t%d\t%.1f kB\t%s\n", s.Name, s.Title, s.Passages, float64(s.Bytes)/1000, ago(s.ReadAt))
		}
	})
}

// added says what became of one file.
type added struct {
	File     string `json:"file"`
	Passages int    `json:"passages"`
	Error    string `json:"error,omitempty"`
}

// addSources adds files and folders. A file that cannot be read is named, and
// the rest is still added.
func (c *call) addSources(cl *client.Client, paths []string, name string) error {
	var results []added
	failed := 0
	add := func(name string, content io.Reader) error {
		s, err := cl.AddSource(c.ctx, name, content)
		result := added{File: name, Passages: s.Passages}
		var refused *client.Error
		switch {
		case errors.As(err, &refused) && refused.Status != 401 && refused.Status != 403:
			result.Error = strings.TrimPrefix(refused.Error(), name+": ")
			failed++
		case err != nil:
			return err
		}
		results = append(results, result)
		return nil
	}
	for _, path := range paths {
		if path == "-" {
			if name == "" {
				return usage("say what comes from standard input: -name questions.csv")
			}
			if err := add(name, c.in); err != nil {
				return err
			}
			continue
		}
		if err := eachFile(path, func(name, file string) error {
			f, err := os.Open(file)
			if err != nil {
				results = append(results, added{File: name, Error: err.Error()})
				failed++
				return nil
			}
			defer f.Close()
			return add(name, f)
		}); err != nil {
			return err
		}
	}
	if err := c.print(map[string]any{"items": results}, func(w io.Writer) {
		for _, r := range results {
			if r.Error != "" {
				fmt.Fprintf(w, "%s\tNOT ADDED: %s\n", r.File, r.Error)
			} else {
				fmt.Fprintf(w, "%s\t%s\n", r.File, plural(r.Passages, "passage"))
			}
		}
	}); err != nil {
		return err
	}
	if failed > 0 {
		return fmt.Errorf("%s could not be added; see above", plural(failed, "file"))
	}
	return nil
}

// eachFile calls do for a file, or every file below a folder, with the name it
// has from there. Hidden files are passed over.
func eachFile(path string, do func(name, file string) error) error {
	info, err := os.Stat(path)
	if err != nil {
		return err
	}
	if !info.IsDir() {
		return do(filepath.Base(path), path)
	}
	return filepath.WalkDir(path, func(file string, entry fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if strings.HasPrefix(entry.Name(), ".") && file != path {
			if entry.IsDir() {
				return filepath.SkipDir
			}
			return nil
		}
		if entry.IsDir() {
			return nil
		}
		name, err := filepath.Rel(path, file)
		if err != nil {
			return err
		}
		return do(filepath.ToSlash(name), file)
	})
}

func (c *call) showPassages(cl *client.Client, source string) error {
	page, err := cl.Passages(c.ctx, source)
	if err != nil {
		return err
	}
	return c.print(page, func(w io.Writer) {
		for _, p := range page.Items {
			head := strings.Join(p.Trail, " > ")
			if p.Question != "" {
				head = p.Question
			}
			fmt.Fprintf(w, "%d  %s\n   %s\n\n", p.Position+1, head, strings.ReplaceAll(p.Text, "\n", "\n   "))
		}
	})
}

func (c *call) search(cl *client.Client, question string) error {
	found, err := cl.Search(c.ctx, question)
	if err != nil {
		return err
	}
	return c.print(found, func(w io.Writer) {
		if len(found.Items) == 0 {
			fmt.Fprintln(w, "No passage shares a telling word with that.")
			return
		}
		fmt.Fprintln(w, "CONFIDENCE\tCOVERS\tLACKS\tSOURCE\tPASSAGE")
		for _, p := range found.Items {
			fmt.Fprintf(w, "%.2f\t%.0f%%\t%s\t%s\t%s\n", p.Confidence, 100*p.Coverage, strings.Join(p.Missing, " "), p.Source, shorten(strings.ReplaceAll(p.Text, "\n", " "), 60))
		}
	})
}
