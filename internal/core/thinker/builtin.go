package thinker

import (
	"errors"
	"strings"

	"urgentparrot.example/internal/core/text"
)

// BuiltIn thinks by what ships with the product: plainly, at once, and with nothing to ask.
// The turn itself answers with it, where it can offer and ask back. What it has no means
// for, it says.
type BuiltIn struct {
	Hear  func(said string) map[string]string          // takes values for fields out of a text, by their forms
	Like  func(said string, examples []string) float64 // likeness of a text to the nearest example, 0 to 1
	Words func(fact string) string                     // makes a sentence of a fact
}

// likely is how like its examples a text must be to have a label, and clear by how much more
// than those of any other.
const (
	likely  = 0.6
	clearly = 0.05
)

// Ask is Thinker's: there is nothing to ask.
func (BuiltIn) Ask(Task) *Request { return nil }

// Read is Thinker's.
func (b BuiltIn) Read(t Task, _ *Reply) (o Outcome, err error) {
	switch {
	case t.Kind == Search:
		for _, l := range t.Looks[:min(len(t.Looks), t.most(12))] {
			o.Chosen = append(o.Chosen, l.ID)
		}
	case t.Kind == Extract && b.Hear != nil:
		o.Values = map[string]string{}
		heard := b.Hear(t.Said)
		for _, f := range t.Fields {
			if value := heard[f.Name]; value != "" {
				o.Values[f.Name] = value
			} else if f.Type == "choice" {
				if value := chosenIn(t.Said, f.Choices); value != "" {
					o.Values[f.Name] = value
				}
			}
		}
	case t.Kind == Classify && b.Like != nil:
		best, second := 0.0, 0.0
		for _, l := range t.Labels {
			switch like := b.Like(t.Said, append([]string{l.About}, l.Examples...)); {
			case like > best:
				best, second, o.Label = like, best, l.Name
			case like > second:
				second = like
			}
		}
		if best < likely || best-second < clearly {
			o.Label = ""
		}
	case t.Kind == Choose && b.Like != nil:
		best := likely
		for _, act := range t.Acts {
			if like := b.Like(t.Said, []string{act.About}); like >= best {
				best, o.Calls = like, []Call{{Name: act.Name}}
			}
		}
	case t.Kind == Phrase && b.Words != nil:
		o.Text = b.Words(t.Said)
	case t.Kind == Summarise:
		o.Text = asked(t.Talk)
	case t.Kind == Ask:
		// It has no words but those of the passage, by which that is found already.
	default:
		return o, errors.New("the built-in thinker cannot do that by itself")
	}
	return o, nil
}

// chosenIn is the choice that a text names, "" if it names none or several.
func chosenIn(said string, choices []string) (chosen string) {
	for _, c := range choices {
		if strings.Contains(" "+strings.Join(strings.Fields(text.Fold(said)), " ")+" ", text.Fold(c)) {
			if chosen != "" {
				return ""
			}
			chosen = c
		}
	}
	return chosen
}

// asked picks what a customer asked in a talk, and what they said last.
func asked(talk []Line) string {
	var parts []string
	last := ""
	for _, line := range talk {
		if line.By != "customer" {
			continue
		}
		last = text.Squeeze(line.Text)
		for _, span := range text.Typed(line.Text) {
			if s := line.Text[span.Start:span.End]; strings.HasSuffix(strings.TrimSpace(s), "?") && len(parts) < 4 {
				parts = append(parts, text.Squeeze(s))
			}
		}
	}
	if len(parts) == 0 {
		return last
	}
	return "Asked: " + strings.Join(parts, " ")
}
