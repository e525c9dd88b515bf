// Guards takes the guard rails around the language model out, one by one, in a copy of the
// source, and sees that a test fails for each: a guard without such a test is none.
package main

import (
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
)

// A guard is a piece of the source that keeps a model in bounds, and what stands there
// without it.
type guard struct {
	name, file, with, without string
	tests                     string // packages that must fail
}

const (
	dialogue = "./internal/core/dialogue"
	thinker  = "./internal/core/thinker"
	service  = "./test"
)

var guards = []guard{
	{"a cut reply is not sent", "internal/core/thinker/model.go", "if r.Cut {", "if false {", thinker},
	{"a reply is the JSON that was asked for", "internal/core/thinker/model.go", `return o, errors.New("the reply is not the JSON that was asked for")`, "return o, nil", thinker},
	{"only acts that were offered", "internal/core/thinker/model.go", "if !slices.Contains([]string{ActReply, ActNotKnown, ActOffTopic, ActPerson}, o.Act) {", "if false {", thinker},
	{"only labels that were given", "internal/core/thinker/model.go", `if said.Label != "" && !slices`, `if false && !slices`, thinker},
	{"only fields that were asked for", "internal/core/thinker/model.go", "if v != nil && slices.ContainsFunc(t.Fields, func(f Field) bool { return f.Name == name }) {", "if v != nil {", thinker},
	{"a translation says what it means", "internal/core/thinker/model.go", `sentence.Means == ""`, "false", thinker},
	{"passages are written as JSON", "internal/core/thinker/model.go", `line(map[string]any{"id": p.ID, "heads": strings.Join(p.Heads, " › "), "text": p.Text})`, `p.ID+": "+p.Text`, thinker},
	{"replies are bounded", "internal/core/thinker/model.go", "said.Sentences[:min(len(said.Sentences), mostSentences)]", "said.Sentences", thinker},
	{"sentences are held against passages", "internal/core/dialogue/supported.go", "findings := check.Check(sentences, grounds)", "findings := check.Check(sentences, grounds)\n\t\tfor i := range findings {\n\t\t\tfindings[i].Fault = \"\"\n\t\t}", dialogue},
	{"what is left unsupported is looked at", "internal/core/dialogue/supported.go", "if !slices.ContainsFunc(kept, func(f support.Finding) bool { return !f.Polite", "if false && !slices.ContainsFunc(kept, func(f support.Finding) bool { return !f.Polite", dialogue},
	{"replies are held where the brief says", "internal/core/dialogue/supported.go", "kept, r.hold = findings, true", "kept = findings", dialogue},
	{"the built-in reply where the brief says", "internal/core/dialogue/supported.go", `return "not all of the model's reply is supported"`, "", dialogue},
	{"an answer answers the question", "internal/core/dialogue/supported.go", "if why := r.beside(kept, o); why != \"\" {", "if why := r.beside(kept, o); false {", dialogue},
	{"only granted tools", "internal/core/dialogue/granted.go", "case at < 0:\n\t\t\treturn fmt.Sprintf(\"the model asks for", "case at < 0:\n\t\t\tcontinue\n\t\tcase false:\n\t\t\treturn fmt.Sprintf(\"the model asks for", dialogue},
	{"arguments fit the tool", "internal/core/dialogue/granted.go", "if err := tool.CheckArguments(arguments); err != nil {", "if err := tool.CheckArguments(arguments); false {", dialogue},
	{"no tool twice with the same arguments", "internal/core/dialogue/granted.go", "case slices.ContainsFunc(r.done, func(d thinker.Done) bool { return sameCall(d.Call, call) }):", "case false:", dialogue},
	{"so many requests for a reply", "internal/core/dialogue/read.go", "if r.heard >= r.mostThoughts() {", "if false {", dialogue},
	{"what a model does not find is not answered", "internal/core/dialogue/supported.go", "r.reading = true", "", dialogue},
	{"forbidden matters are not asked", "internal/core/dialogue/read.go", "is == forbidden || is == doubtful && !t.isForeign(part.Text) {", "is == forbidden && false {", dialogue},
	{"forbidden matters in other languages", "internal/core/dialogue/supported.go", "if why := r.forbiddenIn(o); why != \"\" {", "if why := r.forbiddenIn(o); false {", service},
	{"the day's tokens", "internal/core/dialogue/read.go", "case daily.Tokens > 0 && spent.Tokens >= daily.Tokens:", "case false:", dialogue},
	{"the day's money", "internal/core/dialogue/read.go", "case daily.Cost > 0 && float64(spent.Cost) >= daily.Cost*1e6:", "case false:", dialogue},
	{"a failing model rests", "internal/core/dialogue/read.go", "return m.Resting", `return ""`, dialogue},
	{"thoughts about other messages are dropped", "internal/core/dialogue/read.go", "return th.On != r.on", "return false", dialogue},
	{"sensitive fields are not told", "internal/core/dialogue/read.go", "&& !field.Sensitive {", "{", dialogue},
	{"only the first name is told", "internal/core/dialogue/read.go", "len(r.Brief.Model.Tells) == 0 && values[\"first_name\"] != \"\"", "values[\"first_name\"] != \"\"", dialogue},
	{"a request ends in its time", "internal/engine/effect_think.go", "return time.Duration(conn.Timeout)", "return time.Hour", service},
	{"a stream that breaks off is no reply", "internal/connect/model.go", `return reply, fmt.Errorf("%s broke off: %w", e.Title, err)`, "break", service},
	{"a bot's thoughts end when a person comes in", "internal/engine/effect_think.go", `Name: "think", OfBot: true,`, `Name: "think",`, service},
	{"a fact is worded with nothing left out or added", "internal/engine/effect_summarise.go", "if err != nil || !w.says(o.Text, fact) {", "if err != nil {", service},
}

func main() {
	only := flag.String("only", "", "only guards whose name holds this `text`")
	flag.Parse()
	if err := run(*only); err != nil {
		fmt.Fprintln(os.Stderr, "guards:", err)
		os.Exit(1)
	}
}

func run(only string) error {
	folder, err := os.MkdirTemp("", "guards-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	if err := os.CopyFS(folder, tree{os.DirFS(".")}); err != nil {
		return err
	}
	unseen := 0
	for _, g := range guards {
		if !strings.Contains(g.name, only) {
			continue
		}
		path := filepath.Join(folder, g.file)
		source, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		if strings.Count(string(source), g.with) == 0 {
			return fmt.Errorf("%s: %s does not hold %q any more", g.name, g.file, g.with)
		}
		if err := os.WriteFile(path, []byte(strings.Replace(string(source), g.with, g.without, 1)), 0o644); err != nil {
			return err
		}
		arguments := []string{"test", "-count=1", "-timeout", "3m", g.tests}
		if g.tests == service {
			arguments = append(arguments, "-run", "Model|Thinks|Budget|PersonLeads|Language|People")
		}
		test := exec.Command("go", arguments...)
		test.Dir = folder
		out, failed := test.CombinedOutput()
		switch {
		case failed == nil:
			unseen++
			fmt.Printf("NOT SEEN  %s\n", g.name)
		case strings.Contains(string(out), "[build failed]"):
			return fmt.Errorf("%s: without it nothing builds:\n%s", g.name, out)
		default:
			fmt.Printf("seen      %s\n", g.name)
		}
		if err := os.WriteFile(path, source, 0o644); err != nil {
			return err
		}
	}
	if unseen > 0 {
		return fmt.Errorf("%d guards can be taken out without a test that fails", unseen)
	}
	return nil
}
