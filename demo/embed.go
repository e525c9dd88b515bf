// Package demo holds the demo business, Brackwater Ferries, as the files that a
// builder would write.
package demo

import (
	"embed"
	"io/fs"
	"path"
	"strings"

	"urgentparrot.example/internal/kinds"
)

//go:embed settings hours teams people bots channels connections knowledge sheets tools forms flows rehearsals day.yaml
var files embed.FS

// An Outside is where the outside world listens.
type Outside struct{ World, Mailroom, Mailbox string }

// As are the addresses of the outside world as the files name them.
var As = Outside{"http://127.0.0.1:4710", "127.0.0.1:4725", "127.0.0.1:4743"}

// A Document is one document of the workspace.
type Document struct {
	Kind       string
	Name, Text string
}

// Documents returns the documents in an order in which they can be kept, with the
// outside world at the addresses given.
func Documents(at Outside) ([]Document, error) {
	moved := strings.NewReplacer(As.World, at.World, As.Mailroom, at.Mailroom, As.Mailbox, at.Mailbox)
	var documents []Document
	for _, kind := range kinds.Documents {
		paths, err := fs.Glob(files, kind.Plural+"/*.yaml")
		if err != nil {
			return nil, err
		}
		for _, p := range paths {
			source, err := files.ReadFile(p)
			if err != nil {
				return nil, err
			}
			documents = append(documents, Document{kind.Name, strings.TrimSuffix(path.Base(p), ".yaml"), moved.Replace(string(source))})
		}
	}
	return documents, nil
}

// Knowledge returns the knowledge files.
func Knowledge() fs.FS {
	sub, err := fs.Sub(files, "knowledge")
	if err != nil {
		panic(err) // the folder is embedded above
	}
	return sub
}

// Day returns the script of a working day that the demo plays.
func Day() ([]byte, error) { return files.ReadFile("day.yaml") }
