package dialogue

import (
	"strings"

	"urgentparrot.example/internal/core/template"
	"urgentparrot.example/internal/core/text"
)

// remember takes up what the customer says of themselves.
func (t *turn) remember() {
	for _, m := range t.Messages {
		for _, d := range []struct{ detail, value string }{
			{"name", text.Name(m.Text)},
			{"email", text.Email(m.Text)},
			{"phone", text.Phone(m.Text, t.Settings.Region)},
		} {
			if d.value == "" || d.value == t.known[d.detail] {
				continue
			}
			t.known[d.detail] = d.value
			t.learnt = append(t.learnt, d.detail)
			t.trace.Learnt = append(t.trace.Learnt, d.detail+": "+d.value)
			t.effects = append(t.effects, Remember{d.detail, d.value, m.ID})
		}
	}
	if name := t.known["name"]; name != "" {
		t.known["first_name"] = strings.Fields(name)[0]
	}
	t.Known = t.known
}

// capture writes the contact's details out once all that the brief needs are
// known, and again when they change.
func (t *turn) capture() {
	capture := t.Brief.Capture
	if capture == nil {
		return
	}
	var fingerprint []string
	for _, detail := range capture.Needs {
		if t.known[detail] == "" {
			return
		}
	}
	details := map[string]string{}
	for _, detail := range template.Details {
		if value := t.known[detail]; value != "" {
			details[detail] = value
			fingerprint = append(fingerprint, detail+"="+value)
		}
	}
	captured := strings.Join(fingerprint, "\n")
	if captured == t.state.Captured {
		return
	}
	t.state.Captured = captured
	if capture.Sheet != "" {
		question := ""
		if len(t.state.Asked) > 0 {
			question = t.state.Asked[0].Question
		}
		cells, err := capture.Cells(t.values(question))
		if err != nil {
			t.trace.Effects = append(t.trace.Effects, "row not written: "+err.Error())
		} else {
			t.effects = append(t.effects, WriteRow{capture.Sheet, cells})
		}
	}
	if capture.CRM != "" {
		t.effects = append(t.effects, Sync{capture.CRM, details})
	}
}
