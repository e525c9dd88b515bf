package api

import (
	"bytes"
	"fmt"
	"net/http"
	"strings"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/exchange"
	"urgentparrot.example/internal/problem"
	"urgentparrot.example/internal/store"
)

// contactsAtOnce is how many contacts are on a page.
const contactsAtOnce = 100

func (q *request) contactFilter() store.ContactFilter {
	return store.ContactFilter{
		Search: q.Query("search"), Stage: q.Query("stage"), Tag: q.Query("tag"), Field: q.Query("field"), Value: q.Query("value"),
		Channel: q.Query("channel"), Blocked: q.Query("blocked") == "true", Before: q.Query("cursor"),
	}
}

func listContacts(q *request) (client.ContactPage, error) {
	f := q.contactFilter()
	f.Limit = contactsAtOnce
	list, err := q.workspace.Store().Contacts(q.Request.Context(), f)
	page := client.ContactPage{Items: make([]client.Contact, len(list))}
	for i, c := range list {
		page.Items[i] = q.contact(c)
	}
	if len(list) == contactsAtOnce {
		page.Next = list[len(list)-1].ID
	}
	return page, err
}

func (q *request) contact(c store.Contact) client.Contact {
	name := ""
	for _, f := range c.Facts {
		if f.Field == q.nameField() {
			name = f.Value
		}
	}
	who := "nobody in particular"
	switch {
	case name != "" || c.Channel != "":
		who = q.workspace.Channels.Who(name, c.Channel, c.Address)
	case len(c.Facts) > 0:
		who = c.Facts[0].Value
	}
	return client.Contact{
		ID: c.ID, Channel: c.Channel, Address: c.Address, Who: who,
		Stage: c.Stage, Tags: c.Tags, Blocked: c.Blocked, NoBots: c.NoBots, Merged: c.Merged, Facts: q.facts(c.Facts), CreatedAt: c.CreatedAt,
	}
}

func showContact(q *request) (client.ContactDetail, error) { return q.contactDetail(q.Param("id")) }

func (q *request) contactDetail(id string) (d client.ContactDetail, err error) {
	ctx, s := q.Request.Context(), q.workspace.Store()
	c, err := s.Contact(ctx, id)
	if err != nil {
		return d, err
	}
	d = client.ContactDetail{Contact: q.contact(c), Handles: []client.Handle{}, Notes: []client.ContactNote{}, Conversations: []client.Conversation{}, Runs: []client.Run{}, Merges: []client.Merge{}}
	handles, err := s.Handles(ctx, id)
	if err != nil {
		return d, err
	}
	for _, h := range handles {
		d.Handles = append(d.Handles, client.Handle(h))
	}
	notes, err := s.ContactNotes(ctx, id)
	if err != nil {
		return d, err
	}
	for _, n := range notes {
		d.Notes = append(d.Notes, client.ContactNote(n))
	}
	const talks, runs = 50, 20
	conversations, err := s.ConversationsOf(ctx, id, talks)
	if err != nil {
		return d, err
	}
	d.Conversations = append(d.Conversations, q.conversations(conversations)...)
	list, err := s.Runs(ctx, store.RunFilter{Contact: id, Limit: runs})
	if err != nil {
		return d, err
	}
	for _, r := range list {
		d.Runs = append(d.Runs, q.run(r))
	}
	merges, err := s.Merges(ctx, id)
	for _, m := range merges {
		d.Merges = append(d.Merges, client.Merge(m))
	}
	return d, err
}

func addContact(q *request, in client.ContactChange) (client.ContactDetail, error) {
	id, err := q.workspace.Contacts.Add(q.Request.Context(), q.access.Label, engine.ContactEdit(in))
	if err != nil {
		return client.ContactDetail{}, err
	}
	return q.contactDetail(id)
}

func changeContact(q *request, in client.ContactChange) (client.ContactDetail, error) {
	if err := q.workspace.Contacts.Change(q.Request.Context(), q.Param("id"), q.access.Label, engine.ContactEdit(in)); err != nil {
		return client.ContactDetail{}, err
	}
	return showContact(q)
}

func addContactNote(q *request, in client.NewContactNote) (client.ContactDetail, error) {
	const most = 4000
	if err := text(in.Text, "text", most); err != nil {
		return client.ContactDetail{}, err
	}
	if err := q.workspace.Contacts.Note(q.Request.Context(), q.Param("id"), q.access.Label, in.Text); err != nil {
		return client.ContactDetail{}, err
	}
	return showContact(q)
}

func removeContactNote(q *request) error {
	return q.workspace.Contacts.RemoveNote(q.Request.Context(), q.Param("id"), q.Param("note"))
}

func previewMerge(q *request) (p client.MergePreview, err error) {
	ctx, kept, gone := q.Request.Context(), q.Param("id"), q.Query("with")
	m, err := q.workspace.Contacts.Preview(ctx, kept, gone)
	if err != nil {
		return p, err
	}
	a, err := q.workspace.Store().Contact(ctx, kept)
	if err != nil {
		return p, err
	}
	b, err := q.workspace.Store().Contact(ctx, gone)
	return client.MergePreview{Kept: q.contact(a), Gone: q.contact(b), Facts: q.facts(m.Facts), Lost: q.facts(m.Lost), Conversations: m.Conversations}, err
}

