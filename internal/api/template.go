package api

import (
	"errors"
	"io"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/problem"
)

func exportTemplate(q *request) error {
	text, err := q.workspace.Documents.Template(q.Request.Context())
	if err != nil {
		return err
	}
	q.Header("Content-Type", "application/yaml; charset=utf-8")
	q.Header("Content-Disposition", `attachment; filename="template.yaml"`)
	_, err = io.WriteString(q.Writer, text)
	return err
}

func importTemplate(q *request, in client.Template) (out client.TemplateTaken, err error) {
	list, err := q.workspace.Documents.ReadTemplate(in.Text)
	if err != nil {
		return out, problem.New(problem.BadInput, err.Error(), "text")
	}
	taken, err := q.workspace.Documents.TakeIn(engine.WithAuthor(q.Request.Context(), q.access.Label), list, in.Title, in.Over)
	if err != nil {
		return out, err
	}
	out = client.TemplateTaken{Taken: named(taken.Taken), Kept: named(taken.Kept), Refused: []client.TemplateRefused{}, ToDo: []client.TemplateToDo{}}
	for _, r := range taken.Refused {
		refused := client.TemplateRefused{Kind: r.Kind, Name: r.Name}
		var problems document.Problems
		errors.As(r.Why, &problems)
		for _, p := range problems {
			refused.Problems = append(refused.Problems, client.Problem(p))
		}
		out.Refused = append(out.Refused, refused)
	}
	for _, todo := range taken.ToDo {
		out.ToDo = append(out.ToDo, client.TemplateToDo(todo))
	}
	return out, nil
}

func named(list []engine.Templated) []client.TemplateDocument {
	out := make([]client.TemplateDocument, len(list))
	for i, one := range list {
		out[i] = client.TemplateDocument{Kind: one.Kind, Name: one.Name}
	}
	return out
}
