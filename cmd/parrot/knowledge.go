package main

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/message"
)

// knowledgeFlags are the flags of the actions.
type knowledgeFlags struct {
	name, bot, data, prefix string
	follow, pairs, send     bool
	depth, pages            int
	every                   time.Duration
}

func knowledge(c *call) error {
	c.remote()
	var f knowledgeFlags
	c.flags.StringVar(&f.name, "name", "", "add: the `name` of what comes from standard input (a text, if it has no ending), or of a web source")
	c.flags.StringVar(&f.bot, "bot", "", "search, quiz, examples fit: the bot whose sources and threshold count; all sources, if it is left out")
	c.flags.StringVar(&f.data, "data", "", "search, quiz: a `folder` of documents, or a data folder, instead of a running service")
	c.flags.BoolVar(&f.follow, "follow", false, "add ADDRESS: follow links within the prefix")
	c.flags.StringVar(&f.prefix, "prefix", "", "add ADDRESS -follow: what addresses begin with; the address up to its last slash, if it is left out")
	c.flags.IntVar(&f.depth, "depth", 0, "add ADDRESS -follow: how many links away; 8 if it is left out")
	c.flags.IntVar(&f.pages, "pages", 0, "add ADDRESS -follow: at most so many pages; 500 if it is left out")
	c.flags.BoolVar(&f.pairs, "pairs", false, "add ADDRESS: headings that ask become questions with answers")
	c.flags.DurationVar(&f.every, "every", 0, "add ADDRESS: read it again so often, as in 24h; by hand, if it is left out")
	c.flags.BoolVar(&f.send, "send", false, "gaps answer: send the answer to those who wait")
	if err := c.parse(1, 1000); err != nil {
		return err
	}
	action, rest := c.args[0], c.args[1:]
	needs := map[string]bool{"add": true, "show": true, "search": true, "remove": true, "quiz": true}
	if needs[action] && strings.TrimSpace(strings.Join(rest, "")) == "" {
		return usage("parrot knowledge %s needs a name, a file or a question", action)
	}
	if f.data != "" {
		switch action {
		case "quiz":
			return c.quizFolder(f, rest[0])
		case "search":
			return c.searchFolder(f, strings.Join(rest, " "))
		}
		return usage("-data goes with quiz and search")
	}
	cl, err := c.client()
	if err != nil {
		return err
	}
	switch action {
	case "list":
		return c.listSources(cl)
	case "add":
		return c.addSources(cl, rest, f)
	case "show":
		return c.showPassages(cl, rest[0])
	case "search":
		return c.search(cl, strings.Join(rest, " "), f.bot)
	case "sync":
		return c.syncSources(cl, rest)
	case "quiz":
		return c.quiz(cl, rest[0], f.bot)
	case "examples":
		return c.examples(cl, rest, f.bot)
	case "words":
		return c.words(cl, rest)
	case "gaps":
		return c.gaps(cl, rest, f.send)
	case "lessons":
		return c.lessons(cl, rest)
	case "house":
		return c.house(cl, rest)
	case "remove":
		if err := cl.RemoveSource(c.ctx, rest[0]); err != nil {
			return err
		}
		return c.print(map[string]string{"removed": rest[0]}, func(w io.Writer) { fmt.Fprintf(w, "Removed %s and its passages.\n", rest[0]) })
	}
	return usage("there is no parrot knowledge %s; there are add, list, show, search, sync, remove, quiz, gaps, lessons, examples, words and house", action)
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
		fmt.Fprintln(w, "SOURCE\tSTATE\tPAGES\tPASSAGES\tREAD\tAGAIN\tERROR")
		for _, s := range page.Items {
			state := s.State
			if s.Progress != nil {
				state = fmt.Sprintf("reading %d of %d", s.Progress.Read, s.Progress.Found)
			}
			fmt.Fprintf(w, "%s\t%s\t%d\t%d\t%s\t%s\t%s\n", s.Name, state, s.Pages, s.Passages, at(s.ReadAt), at(s.NextAt), s.Error)
		}
	})
}

// at says a time that may be missing.
func at(t *time.Time) string {
	if t == nil {
		return "-"
	}
	return ago(*t)
}

// added says what became of one file.
type added struct {
	File     string `json:"file"`
	Passages int    `json:"passages"`
	Error    string `json:"error,omitempty"`
}

