package bot

import (
	"slices"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/tool"
	"urgentparrot.example/internal/core/workspace"
)

// shelf holds the documents of a small workspace.
type shelf map[string]document.Document

func (s shelf) Find(kind, name string) document.Document { return s[kind+"/"+name] }
func (s shelf) Names(string) []string                    { return nil }

func stocked(t *testing.T) shelf {
	t.Helper()
	refund, err := tool.Parse("refund", []byte("tool: refund\ntitle: Money back\ndoes: request\nconnection: till\npath: /refund\napproval: true\nwhen: [\"a?\", \"b?\", \"c?\", \"d?\"]\nsay: [{ text: Done. }]\nsorry: No.\n"))
	if err != nil {
		t.Fatal(err)
	}
	settings, err := workspace.ParseSettings("main", []byte("settings: main\ntitle: The works\nfields:\n  - { field: name, label: Name, type: name }\n  - { field: email, label: E-mail, type: email }\nstages:\n  - { stage: won, label: Won over }\ntags: [vip]\n"))
	if err != nil {
		t.Fatal(err)
	}
	return shelf{
		"tool/refund": refund, "settings/": settings, "team/crew": workspace.Team{Name: "crew", Title: "The crew"},
		"bot/freight": Brief{Name: "freight", Title: "Freight"}, "sheet/asked": workspace.Sheet{Name: "asked", Title: "Asked"}, "connection/book": workspace.Connection{Name: "book", Title: "Client book"},
	}
}

// What a brief grants is told in sentences, by titles, with a few examples; what it does not
// grant is not told, and people can always be asked for.
func TestPowersAreTold(t *testing.T) {
	d := stocked(t)
	for brief, want := range map[string][]string{
		"": {"It keeps what customers say of themselves, for every field that contacts have.", "It asks a person to come in when a customer asks for a person."},
		"tools: [refund, gone]\nremembers: [email, name]\nescalate: { on: [not known, anger], to: team/crew }\n": {
			"It uses the tool Money back, each time once a person has allowed it.", "It uses the tool gone.", "It keeps what customers say of themselves: E-mail and Name. Nothing else.",
			"It asks the team The crew to come in when a customer asks for a person, when it does not know the answer and when the customer is angry.",
		},
		"marks:\n  - { tag: vip, about: spends much., when: [a, b, c, d] }\n  - { tag: vip, on: conversation, when: [a] }\n  - { stage: won, when: [a] }\nremembers: [name]\ncloses: true\nproposes: true\nescalate: { to: desk@example.org }\n": {
			"It keeps what customers say of themselves: Name. Nothing else.", "It tags the contact vip when the customer spends much.", "It tags the conversation vip.", "It sets the contact's stage to Won over.",
			"It asks desk@example.org to come in when a customer asks for a person.", "It proposes a house answer when a customer says that what it offered was meant. A person approves it.", "It ends the conversation when the customer says goodbye and nothing is open.",
		},
		"remembers: [name]\ncapture: { needs: [name, email], sheet: asked, row: { Name: x }, crm: book }\npass:\n  - { to: bot/freight, about: vans., when: [a] }\n  - { to: bot/freight }\n": {
			"It keeps what customers say of themselves: Name. Nothing else.", "It writes a row into the sheet Asked once these are known: Name and E-mail.", "It writes the contact to Client book once these are known: Name and E-mail.",
			"It passes conversations to the bot Freight: vans.", "It passes conversations to the bot Freight where it knows no answer and they do.", "It asks a person to come in when a customer asks for a person.",
		},
	} {
		b, err := Parse("b", []byte("bot: b\nname: B\n"+brief))
		if err != nil {
			t.Fatal(err)
		}
		var says []string
		for _, p := range b.Powers(d) {
			says = append(says, p.Says)
			if len(p.When) > exampled || p.Key == "" {
				t.Errorf("%q has the examples %q, and is granted by %q", p.Says, p.When, p.Key)
			}
		}
		if !slices.Equal(says, want) {
			t.Errorf("%s\nsays:\n%s\nwant:\n%s", brief, strings.Join(says, "\n"), strings.Join(want, "\n"))
		}
	}
}

// A mark is one of two, names what the settings declare, and has examples.
func TestMarksAreChecked(t *testing.T) {
	d := stocked(t)
	for marks, wrong := range map[string]string{
		"{ tag: vip, when: [a] }":                "",
		"{ stage: won, when: [a] }":              "",
		"{ when: [a] }":                          "a tag, or a stage",
		"{ tag: vip, stage: won, when: [a] }":    "a tag, or a stage",
		"{ tag: vip }":                           "give examples",
		"{ tag: vip, on: ship, when: [a] }":      "contact or conversation",
		"{ stage: won, on: contact, when: [a] }": "always the contact's",
		"{ tag: rich, when: [a] }":               "is not a tag of the workspace; the settings declare: vip",
		"{ stage: lost, when: [a] }":             "is not a stage of the workspace; the settings declare: won",
	} {
		b, err := Parse("b", []byte("bot: b\nname: B\nmarks: ["+marks+"]\n"))
		said := ""
		if err != nil {
			said = err.Error()
		}
		for _, r := range b.marksRefers() {
			said += r.Unfit(d.Find("settings", ""))
		}
		if wrong == "" && said != "" || !strings.Contains(said, wrong) {
			t.Errorf("%s: %q, want %q", marks, said, wrong)
		}
	}
}
