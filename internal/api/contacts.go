package api

import (
	"urgentparrot.example/client"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/store"
)

func listContacts(q *request) (client.ContactPage, error) {
	const most = 200
	list, err := q.workspace.Store().Contacts(q.Request.Context(), most)
	page := client.ContactPage{Items: make([]client.Contact, len(list))}
	for i, c := range list {
		page.Items[i] = q.contact(c)
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
	return client.Contact{
		ID: c.ID, Channel: c.Channel, Address: c.Address, Who: q.workspace.Channels.Who(name, c.Channel, c.Address),
		Stage: c.Stage, Tags: c.Tags, Blocked: c.Blocked, Facts: q.facts(c.Facts), CreatedAt: c.CreatedAt,
	}
}

func showContact(q *request) (client.Contact, error) {
	c, err := q.workspace.Store().Contact(q.Request.Context(), q.Param("id"))
	if err != nil {
		return client.Contact{}, err
	}
	return q.contact(c), nil
}

func changeContact(q *request, in client.ContactChange) (client.Contact, error) {
	if err := q.workspace.Contacts.Change(q.Request.Context(), q.Param("id"), q.access.Label, engine.ContactEdit(in)); err != nil {
		return client.Contact{}, err
	}
	return showContact(q)
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
