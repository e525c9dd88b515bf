// Package form cleans what people type into forms, as a question of a flow cleans a reply:
// "my mail is ada at example.org" gives the address.
package form

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/workspace"
)

// An Entry is what was sent with a form.
type Entry struct {
	Values   map[string]any // by field: cleaned, or as it was said
	Doubtful []string       // fields that could not be cleaned, and are as they were said
	Facts    []contact.Fact // what it says of the contact: claims
}

// Missing says which fields a form needs and did not get, and why, by field.
type Missing map[string]string

func (m Missing) Error() string {
	return strings.Join(slices.Sorted(maps.Values(m)), "; ")
}

// mostTyped is the longest text of one field, in letters.
const mostTyped = 5_000

// Clean reads what was typed, by field. Fields that the form does not have are left out.
// A field that it needs and that is empty, or one that is too long, is Missing.
func Clean(f workspace.Form, typed map[string]string, settings workspace.Settings, now time.Time) (e Entry, err error) {
	e.Values = map[string]any{}
	missing := Missing{}
	for _, field := range f.Fields {
		said := strings.TrimSpace(text.Plain(typed[field.Name]))
		switch {
		case said == "" && field.Required:
			missing[field.Name] = field.Label + " is needed"
			continue
		case len([]rune(said)) > mostTyped:
			missing[field.Name] = fmt.Sprintf("%s has more than %d characters", field.Label, mostTyped)
			continue
		case said == "":
			continue
		}
		rd := flow.Read{As: field.As, Choices: field.Choices}
		value, ok := rd.Hear(said, flow.Hearing{Speech: settings.Speech(), Region: settings.Region, Now: now, Asked: true})
		if t, is := value.(time.Time); is {
			value = t.Format(time.DateOnly)
		}
		if !ok {
			value = said
			e.Doubtful = append(e.Doubtful, field.Name)
		}
		e.Values[field.Name] = value
		if field.To == "" || !ok {
			continue
		}
		if to, there := settings.Fields.Named(field.To); there {
			if fits, err := to.Read(fmt.Sprint(value), settings.Region, now); err == nil {
				e.Facts = append(e.Facts, contact.Fact{Field: field.To, Value: fits})
			}
		}
	}
	if len(missing) > 0 {
		return e, missing
	}
	return e, nil
}
