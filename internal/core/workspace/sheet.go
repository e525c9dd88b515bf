package workspace

import (
	"fmt"
	"slices"

	"urgentparrot.example/internal/core/document"
)

// A Sheet is a table that rows are written to.
type Sheet struct {
	Name    string   `yaml:"sheet"`
	Title   string   `yaml:"title"`
	Columns []string `yaml:"columns"`
}

// Named is document.Document's.
func (s Sheet) Named() string { return s.Name }

// Refers is document.Document's.
func (s Sheet) Refers() []document.Reference { return nil }

// Keys is document.Keyed's: the columns.
func (s Sheet) Keys() []document.Choice {
	keys := make([]document.Choice, len(s.Columns))
	for i, column := range s.Columns {
		keys[i] = document.Choice{Value: column, Label: column}
	}
	return keys
}

// ToSheet returns the reference of a document to a sheet with some columns.
func ToSheet(path, name string, columns []string) document.Reference {
	return document.Reference{Path: path, Kind: "sheet", Name: name, Unfit: func(d document.Document) string {
		for _, column := range columns {
			if !slices.Contains(d.(Sheet).Columns, column) {
				return fmt.Sprintf("the sheet %s has no column called %q", name, column)
			}
		}
		return ""
	}}
}

// ParseSheet reads a sheet. The error is document.Problems.
func ParseSheet(file string, source []byte) (Sheet, error) {
	var s Sheet
	c := document.Decode(file, source, &s)
	if c.Failed() {
		return s, c.Err()
	}
	c.Name("$.sheet", s.Name)
	if len(s.Columns) == 0 || len(s.Columns) > 100 {
		c.Wrong("$.columns", "a sheet has from 1 to 100 columns")
	}
	seen := map[string]bool{}
	for _, column := range s.Columns {
		if column == "" || seen[column] {
			c.Wrong("$.columns", "each column needs a name of its own; %q is empty or there twice", column)
		}
		seen[column] = true
	}
	if s.Title == "" {
		s.Title = s.Name
	}
	return s, c.Err()
}
