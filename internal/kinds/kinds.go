// Package kinds is where what plugs into the house is registered: the kinds of
// channels and the kinds of documents. Everything else works from these tables.
package kinds

import (
	"cmp"
	"embed"
	"fmt"
	"sync"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/channel/mail"
	"urgentparrot.example/internal/channel/textline"
	"urgentparrot.example/internal/channel/website"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/flow/steps"
	"urgentparrot.example/internal/core/flow/triggers"
	"urgentparrot.example/internal/core/rehearsal"
	"urgentparrot.example/internal/core/tool"
	"urgentparrot.example/internal/core/workspace"
)

// Channels are the kinds of channels.
var Channels = []channel.Kind{website.Kind, textline.Kind, mail.Kind}

// Language is that of flows: the steps and triggers that they may have.
var Language = &flow.Language{Steps: steps.All, Triggers: triggers.All}

// Documents are the kinds of documents.
var Documents = WithChannels(Channels)

// forms are how people fill in documents, a file for each kind.
//
//go:embed forms/*.yaml
var forms embed.FS

// starts are where new documents may begin, a file for each kind that has some.
//
//go:embed starts/*.yaml
var starts embed.FS

// startsOf returns where documents of a kind may begin, nil if only from their example. It is
// read when it is wanted first.
func startsOf(kind string) func() []document.Start {
	raw, err := starts.ReadFile("starts/" + kind + ".yaml")
	if err != nil {
		return nil
	}
	return sync.OnceValue(func() []document.Start {
		list, err := document.ReadStarts(kind+".yaml", raw)
		if err != nil {
			panic(fmt.Sprintf("where a %s may begin: %v", kind, err)) // it is embedded
		}
		return list
	})
}

// readForm returns the form of a kind as its file has it, and the kinds of entries of its
// lists; nothing if there is no such file.
func readForm(kind string) (document.Form, map[string][]document.EntryKind) {
	raw, err := forms.ReadFile("forms/" + kind + ".yaml")
	if err != nil {
		return nil, nil
	}
	form, entries, err := document.ReadForm(kind+".yaml", raw)
	if err != nil {
		panic(fmt.Sprintf("the form of a %s: %v", kind, err)) // it is embedded
	}
	return form, entries
}

// formOf returns the form of a kind. It is read when it is wanted first.
func formOf(kind string, more ...channel.Kind) func() document.Form {
	return sync.OnceValue(func() document.Form {
		form, _ := readForm(kind)
		for _, of := range more {
			form.Field("kind").Choices = append(form.Field("kind").Choices, document.Choice{Value: of.Name, Label: of.Title})
			if of.Needs != "" {
				form[0].Fields = append(form[0].Fields, document.Field{
					Key: "connection", Label: "Connection to " + of.Needs, As: document.AsDocument, Of: "connection", Fit: []string{string(cmp.Or(of.To, workspace.HTTPSystem))},
					Needed: true, If: &document.OnlyIf{Key: "kind", Is: []string{of.Name}},
				})
			}
			for _, field := range of.Form {
				field.If = &document.OnlyIf{Key: "kind", Is: []string{of.Name}}
				form[0].Fields = append(form[0].Fields, field)
			}
		}
		return form
	})
}

