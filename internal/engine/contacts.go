package engine

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/exchange"
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
	NoBots  *bool // whether bots do not write to it; nil: as it is
}

// ErrUnknown is wrapped by errors of what the workspace's settings do not declare,
// or of values that do not fit a field.
var ErrUnknown = errors.New("")

// Change changes a contact. What a person enters is verified by them.
func (c *Contacts) Change(ctx context.Context, id, person string, edit ContactEdit) error {
	now := c.w.Clock.Now()
	change, err := c.read(edit, person)
	if err != nil {
		return err
	}
	return c.w.write(ctx, func(tx *store.Tx) error { return tx.ChangeContact(id, change, now) })
}

// read takes what a person typed for what it is; what does not fit is ErrUnknown.
func (c *Contacts) read(edit ContactEdit, person string) (change store.ContactChange, err error) {
	settings, now := c.w.Documents.Settings(), c.w.Clock.Now()
	change = store.ContactChange{Blocked: edit.Blocked, NoBots: edit.NoBots}
	for name, typed := range edit.Facts {
		field, ok := settings.Fields.Named(name)
		if !ok {
			return change, fmt.Errorf("%wthere is no field called %q; fields are declared in the settings", ErrUnknown, name)
		}
		change.Forget = append(change.Forget, name)
		if typed == "" {
			continue
		}
		value, err := field.Read(typed, settings.Region, now.In(settings.Zone()))
		if err != nil {
			return change, fmt.Errorf("%w%w", ErrUnknown, err)
		}
		change.Facts = append(change.Facts, *vouched(field, value, person, now))
	}
	if change.Stage = edit.Stage; edit.Stage != nil && *edit.Stage != "" && !slices.ContainsFunc(settings.Stages, func(s workspace.Stage) bool { return s.Name == *edit.Stage }) {
		return change, fmt.Errorf("%wthere is no stage called %q; stages are declared in the settings", ErrUnknown, *edit.Stage)
	}
	if edit.Tags != nil {
		change.Tags, change.SetTags = *edit.Tags, true
		for _, tag := range change.Tags {
			if !slices.Contains(settings.Tags, tag) {
				return change, fmt.Errorf("%wthere is no tag called %q; tags are declared in the settings", ErrUnknown, tag)
			}
		}
	}
	return change, nil
}

// Add makes a contact that has not written, of what a person enters.
func (c *Contacts) Add(ctx context.Context, person string, edit ContactEdit) (id string, err error) {
	change, err := c.read(edit, person)
	if err != nil {
		return "", err
	}
	if len(change.Facts) == 0 {
		return "", fmt.Errorf("%wenter something by which the contact is told, such as a name", ErrUnknown)
	}
	stage := ""
	if change.Stage != nil {
		stage = *change.Stage
	}
	err = c.w.write(ctx, func(tx *store.Tx) (err error) {
		id, err = tx.AddContact(change.Facts, nil, stage, change.Tags, c.w.Clock.Now())
		return err
	})
	return id, err
}

// Note keeps what a person notes about a contact.
func (c *Contacts) Note(ctx context.Context, id, person, words string) error {
	return c.w.write(ctx, func(tx *store.Tx) error { return tx.AddContactNote(id, words, person, c.w.Clock.Now()) })
}

// RemoveNote removes a note about a contact.
func (c *Contacts) RemoveNote(ctx context.Context, id, note string) error {
	return c.w.write(ctx, func(tx *store.Tx) error { return tx.RemoveContactNote(id, note, c.w.Clock.Now()) })
}

// Merge joins a contact with another, which stands for both from then on. It returns an id by
// which Unmerge undoes it.
func (c *Contacts) Merge(ctx context.Context, kept, gone, person string) (id string, err error) {
	err = c.w.write(ctx, func(tx *store.Tx) (err error) {
		id, err = tx.MergeContacts(kept, gone, person, c.w.Clock.Now())
		return err
	})
	return id, err
}

// Unmerge makes two contacts of one that were joined, and returns both.
func (c *Contacts) Unmerge(ctx context.Context, id string) (kept, gone string, err error) {
	err = c.w.write(ctx, func(tx *store.Tx) (err error) {
		kept, gone, err = tx.UnmergeContacts(id, c.w.Clock.Now())
		return err
	})
	return kept, gone, err
}

// Merged is what would become of two contacts if they were joined.
type Merged struct {
	Facts         []store.Fact // what would hold
	Lost          []store.Fact // what would not hold any more, though it is kept
	Conversations int          // that would come along
}

