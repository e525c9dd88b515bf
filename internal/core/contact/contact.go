// Package contact holds what a workspace keeps of each contact: the fields that
// it has declared, and the memory of one contact, which is a fact for each field
// that is known.
package contact

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"urgentparrot.example/internal/core/text"
)

// Type is the type of a field's values.
type Type string

// The types of fields.
const (
	Text   Type = "text"
	Number Type = "number"
	Date   Type = "date"   // kept as 2026-12-24
	Choice Type = "choice" // one of the field's choices
	Email  Type = "email"
	Phone  Type = "phone"     // kept in the form of E.164
	Name   Type = "name"      // a person's name
	Zone   Type = "time_zone" // kept as Europe/London
)

// Types lists all types.
var Types = []Type{Text, Number, Date, Choice, Email, Phone, Name, Zone}

// A Field is a detail that is kept about contacts.
type Field struct {
	Name      string   `yaml:"field" json:"field" required:"true" description:"Its name in texts: contact.email."`
	Label     string   `yaml:"label" json:"label" required:"true" description:"Its name for people."`
	Type      Type     `yaml:"type" json:"type" required:"true" enum:"text,number,date,choice,email,phone,name,time_zone"`
	Choices   []string `yaml:"choices" json:"choices,omitempty" description:"Of a choice: the values it may have."`
	Sensitive bool     `yaml:"sensitive" json:"sensitive,omitempty" description:"Its values are left out of traces, summaries and notifications."`
}

// valueLimit is the longest value that is kept, in runes.
const valueLimit = 500

// Read takes a value that somebody typed into the field. It returns the value as
// it is kept, or an error that says what is expected. Telephone numbers without a
// country are those of the region; dates without a year come after now.
func (f Field) Read(typed, region string, now time.Time) (string, error) {
	typed = text.Squeeze(typed)
	switch {
	case typed == "":
		return "", fmt.Errorf("%s is empty", f.Label)
	case len([]rune(typed)) > valueLimit:
		return "", fmt.Errorf("%s has more than %d characters", f.Label, valueLimit)
	}
	switch f.Type {
	case Number:
		n, err := strconv.ParseFloat(strings.ReplaceAll(typed, ",", "."), 64)
		if err != nil || n != n || n > 1e15 || n < -1e15 {
			return "", fmt.Errorf("%q is not a number", typed)
		}
		return strconv.FormatFloat(n, 'f', -1, 64), nil
	case Date:
		if day, err := time.Parse(time.DateOnly, typed); err == nil {
			return day.Format(time.DateOnly), nil
		}
		day, ok := text.Date(typed, now)
		if !ok {
			return "", fmt.Errorf("%q is not a date; write it like 2026-12-24", typed)
		}
		return day.Format(time.DateOnly), nil
	case Choice:
		for _, choice := range f.Choices {
			if strings.EqualFold(choice, typed) {
				return choice, nil
			}
		}
		return "", fmt.Errorf("%q is not one of: %s", typed, strings.Join(f.Choices, ", "))
	case Email:
		if email := text.Email(typed); email != "" {
			return email, nil
		}
		return "", fmt.Errorf("%q is not an e-mail address", typed)
	case Phone:
		if phone := text.Phone(typed, region); phone != "" {
			return phone, nil
		}
		return "", fmt.Errorf("%q is not a telephone number", typed)
	case Zone:
		if zone := zoneNamed(typed); zone != nil {
			return zone.String(), nil
		}
		return "", fmt.Errorf("%q is not a time zone; write one like Europe/London", typed)
	}
	return typed, nil
}

// Shown is how a fact of the field reads where others may see it.
func (f Field) Shown(value string) string {
	if f.Sensitive {
		return "known"
	}
	return value
}

// Fields are the fields of a workspace, in the order in which they are shown.
type Fields []Field

