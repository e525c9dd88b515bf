package connect

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/outbound"
)

// claimed begins what the note of a record says of what nobody has verified.
const claimed = "as said by the customer"

// SyncContact writes what is known of a contact to the CRM, by the names of the
// workspace's fields, and returns the id of the record that stands for the contact.
//
// own is that id, where a record was made for the contact before. Otherwise a record
// is looked for by what is verified, an e-mail address or a telephone number, and it
// must really have it. Where there is none, one is made that says that it is claimed:
// what a customer merely claims never finds anybody's record, and never fills in one
// that was not made of claims. Values that a record has are kept; what differs goes
// into its note. The key makes a repeat harmless.
func SyncContact(ctx context.Context, e Endpoint, fields contact.Fields, known contact.Memory, own, key string) (id string, err error) {
	there, err := record(ctx, e, own)
	made := there != nil // of this contact's claims
	if there == nil && err == nil {
		there, err = findContact(ctx, e, fields, known)
	}
	switch {
	case err != nil:
		return "", err
	case there == nil:
		record := map[string]string{"note": claimed}
		for _, f := range fields {
			record[f.Name] = known[f.Name].Value
		}
		var created struct {
			ID any `json:"id"`
		}
		if err := e.call(ctx, http.MethodPost, "/people", key, record, &created); err != nil || created.ID == nil {
			return "", err
		}
		return fmt.Sprint(created.ID), nil
	case there["id"] == nil || there["id"] == "":
		return "", fmt.Errorf("%w: %s gave a person without an id", outbound.ErrRefused, e.Title)
	}
	id = fmt.Sprint(there["id"])
	changes := changesTo(there, fields, known, made)
	if len(changes) == 0 {
		return id, nil
	}
	return id, e.call(ctx, http.MethodPatch, "/people/"+url.PathEscape(id), key, changes, nil)
}

// changesTo returns what a record lacks. What is only claimed goes into the note,
// unless the record was made of claims and lacks it.
func changesTo(there map[string]any, fields contact.Fields, known contact.Memory, made bool) map[string]string {
	changes := map[string]string{}
	note, _ := there["note"].(string)
	before := note
	for _, f := range fields {
		fact := known[f.Name]
		has, _ := there[f.Name].(string)
		switch {
		case fact.Value == "" || strings.EqualFold(has, fact.Value):
		case has == "" && (fact.Verified || made):
			changes[f.Name] = fact.Value
		default:
			says := f.Label + ": " + fact.Value
			if !fact.Verified {
				says += " (" + claimed + ")"
			}
			if !strings.Contains(note, says) {
				note = strings.TrimSpace(note + "\n" + says)
			}
		}
	}
	if note != before {
		changes["note"] = note
	}
	return changes
}

// record returns a record by its id, nil if there is none.
func record(ctx context.Context, e Endpoint, id string) (there map[string]any, err error) {
	if id == "" {
		return nil, nil
	}
	if err = e.call(ctx, http.MethodGet, "/people/"+url.PathEscape(id), "", nil, &there); errors.Is(err, errNotThere) {
		return nil, nil
	}
	return there, err
}

// findContact returns the record that has what is verified of the contact, nil if
// there is none.
func findContact(ctx context.Context, e Endpoint, fields contact.Fields, known contact.Memory) (map[string]any, error) {
	for _, kind := range []contact.Type{contact.Email, contact.Phone} {
		by, ok := fields.Of(kind)
		fact := known[by.Name]
		if !ok || fact.Value == "" || !fact.Verified {
			continue
		}
		var found struct {
			Items []map[string]any `json:"items"`
		}
		if err := e.call(ctx, http.MethodGet, "/people?"+url.Values{by.Name: {fact.Value}}.Encode(), "", nil, &found); err != nil {
			return nil, err
		}
		for _, item := range found.Items {
			if has, _ := item[by.Name].(string); strings.EqualFold(has, fact.Value) {
				return item, nil
			}
		}
	}
	return nil, nil
}
