package steps

import (
	"strings"

	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/workspace"
)

var record = &flow.StepKind{
	Name: "record", Group: do,
	About:   "Writes a row in a sheet: a new one, or that with the same key.",
	Example: "- record: { sheet: group-enquiries, key: \"{{ contact.email }}\", row: { E-mail: \"{{ contact.email }}\" } }",
	Fields: []flow.Field{
		{Name: "sheet", Label: "Sheet", Type: flow.Name, Kind: "sheet", Required: true, About: "The sheet."},
		{Name: "row", Label: "The row, by column", Type: flow.Cells, Kind: "sheet", Keys: "sheet", Required: true, About: "What stands in each column; a column may stay empty."},
		{Name: "key", Label: "Update the row with this key", Type: flow.Text, About: "The row with this key is updated, if there is one; else the run has a row of its own."},
	},
	Check: func(c *flow.Checking, s *flow.Step) {
		sheet, ok := c.Find("sheet", s.Raw("sheet")).(workspace.Sheet)
		if !ok || !s.Has("row") {
			return
		}
		for _, cell := range s.Args["row"].Cells {
			c.OneOf(cell.At, "the sheet "+sheet.Name+" has no column %q", cell.Key, sheet.Columns)
		}
	},
	Plain: func(s *flow.Step) string {
		var columns []string
		if s.Has("row") {
			for _, cell := range s.Args["row"].Cells {
				columns = append(columns, cell.Key)
			}
		}
		if s.Has("key") {
			return "Write or update the row of " + flow.Quote(s.Raw("key")) + " in the sheet " + s.Raw("sheet") + ": " + strings.Join(columns, ", ") + "."
		}
		return "Write a row in the sheet " + s.Raw("sheet") + ": " + strings.Join(columns, ", ") + "."
	},
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		cells, err := r.Cells(s.Args["row"])
		if err != nil {
			return flow.Fail(err)
		}
		key := "run/" + r.Key()
		if s.Has("key") {
			own, err := r.Text(s.Args["key"])
			if err != nil {
				return flow.Fail(err)
			}
			if own = strings.TrimSpace(own); own != "" {
				key = "key/" + own
			}
		}
		r.Emit(flow.Row{Sheet: s.Raw("sheet"), Key: key, Cells: cells})
		r.Did("wrote a row in the sheet %s", s.Raw("sheet"))
		return flow.Next()
	},
}
