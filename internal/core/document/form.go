package document

import "slices"

// A Form is how people fill in documents of a kind: its parts, in the order in which they
// think of them. It says in words what the keys of the document say in YAML.
type Form []Part

// A Part is some fields that belong together, under a heading.
type Part struct {
	Title  string  `yaml:"part"`
	About  string  `yaml:"about"`
	Seldom bool    `yaml:"seldom"` // it is needed seldom: shown folded
	Fields []Field `yaml:"fields"`
}

// A Field is one key of a document, or of a block in it.
type Field struct {
	Key     string   `yaml:"key"` // in the document, or in the block that the field belongs to; a dot leads into a block
	Label   string   `yaml:"label"`
	About   string   `yaml:"about"` // what it is good for
	As      FieldAs  `yaml:"as"`
	Example string   `yaml:"example"` // stands in the field while it is empty: what holds then, or what one may write
	Choices []Choice `yaml:"choices"`
	Default string   `yaml:"default"` // what holds where the key is not there
	Needed  bool     `yaml:"needed"`  // it cannot be left out
	Of      string   `yaml:"of"`      // the kind of documents that it names, or: source, field, stage, tag. Of a text, kinds that it may name, after their kind: team/crew
	Fit     []string `yaml:"fit"`     // the kind that a document which it names says of itself is one of these
	Fields  []Field  `yaml:"fields"`  // of each block
	Adds    string   `yaml:"adds"`    // what one more is called: a rule
	If      *OnlyIf  `yaml:"if"`      // it is shown only then
	Keys    string   `yaml:"keys"`    // of pairs and cells: the key of the field beside it that names the document whose Keys they are
	Values  string   `yaml:"values"`  // what may be put into its texts, beside what the document is told of: contact, the fields of the contact, or the key of the details of this document
	Beside  string   `yaml:"beside"`  // of details: the key of the blocks of Fields, by the same names, that say more of each
}

// FieldAs is how a field is filled in.
type FieldAs string

// The ways in which a field is filled in.
const (
	AsText      FieldAs = "text"
	AsParagraph FieldAs = "paragraph" // a text of several lines
	AsNumber    FieldAs = "number"
	AsSwitch    FieldAs = "switch"    // true, or left out
	AsChoice    FieldAs = "choice"    // one of Choices
	AsChoices   FieldAs = "choices"   // a list of some of Choices
	AsDocument  FieldAs = "document"  // the name of one that Of says
	AsDocuments FieldAs = "documents" // a list of such names
	AsTexts     FieldAs = "texts"     // a list of texts
	AsLists     FieldAs = "lists"     // a list of lists of texts, each on a line, with commas
	AsPairs     FieldAs = "pairs"     // texts by keys
	AsGroups    FieldAs = "groups"    // lists of texts by keys; of Choices, where there are some
	AsBlocks    FieldAs = "blocks"    // a list of blocks of Fields
	AsNamed     FieldAs = "named"     // blocks of Fields by keys
	AsData      FieldAs = "data"      // anything, written as YAML
	AsDetails   FieldAs = "details"   // a JSON Schema of type object: its properties, each with what stands Beside
	AsYesNo     FieldAs = "yes or no" // true or false; Default is what holds where it is left out
	AsTime      FieldAs = "time"      // a length of time: 30m, 4d
	AsCondition FieldAs = "condition" // an expression that is true or false
	AsValue     FieldAs = "value"     // an expression
	AsCells     FieldAs = "cells"     // texts and numbers by keys
	AsEntries   FieldAs = "entries"   // a list whose entries are of the kinds that Of names
)

// An EntryKind is a kind of entry of a list whose entries each begin with the name of their
// kind, as the steps of a flow do. Their fields stand in a block behind the name, or beside
// it; the main one may stand behind it alone.
type EntryKind struct {
	Name    string  `yaml:"entry"`
	Label   string  `yaml:"label"`
	About   string  `yaml:"about"`
	Group   string  `yaml:"group"` // those that belong together
	Main    string  `yaml:"main"`
	Missing string  `yaml:"missing"` // what is not there yet for it to work; "" if all is
	Ends    bool    `yaml:"ends"`    // nothing behind it in its list is reached, unless it has an "if"
	Fields  []Field `yaml:"fields"`
}

// A Choice is one value of a field, in words.
type Choice struct {
	Value string `yaml:"value"`
	Label string `yaml:"label"`
	About string `yaml:"about"`
}

// OnlyIf is a condition on another key of the document: that it has one of some values; ""
// is that of a key that is not there.
type OnlyIf struct {
	Key string   `yaml:"key"`
	Is  []string `yaml:"is"`
}

// ReadForm reads a form, and the kinds of entries of its lists, by the name that fields give
// as their Of. The error is Problems.
func ReadForm(file string, source []byte) (Form, map[string][]EntryKind, error) {
	var read struct {
		Parts   Form                   `yaml:"parts"`
		Entries map[string][]EntryKind `yaml:"entries"`
	}
	c := Decode(file, source, &read)
	return read.Parts, read.Entries, c.Err()
}

// Fields returns the fields of all parts, in order.
func (f Form) Fields() (list []Field) {
	for _, part := range f {
		list = append(list, part.Fields...)
	}
	return list
}

// Field returns a pointer to the field of a key, nil if the form has none.
func (f Form) Field(key string) *Field {
	for i := range f {
		if at := slices.IndexFunc(f[i].Fields, func(x Field) bool { return x.Key == key }); at >= 0 {
			return &f[i].Fields[at]
		}
	}
	return nil
}
