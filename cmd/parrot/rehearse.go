package main

import (
	"encoding/xml"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"urgentparrot.example/client"
)

// rehearse plays rehearsals: files, folders, or those that are kept.
func rehearse(c *call) error {
	c.remote()
	junit := c.flags.String("junit", "", "write the results as JUnit XML to this `file`")
	verbose := c.flags.Bool("v", false, "show those that pass too")
	last := c.flags.Int("last", 0, "play so many of the latest real `conversations` again instead, and show which replies would be others")
	if err := c.parse(0, 1000); err != nil {
		return err
	}
	cl, err := c.client()
	if err != nil {
		return err
	}
	var in client.Rehearse
	for _, path := range c.args {
		err := filepath.WalkDir(path, func(file string, entry fs.DirEntry, err error) error {
			if err != nil || entry.IsDir() || filepath.Ext(file) != ".yaml" && filepath.Ext(file) != ".yml" {
				return err
			}
			raw, err := os.ReadFile(file)
			in.Scripts = append(in.Scripts, client.DocumentFile{File: file, Text: string(raw)})
			return err
		})
		if err != nil {
			return err
		}
	}
	if len(c.args) > 0 && len(in.Scripts) == 0 {
		return usage("there are no rehearsals (*.yaml) in %s", strings.Join(c.args, ", "))
	}
	in.Last = *last
	out, err := cl.Rehearse(c.ctx, in)
	if err != nil {
		return err
	}
	if *last > 0 {
		return c.print(out, func(w io.Writer) { printReplays(w, out.Items, *verbose) })
	}
	failed := 0
	for _, r := range out.Items {
		if !r.Passed {
			failed++
		}
	}
	if *junit != "" {
		if err := os.WriteFile(*junit, junitOf(out.Items), 0o644); err != nil {
			return err
		}
	}
	if err := c.print(out, func(w io.Writer) { printRehearsals(w, out.Items, *verbose) }); err != nil {
		return err
	}
	if failed > 0 {
		return fmt.Errorf("%s of %d failed", plural(failed, "rehearsal"), len(out.Items))
	}
	return nil
}

func printRehearsals(w io.Writer, reports []client.RehearsalReport, verbose bool) {
	if len(reports) == 0 {
		fmt.Fprintln(w, "There are no rehearsals yet. Begin from an example: parrot rehearsal example > bicycle.yaml, then parrot rehearse bicycle.yaml")
		return
	}
	passed := 0
	for _, r := range reports {
		if r.Passed {
			passed++
			if !verbose {
				continue
			}
		}
		fmt.Fprintf(w, "%s: %s\n", map[bool]string{true: "passed", false: "FAILED"}[r.Passed], r.Title)
		for _, l := range r.Lines {
			mark := " "
			if l.Wrong {
				mark = "✗"
			}
			switch {
			case l.Kind == "why":
				fmt.Fprintf(w, "         how it came: %s\n", firstLine(l.Happened))
			case l.Line == 0:
				fmt.Fprintf(w, "         the bot also said: %s\n", firstLine(l.Happened))
			case l.Kind == "customer":
				fmt.Fprintf(w, " %s %4d  customer: %s\n", mark, l.Line, l.Expected)
			default:
				fmt.Fprintf(w, " %s %4d  %s: %s\n", mark, l.Line, l.Kind, l.Expected)
				if l.Wrong || l.Kind == "bot" || l.Kind == "time" {
					fmt.Fprintf(w, "         %s\n", firstLine(l.Happened))
				}
			}
		}
		fmt.Fprintln(w)
	}
	fmt.Fprintf(w, "%d of %s passed.\n", passed, plural(len(reports), "rehearsal"))
}

// printReplays shows which replies to real customers would be others now.
func printReplays(w io.Writer, reports []client.RehearsalReport, verbose bool) {
	changed := 0
	for _, r := range reports {
		if r.Passed && !verbose {
			continue
		}
		fmt.Fprintf(w, "%s (conversation %s)\n", r.Title, r.File[max(0, len(r.File)-12):])
		asked := ""
		for _, l := range r.Lines {
			switch {
			case l.Kind == "customer":
				asked = l.Expected
			case l.Wrong:
				changed++
				fmt.Fprintf(w, "  customer: %s\n    was: %s\n    now: %s\n", firstLine(asked), firstLine(l.Expected), firstLine(l.Happened))
			}
		}
	}
	if changed == 0 {
		fmt.Fprintf(w, "In the latest %s no reply would be another.\n", plural(len(reports), "conversation"))
		return
	}
	fmt.Fprintf(w, "In the latest %s %d would be said otherwise.\n", plural(len(reports), "conversation"), changed)
}

func firstLine(s string) string {
	if before, _, more := strings.Cut(s, "\n"); more {
		return before + " …"
	}
	return s
}

// junitOf writes reports as JUnit XML, as build servers read it.
func junitOf(reports []client.RehearsalReport) []byte {
	type failure struct {
		Message string `xml:"message,attr"`
		Text    string `xml:",chardata"`
	}
	type testcase struct {
		Name    string   `xml:"name,attr"`
		Class   string   `xml:"classname,attr"`
		Time    string   `xml:"time,attr"`
		Failure *failure `xml:"failure,omitempty"`
	}
	suite := struct {
		XMLName  xml.Name   `xml:"testsuite"`
		Name     string     `xml:"name,attr"`
		Tests    int        `xml:"tests,attr"`
		Failures int        `xml:"failures,attr"`
		Cases    []testcase `xml:"testcase"`
	}{Name: "rehearsals", Tests: len(reports)}
	for _, r := range reports {
		one := testcase{Name: r.Title, Class: r.File, Time: fmt.Sprintf("%.3f", r.Took/1000)}
		if !r.Passed {
			suite.Failures++
			for _, l := range r.Lines {
				if l.Wrong {
					one.Failure = &failure{fmt.Sprintf("line %d: %s: %s", l.Line, l.Expected, l.Happened), ""}
				}
			}
		}
		suite.Cases = append(suite.Cases, one)
	}
	raw, err := xml.MarshalIndent(suite, "", "  ")
	if err != nil {
		panic(err) // it holds nothing that cannot be encoded
	}
	return append([]byte(xml.Header), append(raw, '\n')...)
}