// Preview says what would become of two contacts if the second were joined with the first.
func (c *Contacts) Preview(ctx context.Context, kept, gone string) (m Merged, err error) {
	a, err := c.w.store.Contact(ctx, kept)
	if err != nil {
		return m, err
	}
	b, err := c.w.store.Contact(ctx, gone)
	if err != nil {
		return m, err
	}
	if a.ID == b.ID || a.Merged != "" || b.Merged != "" {
		return m, store.ErrMerged
	}
	talks, err := c.w.store.ConversationsOf(ctx, gone, 1000)
	m.Conversations = len(talks)
	for _, f := range a.Facts {
		at := slices.IndexFunc(b.Facts, func(other store.Fact) bool { return other.Field == f.Field })
		if at < 0 {
			m.Facts = append(m.Facts, f)
			continue
		}
		holds, lost := f, b.Facts[at]
		if lost.Verified != holds.Verified && lost.Verified || lost.Verified == holds.Verified && lost.LearntAt.After(holds.LearntAt) {
			holds, lost = lost, holds
		}
		m.Facts = append(m.Facts, holds)
		if lost.Value != holds.Value {
			m.Lost = append(m.Lost, lost)
		}
	}
	for _, f := range b.Facts {
		if !slices.ContainsFunc(a.Facts, func(other store.Fact) bool { return other.Field == f.Field }) {
			m.Facts = append(m.Facts, f)
		}
	}
	return m, err
}

// mostTwins is how many pairs of contacts are shown that may be one.
const mostTwins = 100

// Twins returns contacts that may be one.
func (c *Contacts) Twins(ctx context.Context) ([]store.Twin, error) {
	var own []string
	for _, f := range c.w.Documents.Settings().Fields {
		if f.Type == contact.Email || f.Type == contact.Phone {
			own = append(own, f.Name)
		}
	}
	return c.w.store.Twins(ctx, own, mostTwins)
}

// Imported is what became of a file of contacts.
type Imported struct {
	Added, Changed, Same int
	Wrong                []string // what could not be taken, and where
	Left                 []string // columns and details that are no fields
}

// mostWrong is how many of the things that are wrong in a file are told.
const mostWrong = 50

// Import takes contacts out of a file. Who is known by a verified mail address or telephone
// number gets what is not known yet, and nothing in place of what is; others are added. With
// look nothing is kept, and what would become of it is told.
func (c *Contacts) Import(ctx context.Context, format exchange.Format, raw []byte, person string, look bool) (out Imported, err error) {
	settings, now := c.w.Documents.Settings(), c.w.Clock.Now()
	people, left, err := exchange.Read(format, raw, settings.Fields)
	out.Left = left
	if err != nil {
		return out, fmt.Errorf("%w%w", ErrUnknown, err)
	}
	wrong := func(p exchange.Person, err error) {
		if len(out.Wrong) < mostWrong {
			out.Wrong = append(out.Wrong, fmt.Sprintf("%d: %v", p.Line, err))
		}
	}
	fresh := map[string]bool{} // verified details of those that this file adds
	for _, p := range people {
		edit := ContactEdit{Facts: p.Details}
		if p.Stage != "" {
			edit.Stage = &p.Stage
		}
		if len(p.Tags) > 0 {
			edit.Tags = &p.Tags
		}
		change, err := c.read(edit, person)
		if err != nil {
			wrong(p, err)
			continue
		}
		known, err := c.knownBy(ctx, change.Facts)
		if err != nil {
			return out, err
		}
		own := func(f store.Fact) string { return f.Field + "\x00" + strings.ToLower(f.Value) }
		if known == nil && slices.ContainsFunc(change.Facts, func(f store.Fact) bool { return isOwn(settings, f.Field) && fresh[own(f)] }) {
			wrong(p, errors.New("somebody in this file has the same address or number already"))
			continue
		}
		if known != nil {
			if change = missingOf(*known, change); len(change.Facts) == 0 && change.Stage == nil && !change.SetTags {
				out.Same++
				continue
			}
			out.Changed++
		} else {
			out.Added++
			for _, f := range change.Facts {
				if isOwn(settings, f.Field) {
					fresh[own(f)] = true
				}
			}
		}
		if look {
			continue
		}
		if err := c.w.write(ctx, func(tx *store.Tx) error {
			id := ""
			if known != nil {
				id = known.ID
				if err := tx.ChangeContact(id, change, now); err != nil {
					return err
				}
			} else {
				stage := ""
				if change.Stage != nil {
					stage = *change.Stage
				}
				var handles []store.Handle
				for _, h := range p.Handles {
					handles = append(handles, store.Handle(h))
				}
				if id, err = tx.AddContact(change.Facts, handles, stage, change.Tags, now); err != nil {
					return err
				}
			}
			for _, note := range p.Notes {
				if err := tx.AddContactNote(id, note, person, now); err != nil {
					return err
				}
			}
			return nil
		}); err != nil {
			return out, err
		}
	}
	return out, nil
}

