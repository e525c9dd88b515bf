package engine

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/store"
)

// Contacts are those who wrote, and what is known of them.
type Contacts struct{ w *Workspace }

// A ContactEdit is what a person changes about a contact.
type ContactEdit struct {
	Facts map[string]string // by field; "" removes what is known
	Stage *string           // nil: as it is; "" for none
	Tags  *[]string         // nil: as they are

	Blocked *bool // whether it is answered, and flows start for it; nil: as it is
}

// ErrUnknown is wrapped by errors of what the workspace's settings do not declare,
// or of values that do not fit a field.
var ErrUnknown = errors.New("")

// Change changes a contact. What a person enters is verified by them.
func (c *Contacts) Change(ctx context.Context, id, person string, edit ContactEdit) error {
	settings, now := c.w.Documents.Settings(), c.w.Clock.Now()
	change := store.ContactChange{Blocked: edit.Blocked}
	for name, typed := range edit.Facts {
		field, ok := settings.Fields.Named(name)
		if !ok {
			return fmt.Errorf("%wthere is no field called %q; fields are declared in the settings", ErrUnknown, name)
		}
		change.Forget = append(change.Forget, name)
		if typed == "" {
			continue
		}
		value, err := field.Read(typed, settings.Region, now.In(settings.Zone()))
		if err != nil {
			return fmt.Errorf("%w%w", ErrUnknown, err)
		}
		change.Facts = append(change.Facts, *vouched(field, value, person, now))
	}
	if change.Stage = edit.Stage; edit.Stage != nil && *edit.Stage != "" && !slices.ContainsFunc(settings.Stages, func(s workspace.Stage) bool { return s.Name == *edit.Stage }) {
		return fmt.Errorf("%wthere is no stage called %q; stages are declared in the settings", ErrUnknown, *edit.Stage)
	}
	if edit.Tags != nil {
		change.Tags, change.SetTags = *edit.Tags, true
		for _, tag := range change.Tags {
			if !slices.Contains(settings.Tags, tag) {
				return fmt.Errorf("%wthere is no tag called %q; tags are declared in the settings", ErrUnknown, tag)
			}
		}
	}
	return c.w.write(ctx, func(tx *store.Tx) error { return tx.ChangeContact(id, change, now) })
}

// vouched is a fact that somebody vouches for.
func vouched(field contact.Field, value, by string, at time.Time) *store.Fact {
	return &store.Fact{Fact: contact.Fact{Field: field.Name, Value: value, Verified: true}, VerifiedBy: by, LearntAt: at}
}
