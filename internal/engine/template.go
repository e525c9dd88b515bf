package engine

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/store"
)

// A Templated is a document of a template.
type Templated struct{ Kind, Name, Text string }

// What is still to be done for a document that was taken in.
const (
	ToDoSecret = "secret" // its connection may want one
	ToDoSource = "source" // a bot names it, and it is not there
	ToDoLive   = "live"   // it is a draft
	ToDoNamed  = "named"  // it names something that is not there
)

// A ToDo is something that a person has to do for what was taken in to work.
type ToDo struct{ What, Name, Says string }

// A Refused is a document that could not be taken in, and why.
type Refused struct {
	Templated
	Why error
}

// TakenIn is what became of a template.
type TakenIn struct {
	Taken, Kept []Templated // Kept: there was one already
	Refused     []Refused
	ToDo        []ToDo
}

// between stands between the documents of a template that is one text.
const between = "---\n"

// Template is all documents of the workspace as one text: YAML documents, one after another.
// It holds nothing of contacts, conversations, knowledge or secrets.
func (d *Documents) Template(ctx context.Context) (string, error) {
	var parts []string
	for _, kind := range d.w.options.Documents {
		list, err := d.w.store.Documents(ctx, kind.Name)
		if err != nil {
			return "", err
		}
		for _, doc := range list {
			parts = append(parts, strings.TrimRight(doc.Text, "\n")+"\n")
		}
	}
	return strings.Join(parts, between), nil
}

var (
	parting   = regexp.MustCompile(`(?m)^---[ \t]*$\n?`)
	titleLine = regexp.MustCompile(`(?m)^title:.*$`)
)

// ReadTemplate takes a template apart. An error names the document, counted from 1, that is of
// no known kind.
func (d *Documents) ReadTemplate(text string) (list []Templated, err error) {
	for i, part := range parting.Split(text, -1) {
		if strings.TrimSpace(part) == "" {
			continue
		}
		one, ok := d.recognised(part)
		if !ok {
			return nil, fmt.Errorf("document %d begins with none of the kinds of documents, such as \"bot: front-desk\"", i+1)
		}
		list = append(list, one)
	}
	if len(list) == 0 {
		return nil, errors.New("there are no documents in it")
	}
	order := func(t Templated) int {
		return slices.IndexFunc(d.w.options.Documents, func(k document.Kind) bool { return k.Name == t.Kind })
	}
	slices.SortStableFunc(list, func(a, b Templated) int { return order(a) - order(b) })
	return list, nil
}

// recognised says of which kind a text is: by the first of its keys that is a kind's name and
// under which it can be read, or else by the first.
func (d *Documents) recognised(text string) (found Templated, ok bool) {
	first := len(text)
	for _, kind := range d.w.options.Documents {
		at := regexp.MustCompile(`(?m)^` + kind.Name + `:[ \t]*["']?([^"'\s#]+)`).FindStringSubmatchIndex(text)
		if at == nil || at[0] > first {
			continue
		}
		first, ok = at[0], true
		found = Templated{Kind: kind.Name, Name: text[at[2]:at[3]], Text: text}
		if read, err := kind.Parse("", []byte(text)); err == nil {
			found.Name = read.Named()
		}
	}
	return found, ok
}

// TakeIn keeps the documents of a template, each after what it refers to. What is there already
// stays, unless over is set; of what a workspace has one of, the title is replaced by another
// if one is given.
func (d *Documents) TakeIn(ctx context.Context, list []Templated, title string, over bool) (t TakenIn, err error) {
	there := map[string]bool{}
	for _, kind := range d.w.options.Documents {
		docs, err := d.w.store.Documents(ctx, kind.Name)
		if err != nil {
			return t, err
		}
		for _, doc := range docs {
			there[kind.Name+"/"+doc.Name] = true
			there[kind.Name] = kind.Only
		}
	}
	waiting := make([]Refused, len(list))
	for i, one := range list {
		waiting[i].Templated = one
	}
	for before := -1; len(waiting) > 0 && before != len(t.Taken)+len(t.Kept); {
		before = len(t.Taken) + len(t.Kept)
		var left []Refused
		for _, one := range waiting {
			kind, _ := document.Find(d.w.options.Documents, one.Kind)
			if same := there[one.Kind+"/"+one.Name]; same && !over || !same && there[one.Kind] {
				t.Kept = append(t.Kept, one.Templated)
				continue
			}
			if kind.Only && title != "" {
				one.Text = titleLine.ReplaceAllLiteralString(one.Text, "title: "+strconv.Quote(title))
			}
			var problems document.Problems
			switch _, one.Why = d.Put(ctx, one.Kind, one.Name, one.Text, 0); {
			case one.Why == nil:
				t.Taken = append(t.Taken, one.Templated)
			case errors.As(one.Why, &problems):
				left = append(left, one) // what it refers to may come yet
			default:
				return t, one.Why
			}
		}
		waiting = left
	}
	t.Refused = waiting
	sources, err := d.w.store.Sources(ctx)
	if err != nil {
		return t, err
	}
	for _, one := range t.Taken {
		t.ToDo = append(t.ToDo, d.toDo(one, sources)...)
	}
	return t, nil
}

// toDo is what a document that was taken in still wants.
func (d *Documents) toDo(one Templated, sources []store.Source) (list []ToDo) {
	for _, f := range d.Findings(one.Kind, one.Name, one.Text) {
		if f.Warning {
			list = append(list, ToDo{ToDoNamed, one.Name, fmt.Sprintf("%s %s, line %d: %s", one.Kind, one.Name, f.Line, f.Message)})
		}
	}
	kind, _ := document.Find(d.w.options.Documents, one.Kind)
	read, err := kind.Parse(one.Name, []byte(one.Text))
	if err != nil {
		return list
	}
	switch of := read.(type) {
	case bot.Brief:
		for _, name := range of.Sources {
			if !slices.ContainsFunc(sources, func(s store.Source) bool { return s.Name == name }) {
				list = append(list, ToDo{ToDoSource, name, fmt.Sprintf("the source %s, which the bot %s answers from", name, one.Name)})
			}
		}
	case workspace.Connection:
		list = append(list, ToDo{ToDoSecret, one.Name, fmt.Sprintf("the secret of %s, if it wants one", one.Name)})
	}
	if kind.Drafts {
		list = append(list, ToDo{ToDoLive, one.Name, fmt.Sprintf("the %s %s is a draft", one.Kind, one.Name)})
	}
	return list
}
