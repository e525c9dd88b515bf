package api

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"unicode"
	"unicode/utf8"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/problem"
	"urgentparrot.example/internal/reading"
	"urgentparrot.example/internal/store"
)

func listSources(q *request) (any, error) {
	list, err := q.workspace.Store().Sources(q.Request.Context())
	page := client.SourcePage{Items: make([]client.Source, len(list))}
	for i, s := range list {
		page.Items[i] = source(s)
	}
	return page, err
}

func source(s store.Source) client.Source {
	return client.Source{ID: s.ID, Name: s.Name, Title: s.Title, Bytes: s.Bytes, Passages: s.Passages, ReadAt: s.ReadAt, Error: s.Error}
}

func addSource(q *request) (any, error) {
	q.Request.Body = http.MaxBytesReader(q.Writer, q.Request.Body, reading.Limit+64<<10)
	file, _, err := q.Request.FormFile("file")
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &tooLarge):
		return nil, problem.New(problem.TooLarge, fmt.Sprintf("the file is too large; at most %d MB are read", reading.Limit>>20), "file")
	case err != nil:
		return nil, problem.New(problem.BadInput, "send the file as multipart/form-data, in a field called file", "file")
	}
	defer file.Close()
	name := strings.TrimSpace(q.Request.FormValue("name"))
	if name == "" || len(name) > 300 || !utf8.ValidString(name) || strings.ContainsFunc(name, unicode.IsControl) {
		return nil, problem.New(problem.BadInput, "the source needs a name of at most 300 characters", "name")
	}
	content, err := io.ReadAll(file)
	if err != nil {
		return nil, problem.New(problem.BadInput, "the file broke off before its end", "file")
	}
	if _, err := reading.Read(name, content); err != nil {
		return nil, problem.New(problem.BadInput, name+": "+err.Error(), "file")
	}
	s, err := q.workspace.AddSource(q.Request.Context(), name, content)
	return source(s), err
}

func removeSource(q *request) (any, error) {
	s, err := q.workspace.Store().Source(q.Request.Context(), q.Param("id"))
	if err != nil {
		return nil, err
	}
	return nil, q.workspace.RemoveSource(q.Request.Context(), s.ID)
}

func listPassages(q *request) (any, error) {
	ctx := q.Request.Context()
	s, err := q.workspace.Store().Source(ctx, q.Param("id"))
	if err != nil {
		return nil, err
	}
	list, err := q.workspace.Store().Passages(ctx, s.ID)
	page := client.PassagePage{Items: make([]client.Passage, len(list))}
	for i, p := range list {
		page.Items[i] = client.Passage{ID: p.ID, Source: p.Source, Trail: p.Trail, Question: p.Question, Text: p.Text, Position: p.Position}
	}
	return page, err
}

func search(q *request) (any, error) {
	question := q.Query("q")
	if err := text(question, "q", 4000); err != nil {
		return nil, err
	}
	found := client.Found{Items: []client.Weighed{}}
	for _, c := range answer.Find(q.workspace.Index(), question, "") {
		found.Items = append(found.Items, client.Weighed{
			PassageID: c.ID, Source: c.Source, Trail: c.Trail, Text: c.Text, Score: c.Score, Coverage: c.Coverage, Confidence: c.Confidence, Missing: c.Missing,
		})
	}
	return found, nil
}
