// Package workspace defines the documents that a workspace consists of beside
// its bots: settings, channels, connections, tools, sheets, people, teams and
// hours. Each is YAML, checked whole, with errors by line and column.
package workspace

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/text"
)

// Settings are the workspace's own.
type Settings struct {
	Name     string     `yaml:"settings"` // the workspace's name
	Title    string     `yaml:"title"`    // the business's name
	Language string     `yaml:"language"` // ISO 639-1
	Region   string     `yaml:"region"`   // ISO 3166, for telephone numbers
	TimeZone string     `yaml:"time_zone"`
	Synonyms [][]string `yaml:"synonyms"`

	CustomersSay map[string][]string `yaml:"customers_say"` // for a word of the knowledge; what begins with "-" they do not say for it

	Fields contact.Fields `yaml:"fields"` // what is kept of contacts, in order; name, e-mail and telephone if none is declared
	Stages []Stage        `yaml:"stages"` // where a contact may stand, in order
	Tags   []string       `yaml:"tags"`   // what contacts may be marked with

	Phrases map[string][]string `yaml:"phrases"` // more words for yes, no, stop and start; other words for what is said: text.PhraseNames
	Quiet   Quiet               `yaml:"quiet"`   // when nothing is sent that no customer waits for, unless the channel says otherwise

	Lessons    string     `yaml:"lessons"` // review: a person approves them; at once
	Model      string     `yaml:"model"`   // the connection to the model that bots think with, unless they say otherwise; none: the built-in one
	Reading    Reading    `yaml:"reading"`
	Embeddings Embeddings `yaml:"embeddings"` // none: the encoder that ships with the product

	zone *time.Location
}

// A Stage is where a contact may stand.
type Stage struct {
	Name  string `yaml:"stage" json:"stage" required:"true"`
	Label string `yaml:"label" json:"label" required:"true"`
}

// Reading says what a model does behind the reading of sources.
type Reading struct {
	Model     string `yaml:"model"`        // the connection to the model that writes the questions that passages answer; none: nobody does
	Questions int    `yaml:"questions"`    // for a passage, at most
	Tokens    int    `yaml:"daily_tokens"` // that it may use in a day; 0: no bound
}

// mostQuestions is how many are written for a passage at most.
const mostQuestions = 12

// Embeddings name a model that makes the vectors of passages and questions, in
// place of the built-in encoder.
type Embeddings struct {
	Connection string `yaml:"connection"` // to a model server, or an HTTP system with the call POST /embeddings
	Model      string `yaml:"model"`
}

// Zone is the workspace's time zone, UTC if none is set.
func (s Settings) Zone() *time.Location {
	if s.zone == nil {
		return time.UTC
	}
	return s.zone
}

// Analyzer returns the analyzer for the workspace's language, synonyms, and what its
// customers say.
func (s Settings) Analyzer() *text.Analyzer {
	a := text.NewAnalyzer(s.Language, s.Synonyms)
	a.Extend(s.CustomersSay)
	return a
}

// DefaultSettings are those of a workspace that has not set any.
func DefaultSettings(name string) Settings {
	return Settings{Name: name, Title: name, Language: "en", Region: "GB", TimeZone: "UTC", Lessons: "review", Fields: contact.Standard(), zone: time.UTC}
}

// Speech is what is said, and how customers say yes, no and stop, in the workspace's
// language.
func (s Settings) Speech() text.Speech { return text.SpeechOf(s.Language).With(s.Phrases) }

// Named is document.Document's.
func (s Settings) Named() string { return s.Name }

// Refers is document.Document's.
func (s Settings) Refers() (refers []document.Reference) {
	if s.Embeddings.Connection != "" {
		refers = append(refers, ToEmbeddings("$.embeddings.connection", s.Embeddings.Connection))
	}
	if s.Reading.Model != "" {
		refers = append(refers, ToConnection("$.reading.model", s.Reading.Model, Model))
	}
	if s.Model != "" {
		refers = append(refers, ToConnection("$.model", s.Model, Model))
	}
	return refers
}

// ParseSettings reads settings. The error is document.Problems.
func ParseSettings(file string, source []byte) (Settings, error) {
	s := DefaultSettings("main")
	s.Fields, s.Reading.Questions = nil, 4
	c := document.Decode(file, source, &s)
	if c.Failed() {
		return s, c.Err()
	}
	c.Name("$.settings", s.Name)
	zone, err := time.LoadLocation(s.TimeZone)
	if err != nil {
		c.Wrong("$.time_zone", "%q is not a time zone; write one like Europe/London", s.TimeZone)
	}
	s.zone = zone
	if s.Lessons != "review" && s.Lessons != "at once" {
		c.Wrong("$.lessons", "%q is not known here; it is review or at once", s.Lessons)
	}
	for name := range s.Phrases {
		if !slices.Contains(text.PhraseNames(), name) {
			c.Wrong("$.phrases", "%q is not known here; there are: %s", name, strings.Join(text.PhraseNames(), ", "))
		}
	}
	s.Quiet.check(c)
	if s.Reading.Questions < 1 || s.Reading.Questions > mostQuestions || s.Reading.Tokens < 0 {
		c.Wrong("$.reading", "from 1 to %d questions are written for a passage, with 0 (no bound) or more tokens a day", mostQuestions)
	}
	if s.Embeddings.Model != "" && s.Embeddings.Connection == "" {
		c.Wrong("$.embeddings", "say which connection leads to the model")
	}
	for _, word := range slices.Sorted(maps.Keys(s.CustomersSay)) {
		if len(text.Words(word)) != 1 {
			c.Wrong("$.customers_say", "%q is not one word; write a word of the knowledge, and behind it what customers say for it: pushchair: [pram, baby buggy]", word)
		}
		for _, said := range s.CustomersSay[word] {
			if n := len(text.Words(said)); n == 0 || n > mostSaid {
				c.Wrong("$.customers_say."+word, "%q is not what customers say for a word: write one to %d words, with a - before it for what they do not say", said, mostSaid)
			}
		}
	}
	s.checkFields(c)
	s.checkStages(c)
	if len(s.Fields) == 0 {
		s.Fields = contact.Standard()
	}
	return s, c.Err()
}

