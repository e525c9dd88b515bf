package workspace

import (
	"fmt"
	"slices"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/document"
)

// A Form is a page of fields that customers fill in and send.
type Form struct {
	Name     string      `yaml:"form"`
	Title    string      `yaml:"title"`
	About    string      `yaml:"about"` // stands above the fields
	Fields   []FormField `yaml:"fields"`
	Button   string      `yaml:"button"`
	Thanks   string      `yaml:"thanks"`  // said once it is sent
	Origins  []string    `yaml:"origins"` // pages that may show it or post to it; none: any
	HoldBack Duration    `yaml:"pace"`    // a form that is sent faster than this was filled in by a program; 2s if left out
}

// A FormField is one thing that is asked for.
type FormField struct {
	Name     string   `yaml:"field" json:"field" required:"true"`
	Label    string   `yaml:"label" json:"label"`
	Help     string   `yaml:"help" json:"help,omitempty"`
	As       string   `yaml:"as" json:"as" enum:"text,name,integer,number,boolean,email,phone,date,time,choice,list"`
	Choices  []string `yaml:"choices" json:"choices,omitempty"`
	Required bool     `yaml:"required" json:"required,omitempty"`
	Long     bool     `yaml:"long" json:"long,omitempty"` // several lines
	To       string   `yaml:"save" json:"save,omitempty"` // the contact's field that it fills
}

// Strict reports whether a value of the field, where there is one, is always of its kind:
// texts are. What cannot be read as something else is kept as it was said.
func (f FormField) Strict() bool { return f.As == "text" || f.As == "name" }

// formTypes are what a field of a form may ask for.
var formTypes = []string{"text", "name", "integer", "number", "boolean", "email", "phone", "date", "time", "choice", "list"}

// Named is document.Document's.
func (f Form) Named() string { return f.Name }

// Refers is document.Document's.
func (f Form) Refers() (refers []document.Reference) {
	for i, field := range f.Fields {
		if field.To != "" {
			refers = append(refers, FieldKnown(fmt.Sprintf("$.fields[%d].save", i), field.To))
		}
	}
	return refers
}

// Mail returns the field that holds who sent it, for finding the contact: the e-mail
// address or the telephone number, "" if the form asks for neither.
func (f Form) Mail(t contact.Type) string {
	for _, field := range f.Fields {
		if field.As == string(t) {
			return field.Name
		}
	}
	return ""
}

// ParseForm reads a form. The error is document.Problems.
func ParseForm(file string, source []byte) (Form, error) {
	f := Form{Button: "Send", Thanks: "Thank you. We will be in touch.", HoldBack: Duration(2e9)}
	c := document.Decode(file, source, &f)
	if c.Failed() {
		return f, c.Err()
	}
	c.Name("$.form", f.Name)
	if f.Title == "" {
		f.Title = f.Name
	}
	if len(f.Fields) == 0 || len(f.Fields) > 50 {
		c.Wrong("$.fields", "a form has from 1 to 50 fields")
	}
	seen := map[string]bool{"_page": true, "_url": true, "kind": true, "entry": true, "form": true}
	for i := range f.Fields {
		field := &f.Fields[i]
		at := fmt.Sprintf("$.fields[%d]", i)
		field.Label = checkField(c, at, field.Name, field.Label, seen)
		if field.As == "" {
			field.As = "text"
		}
		if !slices.Contains(formTypes, field.As) {
			c.Wrong(at+".as", "%q is not known here; there are: %v", field.As, formTypes)
		}
		if (field.As == "choice") != (len(field.Choices) > 0) {
			c.Wrong(at+".choices", "a field as choice, and no other, lists its choices")
		}
	}
	return f, c.Err()
}
