package document

// A Document is a document of a workspace, read. It does not change.
type Document interface {
	// Named returns the name that the document gives itself.
	Named() string
	// Refers returns the other documents that it needs.
	Refers() []Reference
}

// A Reference says that a document needs another one.
type Reference struct {
	Path  string // where it stands in the document, such as "$.tools[0]"
	Kind  string // the kind's name
	Name  string // of the other document; "" for a kind of which there is one
	What  string // what is needed, in words: "connection to a mail server"; the kind's name if ""
	Later bool   // it need not be there yet: that it is missing is a warning
	// Unfit says why the other document is not the one that is needed, "" if it is;
	// nil: any will do.
	Unfit func(Document) string
}

// A Directory is what a workspace holds.
type Directory interface {
	// Find returns a document, nil if there is none; of kinds of which there is one, under "".
	Find(kind, name string) Document
	// Names returns the names of the documents of a kind.
	Names(kind string) []string
}

// A Finding is something that is wrong in a document, or may be.
type Finding struct {
	Problem
	Warning bool `json:"warning"`
}

// Held is a document that is held against the rest of its workspace, beyond what it refers
// to.
type Held interface {
	Document
	// Hold returns all that is wrong, or may be. Only warnings leave a document that works.
	Hold(Directory) []Finding
}

// Keyed is a document that says what others may state about it by key, in order: a sheet its
// columns, a tool the details that it wants.
type Keyed interface {
	Document
	Keys() []Choice
}

// A Kind is a kind of document. All that differs between kinds stands here: the
// engine, the API, the command line and the console work from the table of kinds
// (internal/kinds) and know none by name.
//
// Parse is called from many goroutines with the file's name and its text. It
// returns a Document that does not change any more, or Problems that name
// everything that is wrong, with line and column. It must not look at anything
// but its arguments: whether what a document refers to is there is checked from
// Refers.
type Kind struct {
	Name    string                // the key that such a document begins with: "bot"
	Plural  string                // in addresses and lists: "bots"
	Title   string                // as a heading: "Bots"
	About   string                // what such documents are for, in a sentence
	Only    bool                  // a workspace has one of them
	Example string                // a whole document to begin from
	Titled  bool                  // what stands behind its key is a title, of which its name is made
	Drafts  bool                  // what is written is a draft until it is put live
	Shapes  []any                 // the structs that a document may fill, for its JSON Schema
	Schema  func() map[string]any // in place of Shapes, for kinds that are no structs
	Starts  func() []Start        // where new ones may begin; nil: from Example
	Form    func() Form           // how people fill in such a document; nil: its text is all there is
	Parse   func(file string, source []byte) (Document, error)

	// Entries are the kinds of entries of the lists that the form fills in as entries, by the
	// name that its fields give as their Of; nil: it has no such lists.
	Entries func() map[string][]EntryKind

	// Mentions finds where a text names a document of a kind beyond what Refers tells the
	// path of; nil: nowhere.
	Mentions func(source []byte, kind, name string) []Place

	// Look finds all that is wrong with a text at once, in itself and held against the
	// workspace; nil: Parse finds what is wrong in itself, and Hold the rest after that.
	Look func(file string, source []byte, d Directory) []Finding
}

// A Start is where a new document may begin: one that works as it is, once it has a name of its
// own.
type Start struct {
	Name  string `yaml:"start"`
	Title string `yaml:"title"`
	About string `yaml:"about"` // what it is good for
	Talk  []Said `yaml:"talk"`  // an example of what it is for; of bots
	Text  string `yaml:"text"`
}

// A Said is what a customer writes and what is replied, in an example.
type Said struct {
	Customer string `yaml:"customer"`
	Bot      string `yaml:"bot"`
}

// ReadStarts reads where new documents may begin. The error is Problems.
func ReadStarts(file string, source []byte) ([]Start, error) {
	var read struct {
		Starts []Start `yaml:"starts"`
	}
	c := Decode(file, source, &read)
	return read.Starts, c.Err()
}

// Find returns the kind of a name or plural.
func Find(kinds []Kind, name string) (Kind, bool) {
	for _, kind := range kinds {
		if kind.Name == name || kind.Plural == name {
			return kind, true
		}
	}
	return Kind{}, false
}
