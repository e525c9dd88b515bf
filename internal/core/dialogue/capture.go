package dialogue

import "strings"

// remember takes up what the customer says of themselves. It is a claim: what is
// verified stays as it is.
func (t *turn) remember() {
	for _, m := range t.Messages {
		for _, fact := range t.Settings.Fields.Hear(m.Text, t.Settings.Region) {
			before := t.Memory[fact.Field]
			if fact.Value == before.Value || before.Verified || !t.Brief.MayRemember(fact.Field) {
				continue
			}
			t.Memory = t.Memory.With(fact)
			field, _ := t.Settings.Fields.Named(fact.Field)
			t.learnt = append(t.learnt, fact.Field)
			t.trace.Learnt = append(t.trace.Learnt, field.Label+": "+field.Shown(fact.Value))
			t.effects = append(t.effects, Remember{fact, m.ID})
		}
	}
}

// capture writes what is known of the contact out once all that the brief needs
// is known, and again when it changes.
func (t *turn) capture() {
	capture := t.Brief.Capture
	if capture == nil {
		return
	}
	for _, need := range capture.Needs {
		if t.Memory[need].Value == "" {
			return
		}
	}
	var fingerprint []string
	for _, f := range t.Settings.Fields {
		if value := t.Memory[f.Name].Value; value != "" {
			fingerprint = append(fingerprint, f.Name+"="+value)
		}
	}
	captured := strings.Join(fingerprint, "\n")
	if capture.Sheet != "" && captured != t.next.Captured {
		question := ""
		if all := t.next.Questions(); len(all) > 0 {
			question = all[0].Question
		}
		cells, err := capture.Cells(t.values(question))
		if err != nil { // it is tried again with the next turn
			t.trace.Effects = append(t.trace.Effects, "row not written: "+err.Error())
		} else {
			t.next.Captured = captured
			t.effects = append(t.effects, WriteRow{Sheet: capture.Sheet, Cells: cells})
		}
	}
	if capture.CRM != "" && captured != t.next.Synced {
		t.next.Synced = captured
		t.effects = append(t.effects, Sync{capture.CRM, t.Memory})
	}
}
