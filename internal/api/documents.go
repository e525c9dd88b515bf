package api

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"urgentparrot.example/client"
	docs "urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/problem"
	"urgentparrot.example/internal/store"
)

// kinds are the kinds of documents by their nouns in addresses.
var kinds = map[string]workspace.Kind{
	"settings": workspace.KindSettings, "connections": workspace.KindConnection, "sheets": workspace.KindSheet,
	"tools": workspace.KindTool, "bots": workspace.KindBot, "channels": workspace.KindChannel,
}

func (q *request) kind() (workspace.Kind, error) {
	kind, ok := kinds[q.Param("kind")]
	if !ok {
		return "", problem.New(problem.NotFound, "the kinds of documents are: settings, connections, sheets, tools, bots, channels", "kind")
	}
	return kind, nil
}

func listDocuments(q *request) (any, error) {
	kind, err := q.kind()
	if err != nil {
		return nil, err
	}
	list, err := q.workspace.Store().Documents(q.Request.Context(), kind)
	page := client.DocumentPage{Items: make([]client.Document, len(list))}
	for i, d := range list {
		page.Items[i] = documentOf(d)
	}
	return page, err
}

func documentOf(d store.Document) client.Document {
	return client.Document{Kind: string(d.Kind), Name: d.Name, Text: d.Text, Version: d.Version, UpdatedAt: d.UpdatedAt}
}

func (q *request) stored() (client.Document, error) {
	kind, err := q.kind()
	if err != nil {
		return client.Document{}, err
	}
	list, err := q.workspace.Store().Documents(q.Request.Context(), kind)
	if err != nil {
		return client.Document{}, err
	}
	for _, d := range list {
		if d.Name == q.Param("name") {
			q.Header("ETag", fmt.Sprintf("%q", strconv.Itoa(d.Version)))
			return documentOf(d), nil
		}
	}
	return client.Document{}, problem.New(problem.NotFound, fmt.Sprintf("there is no %s called %q", kind, q.Param("name")), "name")
}

func showDocument(q *request) (any, error) {
	d, err := q.stored()
	return d, err
}

func putDocument(q *request) (any, error) {
	kind, err := q.kind()
	if err != nil {
		return nil, err
	}
	var in client.DocumentText
	if err := q.body(&in); err != nil {
		return nil, err
	}
	version, err := q.ifMatch()
	if err != nil {
		return nil, err
	}
	if _, err := q.workspace.PutDocument(q.Request.Context(), kind, q.Param("name"), in.Text, version); err != nil {
		return nil, err
	}
	d, err := q.stored()
	return d, err
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

func checkDocument(q *request) (any, error) {
	kind, err := q.kind()
	if err != nil {
		return nil, err
	}
	var in client.DocumentText
	if err := q.body(&in); err != nil {
		return nil, err
	}
	result := client.Checked{Problems: []client.Problem{}}
	var problems docs.Problems
	if err := q.workspace.CheckDocument(kind, q.Param("name"), in.Text); errors.As(err, &problems) {
		for _, p := range problems {
			result.Problems = append(result.Problems, client.Problem(p))
		}
	} else if err != nil {
		return nil, err
	}
	return result, nil
}

func putSecret(q *request) (any, error) {
	var in client.Secret
	if err := q.body(&in); err != nil {
		return nil, err
	}
	if err := text(in.Secret, "secret", 4096); err != nil {
		return nil, err
	}
	return nil, q.workspace.PutSecret(q.Request.Context(), q.Param("name"), in.Secret)
}
