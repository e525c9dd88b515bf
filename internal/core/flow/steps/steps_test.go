package steps_test

import (
	"strings"
	"testing"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/flow/steps"
	"urgentparrot.example/internal/core/flow/triggers"
	"urgentparrot.example/internal/core/workspace"
)

var language = &flow.Language{Steps: steps.All, Triggers: triggers.All}

// directory is a workspace for tests: documents by kind and name.
type directory map[string]document.Document

func (d directory) Find(kind, name string) document.Document {
	if found, ok := d[kind+"/"+name]; ok {
		return found
	}
	return nil
}
func (d directory) Names(kind string) (names []string) {
	for key := range d {
		if name, ok := strings.CutPrefix(key, kind+"/"); ok {
			names = append(names, name)
		}
	}
	return names
}

type named string

func (n named) Named() string                { return string(n) }
func (n named) Refers() []document.Reference { return nil }

func ferries(t testing.TB) directory {
	settings, err := workspace.ParseSettings("settings", []byte(`settings: brackwater
title: Brackwater Ferries
time_zone: Europe/London
fields:
  - { field: name, label: Name, type: name }
  - { field: email, label: E-mail, type: email }
  - { field: phone, label: Telephone, type: phone }
  - { field: island, label: Island, type: choice, choices: [Little Sorrel, Hallow Point, Gannet Holm] }
  - { field: trips, label: Trips, type: number }
stages: [ { stage: enquiry, label: Enquiry }, { stage: booked, label: Booked } ]
tags: [group, regular]
`))
	if err != nil {
		t.Fatal(err)
	}
	sheet, _ := workspace.ParseSheet("sheet", []byte("sheet: group-enquiries\ncolumns: [Name, E-mail, People, Received]\n"))
	form, err := workspace.ParseForm("form", []byte("form: group-enquiry\nfields:\n  - { field: who, as: name, required: true, save: name }\n  - { field: people, as: integer, required: true }\n  - { field: mail, as: email, save: email }\n"))
	if err != nil {
		t.Fatal(err)
	}
	hand, err := language.Parse("hand", []byte("flow: thanks\nwhen: by hand\nsteps:\n  - say: Thank you.\n"))
	if err != nil {
		t.Fatal(err)
	}
	needy, err := language.Parse("needy", []byte("flow: needy\nwhen:\n  - by hand: { with: [boat, day?] }\nsteps:\n  - note: x\n"))
	if err != nil {
		t.Fatal(err)
	}
	return directory{
		"flow/needy": needy, "settings/": settings, "sheet/group-enquiries": sheet, "form/group-enquiry": form, "channel/website": named("website"), "channel/text-line": named("text-line"),
		"bot/front-desk": named("front-desk"), "team/crew": named("crew"), "person/robin": named("robin"), "hours/ticket-office": named("ticket-office"),
		"connection/client-book": named("client-book"), "connection/office-mail": named("office-mail"), "tool/timetable": named("timetable"), "flow/thanks": hand,
	}
}
