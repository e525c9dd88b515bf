package api

import (
	"bytes"
	"net/http"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/store"
)

func listSheets(q *request) (client.SheetPage, error) {
	w := q.workspace
	page := client.SheetPage{Items: []client.Sheet{}}
	for _, sheet := range w.Sheets.All() {
		rows, err := w.Store().Rows(q.Request.Context(), sheet.Name)
		if err != nil {
			return page, err
		}
		page.Items = append(page.Items, client.Sheet{Name: sheet.Name, Title: sheet.Title, Columns: sheet.Columns, Rows: len(rows), File: w.Sheets.File(sheet.Name)})
	}
	return page, nil
}

func listRows(q *request) (page client.RowPage, err error) {
	name := q.Param("name")
	if q.workspace.Sheets.Columns(name) == nil {
		return page, store.ErrNotFound
	}
	rows, err := q.workspace.Store().Rows(q.Request.Context(), name)
	page.Items = make([]client.Row, len(rows))
	for i, r := range rows {
		page.Items[i] = client.Row{Key: r.Key, Cells: r.Cells, UpdatedAt: r.UpdatedAt}
	}
	return page, err
}

func sheetCSV(q *request) error {
	name := q.Param("name")
	if q.workspace.Sheets.Columns(name) == nil {
		return store.ErrNotFound
	}
	var table bytes.Buffer
	if err := q.workspace.Sheets.Write(q.Request.Context(), &table, name); err != nil {
		return err
	}
	q.Header("Cache-Control", "no-store")
	q.Header("Content-Disposition", `attachment; filename="`+name+`.csv"`)
	q.Data(http.StatusOK, "text/csv; charset=utf-8", table.Bytes())
	return nil
}