// addSources adds files and folders. A file that cannot be read is named, and
// the rest is still added.
func (c *call) addSources(cl *client.Client, paths []string, f knowledgeFlags) error {
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
			if f.name == "" {
				return usage("say what comes from standard input: -name questions.csv")
			}
			name := f.name
			if filepath.Ext(name) == "" {
				name += ".md" // as a text that is typed in the console
			}
			if err := add(name, c.in); err != nil {
				return err
			}
			continue
		}
		if isWeb(path) {
			s, err := cl.AddWeb(c.ctx, client.WebSource{
				Name: f.name, Address: path, Follow: f.follow, Prefix: f.prefix, Depth: f.depth, Pages: f.pages, Pairs: f.pairs, EveryMinutes: int(f.every / time.Minute),
			})
			if err == nil {
				s, err = c.awaitReading(cl, s)
			}
			if err != nil {
				return err
			}
			results = append(results, added{File: s.Name, Passages: s.Passages, Error: s.Error})
			if s.State == "failed" {
				failed++
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
			switch {
			case r.Error != "" && r.Passages > 0:
				fmt.Fprintf(w, "%s\t%s; %s\n", r.File, plural(r.Passages, "passage"), r.Error)
			case r.Error != "":
				fmt.Fprintf(w, "%s\tNOT ADDED: %s\n", r.File, r.Error)
			default:
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
		address := ""
		for _, p := range page.Items {
			if p.Address != address {
				address = p.Address
				fmt.Fprintf(w, "%s\n\n", address)
			}
			head := strings.Join(p.Trail, " > ")
			if p.Question != "" {
				head = p.Question
			}
			fmt.Fprintf(w, "%d  %s\n   %s\n\n", p.Position+1, head, strings.ReplaceAll(p.Text, "\n", "\n   "))
			for _, asked := range p.Asked {
				fmt.Fprintf(w, "   asked as: %s\n", asked)
			}
			if len(p.Asked) > 0 {
				fmt.Fprintln(w)
			}
		}
	})
}

func (c *call) search(cl *client.Client, question, bot string) error {
	found, err := cl.Search(c.ctx, question, bot)
	if err != nil {
		return err
	}
	return c.printFound(found)
}

// printFound prints what a search found.
func (c *call) printFound(found client.Found) error {
	return c.print(found, func(w io.Writer) {
		if found.Mended != "" {
			fmt.Fprintf(w, "Understood as: %s\n\n", found.Mended)
		}
		if len(found.Items) == 0 {
			fmt.Fprintln(w, "No passage speaks of that.")
			return
		}
		fmt.Fprintln(w, "CONFIDENCE\tCHECKED\tCOVERS\tMEANING\tLACKS\tSOURCE\tPASSAGE")
		for _, p := range found.Items {
			fmt.Fprintf(w, "%s\t%.2f\t%.0f%%\t%.2f\t%s\t%s\t%s\n", answer.Shown(p.Confidence), p.Sure, 100*p.Coverage, p.Meaning, strings.Join(p.Missing, " "), p.Source, shorten(strings.ReplaceAll(p.Text, "\n", " "), 60))
		}
		if found.Answered {
			fmt.Fprintf(w, "\nA bot would answer: %s\n", found.Answer)
		} else {
			fmt.Fprintf(w, "\nA bot would not answer: the best confidence is below %v.\n", found.Threshold)
			switch {
			case len(found.Offers) == 1:
				fmt.Fprintf(w, "It would offer, as what may be meant: %s\n", found.Offers[0])
			case len(found.Offers) > 1:
				fmt.Fprintf(w, "It would ask which is meant:\n%s\n", message.Numbered(found.Offers))
			default:
				fmt.Fprintf(w, "Nor would it offer anything: that one of the first three answers has a chance of %s, below %v.\n", answer.Shown(found.Likely), found.OfferThreshold)
			}
		}
	})
}

func isWeb(s string) bool { return strings.HasPrefix(s, "http://") || strings.HasPrefix(s, "https://") }

// awaitReading waits until a web source has been read, showing how far it is on a
// terminal.
func (c *call) awaitReading(cl *client.Client, s client.Source) (client.Source, error) {
	tick := time.NewTicker(200 * time.Millisecond)
	defer tick.Stop()
	for s.State == "reading" || s.State == "waiting" {
		if s.Progress != nil && isTerminal(c.screen) {
			fmt.Fprintf(c.errors, "\r%s: %d of %d pages ", s.Name, s.Progress.Read, s.Progress.Found)
		}
		select {
		case <-tick.C:
		case <-c.ctx.Done():
			return s, c.ctx.Err()
		}
		var err error
		if s, err = cl.Source(c.ctx, s.ID); err != nil {
			return s, err
		}
	}
	if isTerminal(c.screen) {
		fmt.Fprint(c.screen, "\r\033[K")
	}
	return s, nil
}

// syncSources reads web sources again, those named or all.
func (c *call) syncSources(cl *client.Client, names []string) error {
	if len(names) == 0 {
		page, err := cl.Sources(c.ctx)
		if err != nil {
			return err
		}
		for _, s := range page.Items {
			if s.Address != "" {
				names = append(names, s.ID)
			}
		}
	}
	var sources []client.Source
	failed := 0
	for _, name := range names {
		s, err := cl.ReadSource(c.ctx, name)
		if err == nil {
			s, err = c.awaitReading(cl, s)
		}
		if err != nil {
			return err
		}
		if s.State == "failed" {
			failed++
		}
		sources = append(sources, s)
	}
	if err := c.print(map[string]any{"items": sources}, func(w io.Writer) {
		if len(sources) == 0 {
			fmt.Fprintln(w, "There is no web source to read again; files are read when they are added.")
		}
		for _, s := range sources {
			fmt.Fprintf(w, "%s\t%s\t%s\t%s\n", s.Name, s.State, plural(s.Passages, "passage"), s.Error)
		}
	}); err != nil {
		return err
	}
	if failed > 0 {
		return fmt.Errorf("%s could not be read; what was read before still counts", plural(failed, "source"))
	}
	return nil
}
