package bot

import (
	"fmt"
	"strings"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/tool"
	"urgentparrot.example/internal/core/workspace"
)

// A Mark is a tag that a bot may give, or a stage that it may set, when a customer says
// something like its examples.
type Mark struct {
	Tag   string   `yaml:"tag"`   // one of both
	Stage string   `yaml:"stage"` // of the contact
	On    string   `yaml:"on"`    // what is tagged: contact (if left out), conversation
	About string   `yaml:"about"` // in plain words: "is travelling with children"
	When  []string `yaml:"when"`  // examples of what customers say then
}

// OnConversation reports whether the conversation is marked, not the contact.
func (m Mark) OnConversation() bool { return m.On == "conversation" }

// Named is what the mark is called, for a model and for people: "tag freight".
func (m Mark) Named() string {
	if m.Stage != "" {
		return "stage " + m.Stage
	}
	return "tag " + m.Tag
}

func (b Brief) checkMarks(c *document.Checker) {
	for i, m := range b.Marks {
		at := fmt.Sprintf("$.marks[%d]", i)
		switch {
		case (m.Tag == "") == (m.Stage == ""):
			c.Wrong(at, "say what is marked: a tag, or a stage")
		case m.On != "" && m.On != "contact" && m.On != "conversation":
			c.Wrong(at+".on", "%q is not known here; it is contact or conversation", m.On)
		case m.Stage != "" && m.On != "":
			c.Wrong(at+".on", "a stage is always the contact's")
		case len(m.When) == 0:
			c.Wrong(at+".when", "give examples of what customers say then")
		}
	}
}

func (b Brief) marksRefers() (refers []document.Reference) {
	for i, m := range b.Marks {
		if m.Tag != "" {
			refers = append(refers, workspace.TagKnown(fmt.Sprintf("$.marks[%d].tag", i), m.Tag))
		}
		if m.Stage != "" {
			refers = append(refers, workspace.StageKnown(fmt.Sprintf("$.marks[%d].stage", i), m.Stage))
		}
	}
	return refers
}

// A Power is something that a bot may do beside answering from its knowledge, in a plain
// sentence, with examples of what customers say when it does.
type Power struct {
	Says string   `json:"says"`
	When []string `json:"when,omitempty"`
	Key  string   `json:"key"` // of the brief, that grants it
}

// exampled is how many examples are told of a power.
const exampled = 3

// Powers are all that the bot may do beside answering, one by one: what does not stand there
// cannot happen, whatever a customer or a model says. Names are told by the titles that the
// directory has for them.
func (b Brief) Powers(d document.Directory) (powers []Power) {
	may := func(key string, when []string, format string, args ...any) {
		powers = append(powers, Power{Says: fmt.Sprintf(format, args...), When: when[:min(len(when), exampled)], Key: key})
	}
	for _, name := range b.Tools {
		title, when, once := name, []string(nil), ""
		if t, ok := d.Find("tool", name).(tool.Tool); ok {
			if t.Title != "" {
				title = t.Title
			}
			if when = t.When; t.Approval {
				once = ", each time once a person has allowed it"
			}
		}
		may("tools", when, "It uses the tool %s%s.", title, once)
	}
	settings, _ := d.Find("settings", "").(workspace.Settings)
	label := func(fields []string) string {
		labels := make([]string, len(fields))
		for i, name := range fields {
			if labels[i] = name; settings.Fields != nil {
				if field, ok := settings.Fields.Named(name); ok {
					labels[i] = field.Label
				}
			}
		}
		return listed(labels)
	}
	if len(b.Remembers) == 0 {
		may("remembers", nil, "It keeps what customers say of themselves, for every field that contacts have.")
	} else {
		may("remembers", nil, "It keeps what customers say of themselves: %s. Nothing else.", label(b.Remembers))
	}
	if c := b.Capture; c != nil && c.Sheet != "" {
		may("capture", nil, "It writes a row into the sheet %s once these are known: %s.", titled(d, "sheet", c.Sheet), label(c.Needs))
	}
	if c := b.Capture; c != nil && c.CRM != "" {
		may("capture", nil, "It writes the contact to %s once these are known: %s.", titled(d, "connection", c.CRM), label(c.Needs))
	}
	for _, m := range b.Marks {
		about := ""
		if m.About != "" {
			about = " when the customer " + strings.TrimRight(m.About, ".")
		}
		switch {
		case m.Stage != "":
			stage := m.Stage
			for _, s := range settings.Stages {
				if s.Name == m.Stage {
					stage = s.Label
				}
			}
			may("marks", m.When, "It sets the contact's stage to %s%s.", stage, about)
		case m.OnConversation():
			may("marks", m.When, "It tags the conversation %s%s.", m.Tag, about)
		default:
			may("marks", m.When, "It tags the contact %s%s.", m.Tag, about)
		}
	}
	for _, p := range b.Pass {
		kind, name, _ := strings.Cut(p.To, "/")
		about := " where it knows no answer and they do"
		if p.About != "" {
			about = ": " + strings.TrimRight(p.About, ".")
		}
		may("pass", p.When, "It passes conversations to the %s %s%s.", kind, titled(d, kind, name), about)
	}
	may("escalate", nil, "%s", b.asksPeople(d))
	if b.Proposes {
		may("proposes", nil, "It proposes a house answer when a customer says that what it offered was meant. A person approves it.")
	}
	if b.Closes {
		may("closes", nil, "It ends the conversation when the customer says goodbye and nothing is open.")
	}
	return powers
}

// asksPeople says when people come in.
func (b Brief) asksPeople(d document.Directory) string {
	to := "a person"
	if kind, name, is := strings.Cut(b.Escalate.To, "/"); is {
		to = "the " + kind + " " + titled(d, kind, name)
	} else if b.Escalate.To != "" {
		to = b.Escalate.To
	}
	when := []string{"when a customer asks for a person"}
	for _, on := range b.Escalate.On {
		switch on {
		case OnNotKnown:
			when = append(when, "when it does not know the answer")
		case OnAnger:
			when = append(when, "when the customer is angry")
		}
	}
	return fmt.Sprintf("It asks %s to come in %s.", to, listed(when))
}

// titled is what people call a document, its name if it has no title or is not there.
func titled(d document.Directory, kind, name string) string {
	switch t := d.Find(kind, name).(type) {
	case Brief:
		return orName(t.Title, name)
	case workspace.Team:
		return orName(t.Title, name)
	case workspace.Person:
		return orName(t.Title, name)
	case workspace.Sheet:
		return orName(t.Title, name)
	case workspace.Connection:
		return orName(t.Title, name)
	}
	return name
}

func orName(title, name string) string {
	if title == "" {
		return name
	}
	return title
}

func listed(list []string) string {
	if len(list) < 2 {
		return strings.Join(list, "")
	}
	return strings.Join(list[:len(list)-1], ", ") + " and " + list[len(list)-1]
}