func mergeContacts(q *request, in client.MergeWith) (client.ContactDetail, error) {
	if _, err := q.workspace.Contacts.Merge(q.Request.Context(), q.Param("id"), in.With, q.access.Label); err != nil {
		return client.ContactDetail{}, err
	}
	return showContact(q)
}

func undoMerge(q *request) (client.ContactDetail, error) {
	_, gone, err := q.workspace.Contacts.Unmerge(q.Request.Context(), q.Param("id"))
	if err != nil {
		return client.ContactDetail{}, err
	}
	return q.contactDetail(gone)
}

func listTwins(q *request) (client.TwinPage, error) {
	page := client.TwinPage{Items: []client.Twin{}}
	twins, err := q.workspace.Contacts.Twins(q.Request.Context())
	if err != nil {
		return page, err
	}
	for _, twin := range twins {
		a, err := q.workspace.Store().Contact(q.Request.Context(), twin.A)
		if err != nil {
			return page, err
		}
		b, err := q.workspace.Store().Contact(q.Request.Context(), twin.B)
		if err != nil {
			return page, err
		}
		label := twin.Field
		if field, ok := q.workspace.Documents.Settings().Fields.Named(twin.Field); ok {
			label = field.Label
		}
		page.Items = append(page.Items, client.Twin{A: q.contact(a), B: q.contact(b), Label: label, Value: twin.Value})
	}
	return page, nil
}

// importLimit is the largest file of contacts, in bytes.
const importLimit = 8 << 20

func importContacts(q *request, in client.ContactFile) (client.ImportedContacts, error) {
	raw := []byte(in.Text)
	format := exchange.Format(in.Format)
	if format == "" {
		format = exchange.Guess(raw)
	}
	done, err := q.workspace.Contacts.Import(q.Request.Context(), format, raw, q.access.Label, in.Look)
	return client.ImportedContacts{
		Format: string(format), Added: done.Added, Changed: done.Changed, Same: done.Same,
		Wrong: append([]string{}, done.Wrong...), Left: append([]string{}, done.Left...),
	}, err
}

// media are those of the formats in which contacts are written.
var media = map[exchange.Format]string{exchange.CSV: "text/csv; charset=utf-8", exchange.VCard: "text/vcard; charset=utf-8", exchange.JSON: "application/json; charset=utf-8"}

func exportContacts(q *request) error {
	format := exchange.Format(q.Query("format"))
	if format == "" {
		format = exchange.CSV
	}
	if media[format] == "" {
		return problem.New(problem.BadInput, "the formats are csv, vcard and json", "format")
	}
	people, err := q.workspace.Contacts.People(q.Request.Context(), q.contactFilter())
	if err != nil {
		return err
	}
	var out bytes.Buffer
	if err := exchange.Write(&out, format, people, q.workspace.Documents.Settings().Fields); err != nil {
		return err
	}
	q.Header("Cache-Control", "no-store")
	q.Header("Content-Disposition", fmt.Sprintf(`attachment; filename="contacts.%s"`, strings.TrimPrefix(strings.Replace(string(format), "vcard", "vcf", 1), ".")))
	q.Data(http.StatusOK, media[format], out.Bytes())
	return nil
}

func exportContact(q *request) (whole client.WholeContact, err error) {
	ctx, id := q.Request.Context(), q.Param("id")
	whole = client.WholeContact{Messages: []client.Message{}, Rows: []client.ContactRow{}}
	if whole.ContactDetail, err = q.contactDetail(id); err != nil {
		return whole, err
	}
	const talks, messages = 10_000, 1_000_000
	list, err := q.workspace.Store().ConversationsOf(ctx, id, talks)
	if err != nil {
		return whole, err
	}
	for i := len(list) - 1; i >= 0; i-- {
		said, err := q.workspace.Store().Messages(ctx, list[i].ID, 1<<30, messages)
		if err != nil {
			return whole, err
		}
		for _, m := range said {
			whole.Messages = append(whole.Messages, message(m))
		}
	}
	rows, err := q.workspace.Store().RowsOf(ctx, id)
	for _, r := range rows {
		whole.Rows = append(whole.Rows, client.ContactRow{Sheet: r.Sheet, Cells: r.Cells})
	}
	q.Header("Cache-Control", "no-store")
	return whole, err
}

func forgetContact(q *request) (client.Forgotten, error) {
	f := client.Forgotten{Copies: []client.RecordsCopy{}}
	copies, err := q.workspace.Contacts.Forget(q.Request.Context(), q.Param("id"), q.Query("copies") == "remove")
	for _, made := range copies {
		f.Copies = append(f.Copies, client.RecordsCopy(made))
	}
	return f, err
}

func listFields(q *request) (client.Declared, error) {
	s := q.workspace.Documents.Settings()
	out := client.Declared{Fields: []client.Field{}, Stages: []client.Stage{}, Tags: append([]string{}, s.Tags...)}
	for _, f := range s.Fields {
		out.Fields = append(out.Fields, client.Field{Field: f.Name, Label: f.Label, Type: string(f.Type), Choices: f.Choices, Sensitive: f.Sensitive})
	}
	for _, stage := range s.Stages {
		out.Stages = append(out.Stages, client.Stage{Stage: stage.Name, Label: stage.Label})
	}
	return out, nil
}