// WithChannels returns the kinds of documents, with channels of the kinds given.
// The order is that in which people need them.
func WithChannels(channels []channel.Kind) []document.Kind {
	ch := document.Kind{
		Name: "channel", Plural: "channels", Title: "Channels",
		About: "Ways in for customers, and the bot that receives them.", Parse: channel.Parse(channels),
	}
	for _, kind := range channels {
		ch.Shapes = append(ch.Shapes, kind.Settings())
		if ch.Example == "" {
			ch.Example = kind.Example
		}
	}
	ch.Form = formOf(ch.Name, channels...)
	list := []document.Kind{
		{
			Name: "settings", Plural: "settings", Title: "Business", Only: true,
			About:  "The business, its language and time zone, and what is kept about contacts.",
			Shapes: []any{workspace.Settings{}}, Parse: as(workspace.ParseSettings), Example: `settings: main
title: Your business
language: en
region: GB
time_zone: Europe/London
fields:
  - { field: name, label: Name, type: name }
  - { field: email, label: E-mail, type: email }
  - { field: phone, label: Telephone, type: phone }
stages:
  - { stage: enquiry, label: Enquiry }
  - { stage: booked, label: Booked }
tags: [group, regular]
`,
		},
		{
			Name: "connection", Plural: "connections", Title: "Connections",
			About:  "The addresses of other systems. Their secrets are kept apart, sealed.",
			Shapes: []any{workspace.Connection{}}, Parse: as(workspace.ParseConnection), Example: `connection: client-book
title: Client book
kind: http
address: https://clients.example.org/api
`,
		},
		{
			Name: "sheet", Plural: "sheets", Title: "Sheets",
			About:  "Tables that bots and flows write rows to: enquiries, bookings, complaints. Any spreadsheet program opens them.",
			Shapes: []any{workspace.Sheet{}}, Parse: as(workspace.ParseSheet), Example: `sheet: enquiries
title: Enquiries
columns: [Received, Name, E-mail, About]
`,
		},
		{
			Name: "tool", Plural: "tools", Title: "Tools",
			About:  "What bots look up in other systems to answer, or have done there: a timetable, an order, a booking.",
			Shapes: []any{tool.Tool{}}, Parse: as(tool.Parse), Example: `tool: tides
title: Tides
connection: harbour
path: /tides
when: ["When is high water today?"]
say:
  - text: "High water is at {{ result.high }}."
sorry: I cannot look that up at the moment.
`,
		},
		{
			Name: "hours", Plural: "hours", Title: "Hours",
			About:  "When people are there.",
			Shapes: []any{workspace.Hours{}}, Parse: as(workspace.ParseHours), Example: `hours: ticket-office
title: Ticket office
week:
  monday: ["08:00-12:00", "13:00-17:30"]
  saturday: ["09:00-12:00"]
holidays: ["12-25", "2027-04-05"]
`,
		},
		{
			Name: "team", Plural: "teams", Title: "Teams",
			About:  "People who answer together, and who is called first.",
			Shapes: []any{workspace.Team{}}, Parse: as(workspace.ParseTeam), Example: `team: ticket-office
title: Ticket office
call: all
`,
		},
		{
			Name: "person", Plural: "people", Title: "People",
			About:  "The business's own people, and where they are told.",
			Shapes: []any{workspace.Person{}}, Parse: as(workspace.ParsePerson), Example: `person: robin-tarn
name: Robin Tarn
address: robin@example.org
`,
		},
		{
			Name: "bot", Plural: "bots", Title: "Bots",
			About:  "The bots' briefs: who they are, how they speak, when people come in.",
			Shapes: []any{bot.Brief{}}, Parse: as(bot.Parse), Example: `bot: front-desk
title: Front desk
name: Pip
role: Answers customers. Friendly and brief.
escalate:
  on: [not known, wish, anger]
`,
		},
		ch,
		{
			Name: "form", Plural: "forms", Title: "Forms",
			About:  "Pages that customers fill in and send; a flow goes on from there.",
			Shapes: []any{workspace.Form{}}, Parse: as(workspace.ParseForm), Example: `form: group-enquiry
title: Group enquiry
about: Tell us about your group, and we send you a quote.
fields:
  - { field: who, label: Your name, as: name, required: true, save: name }
  - { field: people, label: How many are you?, as: integer, required: true }
  - { field: mail, label: Your e-mail address, as: email, required: true, save: email }
thanks: Thank you. The quote is on its way.
`,
		},
		{
			Name: "flow", Plural: "flows", Title: "Flows", Drafts: true,
			About:  "What happens step by step when something happens: a request is taken, a silent customer is reminded, a form is followed up.",
			Schema: Language.Schema, Parse: as(Language.Parse), Look: Language.Look, Mentions: Language.Mentions, Form: Language.Form, Entries: Language.Entries, Example: `flow: thanks
title: Thanks for a kind word
when:
  - message: { contains: [thank you so much] }
steps:
  - say: "That is kind of you. Have a good crossing!"
  - count: kind word
`,
		},
		{
			Name: "rehearsal", Plural: "rehearsals", Title: "Rehearsals", Titled: true,
			About:  "Scripted conversations with what is expected of bots and flows.",
			Schema: rehearsal.Schema, Parse: as(rehearsal.Parse), Mentions: rehearsal.Mentions, Example: rehearsal.Example,
			Entries: sync.OnceValue(func() map[string][]document.EntryKind { _, entries := readForm("rehearsal"); return entries }),
		},
	}
	for i := range list {
		if list[i].Form == nil {
			list[i].Form = formOf(list[i].Name)
		}
		list[i].Starts = startsOf(list[i].Name)
	}
	return list
}

// as makes the parser of one type of document that of any document.
func as[D document.Document](parse func(string, []byte) (D, error)) func(string, []byte) (document.Document, error) {
	return func(file string, source []byte) (document.Document, error) {
		d, err := parse(file, source)
		if err != nil {
			return nil, err
		}
		return d, nil
	}
}