// isOwn reports whether a field holds what is one person's alone.
func isOwn(settings workspace.Settings, field string) bool {
	f, ok := settings.Fields.Named(field)
	return ok && (f.Type == contact.Email || f.Type == contact.Phone)
}

// knownBy returns the contact of whom an address or number is verified, nil if there is none.
func (c *Contacts) knownBy(ctx context.Context, facts []store.Fact) (*store.Contact, error) {
	for _, f := range facts {
		if !isOwn(c.w.Documents.Settings(), f.Field) {
			continue
		}
		list, err := c.w.store.Contacts(ctx, store.ContactFilter{Field: f.Field, Value: f.Value, Limit: 20})
		if err != nil {
			return nil, err
		}
		for _, known := range list {
			if slices.ContainsFunc(known.Facts, func(k store.Fact) bool {
				return k.Field == f.Field && k.Verified && strings.EqualFold(k.Value, f.Value)
			}) {
				return &known, nil
			}
		}
	}
	return nil, nil
}

// missingOf leaves of a change what is not known of a contact yet.
func missingOf(known store.Contact, change store.ContactChange) store.ContactChange {
	change.Forget = nil
	change.Facts = slices.DeleteFunc(change.Facts, func(f store.Fact) bool {
		return slices.ContainsFunc(known.Facts, func(k store.Fact) bool { return k.Field == f.Field && (k.Verified || k.Value == f.Value) })
	})
	if known.Stage != "" {
		change.Stage = nil
	}
	before := len(known.Tags)
	for _, tag := range change.Tags {
		if !slices.Contains(known.Tags, tag) {
			known.Tags = append(known.Tags, tag)
		}
	}
	change.Tags, change.SetTags = known.Tags, len(known.Tags) > before
	return change
}

// People returns contacts as they are written to files.
func (c *Contacts) People(ctx context.Context, f store.ContactFilter) (people []exchange.Person, err error) {
	f.Limit = exchange.Most
	list, err := c.w.store.Contacts(ctx, f)
	if err != nil {
		return nil, err
	}
	for _, known := range list {
		p := exchange.Person{Details: map[string]string{}, Stage: known.Stage, Tags: known.Tags}
		for _, fact := range known.Facts {
			p.Details[fact.Field] = fact.Value
		}
		handles, err := c.w.store.Handles(ctx, known.ID)
		if err != nil {
			return nil, err
		}
		for _, h := range handles {
			p.Handles = append(p.Handles, exchange.Handle(h))
		}
		people = append(people, p)
	}
	return people, nil
}

// Forget removes a contact and all that belongs to it or names it, from the records, the files
// of sheets and the free space of the file. What is still in copies that were made before an
// upgrade is in those until they expire; with copies, they are removed at once. It returns the
// copies that remain.
func (c *Contacts) Forget(ctx context.Context, id string, copies bool) (remain []store.Copy, err error) {
	w := c.w
	talks, err := w.store.ConversationsOf(ctx, id, 1_000_000)
	if err != nil {
		return nil, err
	}
	var gone store.Forgotten
	if err := w.write(ctx, func(tx *store.Tx) (err error) {
		gone, err = tx.Forget(id, w.Clock.Now())
		return err
	}); err != nil {
		return nil, err
	}
	for _, talk := range talks {
		w.Outbox.hush(talk.ID)
		w.hub.signal(customerTopic(talk.Channel, talk.Address))
	}
	for _, sheet := range gone.Sheets {
		if err := w.Sheets.writeFile(ctx, sheet); err != nil {
			return nil, err
		}
	}
	for _, hash := range gone.Files {
		if err := w.detach(hash); err != nil {
			return nil, err
		}
	}
	if gone.House {
		if err := w.Library.Reindex(ctx); err != nil {
			return nil, err
		}
	}
	if len(gone.Documents) > 0 {
		if err := w.reload(ctx); err != nil {
			return nil, err
		}
	}
	path := filepath.Join(w.folder, file)
	if remain, err = store.Copies(path); err != nil {
		return nil, err
	}
	if copies {
		for _, made := range remain {
			if err := os.Remove(made.File); err != nil {
				return nil, err
			}
		}
		remain = nil
	}
	return remain, w.store.Compact(ctx)
}

// sweepCopies removes the copies that were made before an upgrade and have expired.
func (w *Workspace) sweepCopies() error {
	list, err := store.Copies(filepath.Join(w.folder, file))
	for _, made := range list {
		if err == nil && w.Clock.Now().After(made.Expires) {
			err = os.Remove(made.File)
		}
	}
	return err
}

// vouched is a fact that somebody vouches for.
func vouched(field contact.Field, value, by string, at time.Time) *store.Fact {
	return &store.Fact{Fact: contact.Fact{Field: field.Name, Value: value, Verified: true}, VerifiedBy: by, LearntAt: at}
}