// mostSaid is how many words stand for one of the knowledge at most.
const mostSaid = 6

// mostFields is how many fields, stages or tags a workspace may declare.
const mostFields = 100

// checkField checks the name of a field, of contacts or of a form, and returns its label.
func checkField(c *document.Checker, at, name, label string, seen map[string]bool) string {
	if !isKey(name) {
		c.Wrong(at+".field", "%q is not the name of a field: use small letters, digits and _, at most 40, a letter first", name)
	}
	if seen[name] {
		c.Wrong(at+".field", "the field %q is there twice, or its name is taken", name)
	}
	seen[name] = true
	return cmp.Or(label, name)
}

func (s *Settings) checkFields(c *document.Checker) {
	if len(s.Fields) > mostFields {
		c.Wrong("$.fields", "a workspace has at most %d fields", mostFields)
	}
	seen := map[string]bool{contact.FirstName: true}
	for i := range s.Fields {
		f := &s.Fields[i]
		at := fmt.Sprintf("$.fields[%d]", i)
		f.Label = checkField(c, at, f.Name, f.Label, seen)
		if f.Type == "" {
			f.Type = contact.Text
		}
		if !slices.Contains(contact.Types, f.Type) {
			c.Wrong(at+".type", "%q is not a type of field; the types are: %v", f.Type, contact.Types)
		}
		if (f.Type == contact.Choice) != (len(f.Choices) > 0) {
			c.Wrong(at+".choices", "a field of the type choice, and no other, lists its choices")
		}
	}
}

func (s *Settings) checkStages(c *document.Checker) {
	if len(s.Stages) > mostFields || len(s.Tags) > mostFields {
		c.Wrong("$.stages", "a workspace has at most %d stages and %d tags", mostFields, mostFields)
	}
	seen := map[string]bool{}
	for i := range s.Stages {
		stage := &s.Stages[i]
		c.Name(fmt.Sprintf("$.stages[%d].stage", i), stage.Name)
		if seen[stage.Name] {
			c.Wrong(fmt.Sprintf("$.stages[%d].stage", i), "the stage %q is there twice", stage.Name)
		}
		seen[stage.Name] = true
		if stage.Label == "" {
			stage.Label = stage.Name
		}
	}
	for i, tag := range s.Tags {
		c.Name(fmt.Sprintf("$.tags[%d]", i), tag)
		if slices.Contains(s.Tags[:i], tag) {
			c.Wrong(fmt.Sprintf("$.tags[%d]", i), "the tag %q is there twice", tag)
		}
	}
}

// isKey reports whether a name can be written in expressions: contact.shoe_size.
func isKey(name string) bool {
	for i, r := range name {
		if r != '_' && (r < 'a' || r > 'z') && (i == 0 || r < '0' || r > '9') {
			return false
		}
	}
	return name != "" && len(name) <= 40
}

// TagKnown is the reference of what gives a tag: the settings declare it.
func TagKnown(path, tag string) document.Reference {
	return declared(path, "a tag", tag, func(s Settings) []string { return s.Tags })
}

// StageKnown is the reference of what sets a stage: the settings declare it.
func StageKnown(path, stage string) document.Reference {
	return declared(path, "a stage", stage, func(s Settings) (names []string) {
		for _, of := range s.Stages {
			names = append(names, of.Name)
		}
		return names
	})
}

func declared(path, what, name string, of func(Settings) []string) document.Reference {
	return document.Reference{Path: path, Kind: "settings", Unfit: func(d document.Document) string {
		names := of(d.(Settings))
		if slices.Contains(names, name) {
			return ""
		}
		return fmt.Sprintf("%q is not %s of the workspace; the settings declare: %s", name, what, strings.Join(names, ", "))
	}}
}

// FieldKnown returns the reference of a document that uses a contact's field.
func FieldKnown(path, field string) document.Reference {
	return document.Reference{Path: path, Kind: "settings", Unfit: func(d document.Document) string {
		fields := d.(Settings).Fields
		if _, ok := fields.Named(field); ok || field == contact.FirstName {
			return ""
		}
		names := make([]string, len(fields))
		for i, f := range fields {
			names[i] = f.Name
		}
		return fmt.Sprintf("%q is not a field of contacts; the fields are: %v", field, names)
	}}
}