// Standard are the fields of a workspace that declares none.
func Standard() Fields {
	return Fields{
		{Name: "name", Label: "Name", Type: Name},
		{Name: "email", Label: "E-mail", Type: Email},
		{Name: "phone", Label: "Telephone", Type: Phone},
	}
}

// Named returns the field of a name.
func (fs Fields) Named(name string) (Field, bool) {
	at := slices.IndexFunc(fs, func(f Field) bool { return f.Name == name })
	if at < 0 {
		return Field{}, false
	}
	return fs[at], true
}

// Of returns the first field of a type.
func (fs Fields) Of(t Type) (Field, bool) {
	at := slices.IndexFunc(fs, func(f Field) bool { return f.Type == t })
	if at < 0 {
		return Field{}, false
	}
	return fs[at], true
}

// Hear takes what a customer says of themselves out of free text: the values of
// the first field of each type that can be recognised by its form. What they say of
// others is left out.
func (fs Fields) Hear(said, region string) (heard []Fact) {
	said = text.WithoutOthers(said)
	for _, f := range fs {
		if first, _ := fs.Of(f.Type); first.Name != f.Name {
			continue
		}
		value := ""
		switch f.Type {
		case Name:
			value = text.Name(said)
		case Email:
			value = text.Email(said)
		case Phone:
			value = text.Phone(said, region)
		}
		if value != "" {
			heard = append(heard, Fact{Field: f.Name, Value: value})
		}
	}
	return heard
}

// A Fact is the value of one field of a contact.
type Fact struct {
	Field    string
	Value    string
	Verified bool // vouched for by the channel or by a person; not only claimed
}

// A Memory is what is known of one contact, by field. The nil Memory is that of a
// stranger.
type Memory map[string]Fact

// With returns the memory with another fact. A claim never takes the place of
// what was verified; the memory itself is not changed.
func (m Memory) With(f Fact) Memory {
	if m[f.Field].Verified && !f.Verified {
		return m
	}
	next := Memory{f.Field: f}
	for name, fact := range m {
		if name != f.Field {
			next[name] = fact
		}
	}
	return next
}

// FirstName is the value that texts may use beside the fields: the first word of
// the contact's name.
const FirstName = "first_name"

// Values returns the values that texts may use: those of the fields, and
// FirstName.
func (fs Fields) Values(m Memory) map[string]string {
	values := make(map[string]string, len(m)+1)
	for _, f := range fs {
		if value := m[f.Name].Value; value != "" {
			values[f.Name] = value
		}
	}
	if words := strings.Fields(fs.Person(m)); len(words) > 0 {
		values[FirstName] = words[0]
	}
	return values
}

// Person returns the contact's name, "" if it is not known.
func (fs Fields) Person(m Memory) string {
	field, _ := fs.Of(Name)
	return m[field.Name].Value
}

// zoneNamed is the time zone of a name, nil if there is none; the zone of the machine has
// no name that means anything to others.
func zoneNamed(name string) *time.Location {
	if name == "" || name == "Local" {
		return nil
	}
	zone, err := time.LoadLocation(name)
	if err != nil {
		return nil
	}
	return zone
}

// Zone is where the contact lives, as to time: by the first field that holds a time zone,
// else by the number of their telephone, where all places that may have it have the same
// time then. It is nil where that is not known.
func (fs Fields) Zone(m Memory, at time.Time) *time.Location {
	for _, f := range fs {
		if zone := zoneNamed(m[f.Name].Value); f.Type == Zone && zone != nil {
			return zone
		}
	}
	phone, _ := fs.Of(Phone)
	var zone *time.Location
	for _, name := range text.ZonesOf(m[phone.Name].Value) {
		place := zoneNamed(name)
		if place == nil {
			continue
		}
		if zone != nil && at.In(zone).Format(time.DateTime) != at.In(place).Format(time.DateTime) {
			return nil
		}
		zone = cmp.Or(zone, place)
	}
	return zone
}
