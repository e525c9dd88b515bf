package api

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/swaggest/jsonschema-go"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/problem"
	"urgentparrot.example/internal/store"
)

// kind is the kind of documents that the address names.
func (q *request) kind() (document.Kind, error) {
	all := q.workspace.Documents.Kinds()
	kind, ok := document.Find(all, q.Param("kind"))
	if !ok {
		nouns := make([]string, len(all))
		for i, k := range all {
			nouns[i] = k.Plural
		}
		return kind, problem.New(problem.NotFound, "the kinds of documents are: "+strings.Join(nouns, ", "), "kind")
	}
	return kind, nil
}

func listKinds(q *request) (client.DocumentKindPage, error) {
	page := client.DocumentKindPage{}
	for _, k := range q.workspace.Documents.Kinds() {
		kind := client.DocumentKind{Name: k.Name, Plural: k.Plural, Title: k.Title, About: k.About, Only: k.Only, Titled: k.Titled, Drafts: k.Drafts, Example: k.Example, Form: []client.FormPart{}}
		var form document.Form
		if k.Form != nil {
			form = k.Form()
		}
		for _, part := range form {
			kind.Form = append(kind.Form, client.FormPart{Title: part.Title, About: part.About, Seldom: part.Seldom, Fields: fieldsOf(part.Fields)})
		}
		if k.Entries != nil {
			kind.Entries = map[string][]client.EntryKind{}
			for list, of := range k.Entries() {
				for _, e := range of {
					kind.Entries[list] = append(kind.Entries[list], client.EntryKind{Name: e.Name, Label: e.Label, About: e.About, Group: e.Group, Main: e.Main, Missing: e.Missing, Ends: e.Ends, Fields: fieldsOf(e.Fields)})
				}
			}
		}
		if k.Starts != nil {
			for _, start := range k.Starts() {
				out := client.DocumentStart{Name: start.Name, Title: start.Title, About: start.About, Text: start.Text}
				for _, said := range start.Talk {
					out.Talk = append(out.Talk, client.StartTalk(said))
				}
				kind.Starts = append(kind.Starts, out)
			}
		}
		page.Items = append(page.Items, kind)
	}
	return page, nil
}

func fieldsOf(list []document.Field) (fields []client.DocumentField) {
	for _, f := range list {
		field := client.DocumentField{Key: f.Key, Label: f.Label, About: f.About, As: string(f.As), Example: f.Example, Default: f.Default, Needed: f.Needed, Of: f.Of, Fit: f.Fit, Fields: fieldsOf(f.Fields), Adds: f.Adds, If: (*client.OnlyIf)(f.If), Keys: f.Keys, Values: f.Values, Beside: f.Beside}
		for _, choice := range f.Choices {
			field.Choices = append(field.Choices, client.FieldChoice(choice))
		}
		fields = append(fields, field)
	}
	return fields
}

func listDocuments(q *request) (page client.DocumentPage, err error) {
	kind, err := q.kind()
	if err != nil {
		return page, err
	}
	list, err := q.workspace.Store().Documents(q.Request.Context(), kind.Name)
	page.Items = make([]client.Document, len(list))
	for i, d := range list {
		page.Items[i] = q.documentOf(d)
	}
	return page, err
}

func listRemoved(q *request) (page client.DocumentPage, err error) {
	kind, err := q.kind()
	if err != nil {
		return page, err
	}
	list, err := q.workspace.Store().Removed(q.Request.Context(), kind.Name)
	page.Items = make([]client.Document, len(list))
	for i, d := range list {
		page.Items[i] = documentOf(d)
	}
	return page, err
}

func listDrafts(q *request) (page client.DraftPage, err error) {
	kind, err := q.kind()
	if err != nil {
		return page, err
	}
	list, err := q.workspace.Store().Drafts(q.Request.Context(), kind.Name)
	page.Items = make([]client.Draft, len(list))
	for i, d := range list {
		page.Items[i] = client.Draft{Kind: d.Kind, Name: d.Name, Text: d.Text, By: d.Author, At: d.UpdatedAt}
	}
	return page, err
}

func putDraft(q *request, in client.DocumentText) error {
	kind, err := q.kind()
	if err != nil {
		return err
	}
	return q.workspace.Documents.PutDraft(engine.WithAuthor(q.Request.Context(), q.access.Label), kind.Name, q.Param("name"), in.Text)
}

func removeDraft(q *request) error {
	kind, err := q.kind()
	if err != nil {
		return err
	}
	return q.workspace.Documents.RemoveDraft(q.Request.Context(), kind.Name, q.Param("name"))
}

func documentOf(d store.Document) client.Document {
	return client.Document{Kind: d.Kind, Name: d.Name, Text: d.Text, Version: d.Version, UpdatedAt: d.UpdatedAt}
}

// documentOf is a document that is there, with its keys.
func (q *request) documentOf(d store.Document) client.Document {
	shown := documentOf(d)
	for _, key := range q.workspace.Documents.Keys(d.Kind, d.Name) {
		shown.Keys = append(shown.Keys, client.FieldChoice(key))
	}
	return shown
}

