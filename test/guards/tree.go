package main

import (
	"io/fs"
	"slices"
	"strings"
)

// tree is the source without what no test needs.
type tree struct{ fs.FS }

// ReadDir is fs.ReadDirFS's.
func (t tree) ReadDir(name string) ([]fs.DirEntry, error) {
	entries, err := fs.ReadDir(t.FS, name)
	return slices.DeleteFunc(entries, func(e fs.DirEntry) bool {
		return strings.HasPrefix(e.Name(), ".") && e.Name() != ".keep" || e.Name() == "node_modules" || name == "." && (e.Name() == "bin" || e.Name() == "demo-data")
	}), err
}
