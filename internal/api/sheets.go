package api

import (
	"bytes"
	"net/http"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/store"
)

func listSheets(q *request) (any, error) {
	ctx, w := q.Request.Context(), q.workspace
	documents, err := w.Store().Documents(ctx, workspace.KindSheet)
	if err != nil {
		return nil, err
	}
	page := client.SheetPage{Items: []client.Sheet{}}
	for _, d := range documents {
		sheet, err := workspace.ParseSheet(d.Name, []byte(d.Text))
		if err != nil {
			continue // it is among the troubles
		}
		rows, err := w.Store().Rows(ctx, d.Name)
		if err != nil {
			return nil, err
		}
		page.Items = append(page.Items, client.Sheet{Name: d.Name, Title: sheet.Title, Columns: sheet.Columns, Rows: len(rows), File: w.SheetFile(d.Name)})
	}
	return page, nil
}

func listRows(q *request) (any, error) {
	name := q.Param("name")
	if q.workspace.Columns(name) == nil {
		return nil, store.ErrNotFound
	}
	rows, err := q.workspace.Store().Rows(q.Request.Context(), name)
	page := client.RowPage{Items: make([]client.Row, len(rows))}
	for i, r := range rows {
		page.Items[i] = client.Row{Key: r.Key, Cells: r.Cells, UpdatedAt: r.UpdatedAt}
	}
	return page, err
}

func sheetCSV(q *request) (any, error) {
	name := q.Param("name")
	if q.workspace.Columns(name) == nil {
		return nil, store.ErrNotFound
	}
	var table bytes.Buffer
	if err := q.workspace.WriteSheet(q.Request.Context(), &table, name); err != nil {
		return nil, err
	}
	q.Header("Content-Disposition", `attachment; filename="`+name+`.csv"`)
	q.Data(http.StatusOK, "text/csv; charset=utf-8", table.Bytes())
	return answered{}, nil
}
