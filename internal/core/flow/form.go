package flow

import (
	"slices"
	"strings"

	"urgentparrot.example/internal/core/document"
)

// The lists of a flow's form.
const (
	triggerEntries = "triggers"
	stepEntries    = "steps"
)

// Form is how people fill in a flow. It is made of what the language knows of its triggers and
// steps; Entries are those.
func (l *Language) Form() document.Form {
	byName := map[string][]document.Field{}
	for _, f := range head {
		byName[f.Name] = fieldsOf(f, "")
	}
	pick := func(names ...string) (fields []document.Field) {
		for _, name := range names {
			fields = append(fields, byName[name]...)
		}
		return fields
	}
	return document.Form{
		{Title: "When it starts", Fields: []document.Field{{Key: "when", Label: "Any of these starts it", As: document.AsEntries, Of: triggerEntries, Adds: "a start"}}},
		{Title: "What happens", Fields: []document.Field{{Key: "steps", Label: "Its steps, in order", As: document.AsEntries, Of: stepEntries, Adds: "a step"}}},
		{Title: "Title, channel and limits", Seldom: true, Fields: pick("title", "speak_on", "already_running", "limits", "missed", "demands")},
	}
}

// Entries are the kinds of triggers and of steps, as the form asks for them.
func (l *Language) Entries() map[string][]document.EntryKind {
	entries := map[string][]document.EntryKind{}
	for _, k := range l.Triggers {
		entries[triggerEntries] = append(entries[triggerEntries], document.EntryKind{Name: k.Name, Label: labelled(k.Name), About: k.About, Main: k.Main, Missing: k.Missing, Fields: allFields(k.Fields)})
	}
	for _, k := range l.Steps {
		beside := ofEveryStep
		if k.Saves == nil {
			beside = slices.DeleteFunc(slices.Clone(beside), func(f Field) bool { return f.Name == "save" })
		}
		fields := slices.Concat(k.Fields, slices.DeleteFunc(slices.Clone(beside), func(f Field) bool { return fieldNamed(k.Fields, f.Name) != nil }))
		entries[stepEntries] = append(entries[stepEntries], document.EntryKind{Name: k.Name, Label: labelled(k.Name), About: k.About, Group: k.Group, Main: k.Main, Missing: k.Missing, Ends: k.Ends, Fields: allFields(fields)})
	}
	return entries
}

func allFields(list []Field) (fields []document.Field) {
	for _, f := range list {
		fields = append(fields, fieldsOf(f, "")...)
	}
	return fields
}

// fieldsOf is one field of a form for a field of the language; of a block, one for each in it.
func fieldsOf(f Field, within string) []document.Field {
	if f.Type == Object {
		var fields []document.Field
		for _, inner := range f.Of {
			fields = append(fields, fieldsOf(inner, within+f.Name+".")...)
		}
		return fields
	}
	field := document.Field{Key: within + f.Name, Label: f.Label, About: f.About, Needed: f.Required, Example: f.Default}
	if field.Label == "" {
		field.Label = labelled(f.Name)
	}
	if strings.EqualFold(strings.TrimPrefix(strings.TrimSuffix(f.About, "."), "The "), strings.TrimPrefix(field.Label, "The ")) {
		field.About = "" // the label says it
	}
	switch f.Type {
	case Text:
		field.As = document.AsParagraph
	case Words, Variable:
		field.As = document.AsText
	case Condition:
		field.As = document.AsCondition
	case Value:
		field.As = document.AsValue
	case Duration:
		field.As = document.AsTime
	case Number:
		field.As = document.AsNumber
	case Flag:
		field.As, field.Default = document.AsYesNo, f.Default
		if field.Default == "" {
			field.Default = "false"
		}
	case Choice:
		field.As, field.Default = document.AsChoice, f.Default
		if f.Default == "" {
			field.Choices = []document.Choice{{Label: "not said"}}
		}
		for _, c := range f.Choices {
			field.Choices = append(field.Choices, document.Choice{Value: c, Label: inWordsOf(f, c)})
		}
	case Name:
		field.As, field.Of = naming(f.Kind)
	case Cells:
		field.As, field.Of, field.Keys = document.AsCells, f.Kind, f.Keys
	case Texts:
		field.As = document.AsTexts
	case Objects:
		field.As, field.Fields, field.Adds = document.AsBlocks, allFields(f.Of), "one more"
	case Steps:
		field.As, field.Of, field.Adds = document.AsEntries, stepEntries, "a step"
	default:
		field.As = document.AsData
	}
	return []document.Field{field}
}

// naming says how the name of something is filled in.
func naming(kind string) (document.FieldAs, string) {
	switch kind {
	case "people":
		return document.AsText, "team,person,bot"
	case "", "any", "zone":
		return document.AsText, ""
	}
	return document.AsDocument, kind
}

// inWordsOf says a choice in words.
func inWordsOf(f Field, choice string) string {
	switch {
	case choice == "record":
		return "several details"
	case choice == "file":
		return "a file"
	case slices.Contains(Reads, choice) && fieldReads(f):
		return Read{As: choice}.Words()
	}
	return labelled(choice)
}

// fieldReads reports whether the choices of a field are what can be read out of a text.
func fieldReads(f Field) bool {
	return !slices.ContainsFunc(f.Choices, func(c string) bool { return c != "record" && c != "file" && !slices.Contains(Reads, c) })
}

// labelled is a name of the language as people read it: "If silent" for if_silent.
func labelled(name string) string {
	words := strings.ReplaceAll(name, "_", " ")
	if words == "" {
		return ""
	}
	return strings.ToUpper(words[:1]) + words[1:]
}
