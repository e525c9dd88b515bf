package client

import (
	"context"
	"io"
	"net/http"
	"net/url"
)

// ContactFilter chooses contacts; the zero value chooses all.
type ContactFilter struct{ Search, Stage, Tag, Field, Value, Channel, Blocked, Cursor string }

func (f ContactFilter) query() string {
	v := url.Values{}
	for name, value := range map[string]string{"search": f.Search, "stage": f.Stage, "tag": f.Tag, "field": f.Field, "value": f.Value, "channel": f.Channel, "blocked": f.Blocked, "cursor": f.Cursor} {
		if value != "" {
			v.Set(name, value)
		}
	}
	return v.Encode()
}

// Contacts returns a page of contacts.
func (c *Client) Contacts(ctx context.Context, f ContactFilter) (page ContactPage, err error) {
	return page, c.get(ctx, "/contacts?"+f.query(), &page)
}

// Contact returns one contact with all that belongs to it.
func (c *Client) Contact(ctx context.Context, id string) (contact ContactDetail, err error) {
	return contact, c.get(ctx, "/contacts/"+url.PathEscape(id), &contact)
}

// AddContact makes a contact that has not written.
func (c *Client) AddContact(ctx context.Context, of ContactChange) (contact ContactDetail, err error) {
	return contact, c.send(ctx, http.MethodPost, "/contacts", nil, of, &contact)
}

// ChangeContact changes what is known of a contact.
func (c *Client) ChangeContact(ctx context.Context, id string, change ContactChange) (contact ContactDetail, err error) {
	return contact, c.send(ctx, http.MethodPatch, "/contacts/"+url.PathEscape(id), nil, change, &contact)
}

// AddContactNote keeps a note about a contact.
func (c *Client) AddContactNote(ctx context.Context, id, text string) (contact ContactDetail, err error) {
	return contact, c.send(ctx, http.MethodPost, "/contacts/"+url.PathEscape(id)+"/notes", nil, NewContactNote{text}, &contact)
}

// PreviewMerge says what would become of two contacts if they were joined.
func (c *Client) PreviewMerge(ctx context.Context, id, with string) (p MergePreview, err error) {
	return p, c.get(ctx, "/contacts/"+url.PathEscape(id)+"/merge?with="+url.QueryEscape(with), &p)
}

// MergeContacts joins a contact with another, which goes.
func (c *Client) MergeContacts(ctx context.Context, id, with string) (contact ContactDetail, err error) {
	return contact, c.send(ctx, http.MethodPost, "/contacts/"+url.PathEscape(id)+"/merge", nil, MergeWith{with}, &contact)
}

// UndoMerge takes two contacts apart that were joined.
func (c *Client) UndoMerge(ctx context.Context, merge string) (contact ContactDetail, err error) {
	return contact, c.send(ctx, http.MethodPost, "/merges/"+url.PathEscape(merge)+"/undo", nil, nil, &contact)
}

// Twins lists contacts that may be one.
func (c *Client) Twins(ctx context.Context) (page TwinPage, err error) {
	return page, c.get(ctx, "/twins", &page)
}

// ImportContacts takes contacts out of a file.
func (c *Client) ImportContacts(ctx context.Context, file ContactFile) (done ImportedContacts, err error) {
	return done, c.send(ctx, http.MethodPost, "/contacts/import", nil, file, &done)
}

// ExportContacts writes contacts to w, as csv, vcard or json.
func (c *Client) ExportContacts(ctx context.Context, format string, f ContactFilter, w io.Writer) error {
	return c.get(ctx, "/contacts/export?format="+url.QueryEscape(format)+"&"+f.query(), w)
}

// WholeContact returns all that is kept of a contact.
func (c *Client) WholeContact(ctx context.Context, id string) (whole WholeContact, err error) {
	return whole, c.get(ctx, "/contacts/"+url.PathEscape(id)+"/export", &whole)
}

// Forget removes a contact everywhere; with copies, also the copies that were made before an
// upgrade.
func (c *Client) Forget(ctx context.Context, id string, copies bool) (f Forgotten, err error) {
	query := ""
	if copies {
		query = "?copies=remove"
	}
	return f, c.send(ctx, http.MethodDelete, "/contacts/"+url.PathEscape(id)+query, nil, nil, &f)
}