func renameDocument(q *request, in client.Rename) (client.Document, error) {
	kind, err := q.kind()
	if err != nil {
		return client.Document{}, err
	}
	err = q.workspace.Documents.Rename(engine.WithAuthor(q.Request.Context(), q.access.Label), kind.Name, q.Param("name"), in.Name)
	switch {
	case errors.Is(err, engine.ErrRename):
		return client.Document{}, problem.New(problem.BadInput, err.Error(), "name")
	case err != nil:
		return client.Document{}, err
	}
	return q.documentNamed(kind, in.Name)
}

func showDocument(q *request) (client.Document, error) {
	kind, err := q.kind()
	if err != nil {
		return client.Document{}, err
	}
	return q.documentNamed(kind, q.Param("name"))
}

func (q *request) documentNamed(kind document.Kind, name string) (client.Document, error) {
	list, err := q.workspace.Store().Documents(q.Request.Context(), kind.Name)
	if err != nil {
		return client.Document{}, err
	}
	names := make([]string, len(list))
	for i, d := range list {
		names[i] = d.Name
		if d.Name == name {
			q.Header("ETag", fmt.Sprintf("%q", strconv.Itoa(d.Version)))
			shown := q.documentOf(d)
			shown.UsedBy = q.workspace.Documents.Dependents(kind.Name, d.Name)
			return shown, nil
		}
	}
	return client.Document{}, problem.New(problem.NotFound, document.Missing(kind.Name, name, names), "name")
}

func putDocument(q *request, in client.DocumentText) (client.Document, error) {
	kind, err := q.kind()
	if err != nil {
		return client.Document{}, err
	}
	version, err := q.ifMatch()
	if err != nil {
		return client.Document{}, err
	}
	fresh := q.GetHeader("If-None-Match") == "*"
	if fresh {
		version = store.Fresh
	}
	_, err = q.workspace.Documents.Put(engine.WithAuthor(q.Request.Context(), q.access.Label), kind.Name, q.Param("name"), in.Text, version)
	switch {
	case fresh && errors.Is(err, store.ErrConflict):
		return client.Document{}, problem.New(problem.Conflict, fmt.Sprintf("there is a %s called %s already; give this one another name", kind.Name, q.Param("name")), kind.Name)
	case err != nil:
		return client.Document{}, err
	}
	return showDocument(q)
}

// ifMatch returns the version that the request expects, 0 if any will do.
func (q *request) ifMatch() (version int, err error) {
	match := q.GetHeader("If-Match")
	if match == "" || match == "*" {
		return 0, nil
	}
	if version, err = strconv.Atoi(strings.Trim(match, `"`)); err != nil || version < 1 {
		return 0, problem.New(problem.BadInput, "If-Match must be the ETag that was read", "If-Match")
	}
	return version, nil
}

func checkDocument(q *request, in client.DocumentText) (client.Checked, error) {
	result := client.Checked{Problems: []client.Problem{}, Warnings: []client.Problem{}}
	kind, err := q.kind()
	if err != nil {
		return result, err
	}
	for _, f := range q.workspace.Documents.Findings(kind.Name, q.Param("name"), in.Text) {
		if f.Warning {
			result.Warnings = append(result.Warnings, client.Problem(f.Problem))
		} else {
			result.Problems = append(result.Problems, client.Problem(f.Problem))
		}
	}
	return result, nil
}

func removeDocument(q *request) error {
	kind, err := q.kind()
	if err != nil {
		return err
	}
	return q.workspace.Documents.Remove(q.Request.Context(), kind.Name, q.Param("name"))
}

// documentSchema gives the JSON Schema of a kind, for editors that complete and
// check a document as it is typed. The service checks more than a schema can say.
func documentSchema(q *request) error {
	kind, err := q.kind()
	if err != nil {
		return err
	}
	raw, err := schemaOf(kind)
	if err == nil {
		q.Data(http.StatusOK, "application/schema+json", raw)
	}
	return err
}

func schemaOf(kind document.Kind) ([]byte, error) {
	if kind.Schema != nil {
		return json.MarshalIndent(kind.Schema(), "", "  ")
	}
	reflector := jsonschema.Reflector{}
	whole := map[string]any{"$schema": "https://json-schema.org/draft/2020-12/schema", "title": kind.Title, "description": kind.About}
	var shapes []any
	for _, shape := range kind.Shapes {
		schema, err := reflector.Reflect(shape, jsonschema.PropertyNameTag("yaml"), jsonschema.InlineRefs, jsonschema.InterceptNullability(func(p jsonschema.InterceptNullabilityParams) {
			if p.Schema != nil {
				p.Schema.RemoveType(jsonschema.Null)
			}
		}))
		if err != nil {
			return nil, err
		}
		closed := false
		schema.WithAdditionalProperties(jsonschema.SchemaOrBool{TypeBoolean: &closed})
		schema.WithRequired(kind.Name)
		shapes = append(shapes, schema)
	}
	whole["oneOf"] = shapes
	return json.MarshalIndent(whole, "", "  ")
}

func putSecret(q *request, in client.Secret) error {
	if err := text(in.Secret, "secret", 4096); err != nil {
		return err
	}
	return q.workspace.Documents.PutSecret(q.Request.Context(), q.Param("name"), in.Secret)
}
