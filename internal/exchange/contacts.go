// Package exchange reads and writes contacts in the formats that other programs have: CSV,
// vCard and JSON.
package exchange

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime/quotedprintable"
	"regexp"
	"slices"
	"strings"

	"github.com/emersion/go-vcard"

	"urgentparrot.example/internal/core/contact"
)

// A Format is one that contacts are exchanged in.
type Format string

// The formats.
const (
	CSV   Format = "csv"   // a column for each field, and stage and tags
	VCard Format = "vcard" // RFC 6350; 3.0 and 2.1 are read too
	JSON  Format = "json"
)

// Formats are those that there are.
var Formats = []Format{CSV, VCard, JSON}

// A Handle is where somebody can be reached.
type Handle struct {
	Channel string `json:"channel"`
	Address string `json:"address"`
}

// A Person is a contact in a file.
type Person struct {
	Details map[string]string `json:"details"` // by field
	Stage   string            `json:"stage,omitempty"`
	Tags    []string          `json:"tags,omitempty"`
	Handles []Handle          `json:"handles,omitempty"`
	Notes   []string          `json:"notes,omitempty"`
	Line    int               `json:"-"` // where it begins in the file, counted from 1; of JSON the place in the list
}

// Most is how many people are read of one file.
const Most = 20_000

// Guess returns the format of a file by how it begins.
func Guess(raw []byte) Format {
	begins := strings.ToUpper(strings.TrimLeft(strings.TrimPrefix(string(raw[:min(len(raw), 200)]), "\uFEFF"), " \r\n\t"))
	switch {
	case strings.HasPrefix(begins, "BEGIN:VCARD"):
		return VCard
	case strings.HasPrefix(begins, "[") || strings.HasPrefix(begins, "{"):
		return JSON
	}
	return CSV
}

// Read reads the people of a file. What it holds that is no field, stage or tag is named in
// left, once each.
func Read(f Format, raw []byte, fields contact.Fields) (people []Person, left []string, err error) {
	raw = bytes.TrimPrefix(raw, []byte("\uFEFF"))
	switch f {
	case CSV:
		people, left, err = readCSV(raw, fields)
	case VCard:
		people, err = readVCard(raw, fields)
	case JSON:
		people, left, err = readJSON(raw, fields)
	default:
		return nil, nil, fmt.Errorf("%q is no format; it is csv, vcard or json", f)
	}
	if err == nil && len(people) > Most {
		err = fmt.Errorf("the file holds more than %d people; divide it", Most)
	}
	return people, left, err
}

// fieldNamed finds the field that a heading means, by its name or its label.
func fieldNamed(heading string, fields contact.Fields) (contact.Field, bool) {
	heading = strings.TrimSpace(heading)
	at := slices.IndexFunc(fields, func(f contact.Field) bool {
		return strings.EqualFold(f.Name, heading) || strings.EqualFold(f.Label, heading)
	})
	if at < 0 {
		return contact.Field{}, false
	}
	return fields[at], true
}

// parted takes a list in one cell apart.
func parted(cell string) (list []string) {
	for _, item := range strings.FieldsFunc(cell, func(r rune) bool { return r == ';' || r == ',' }) {
		if item = strings.TrimSpace(item); item != "" {
			list = append(list, item)
		}
	}
	return list
}

func readCSV(raw []byte, fields contact.Fields) (people []Person, left []string, err error) {
	r := csv.NewReader(bytes.NewReader(raw))
	r.FieldsPerRecord, r.TrimLeadingSpace = -1, true
	first, _, _ := strings.Cut(string(raw), "\n")
	for _, comma := range []rune{';', '\t'} { // as spreadsheets of some countries write
		if strings.Count(first, string(comma)) > strings.Count(first, ",") {
			r.Comma = comma
		}
	}
	heads, err := r.Read()
	if err != nil {
		return nil, nil, errors.New("the file is empty; its first line must name the fields")
	}
	known := 0
	for _, head := range heads {
		_, is := fieldNamed(head, fields)
		if is || slices.Contains([]string{"stage", "tags", "channel", "address", "note", "notes"}, strings.ToLower(strings.TrimSpace(head))) {
			known++
		} else if head = strings.TrimSpace(head); head != "" && !slices.Contains(left, head) {
			left = append(left, head)
		}
	}
	if known == 0 {
		return nil, left, fmt.Errorf("none of the columns is a field: the first line must name some of %s", namesOf(fields))
	}
	for {
		cells, err := r.Read()
		if errors.Is(err, io.EOF) {
			return people, left, nil
		}
		if err != nil {
			return nil, nil, fmt.Errorf("the file cannot be read: %w", err)
		}
		line, _ := r.FieldPos(0)
		p := Person{Details: map[string]string{}, Line: line}
		var h Handle
		for i, cell := range cells[:min(len(cells), len(heads))] {
			cell = strings.TrimSpace(cell)
			if bare, ok := strings.CutPrefix(cell, "'"); ok && safe(bare) == cell {
				cell = bare // it was put before what a spreadsheet would run
			}
			if cell == "" {
				continue
			}
			switch head := strings.ToLower(strings.TrimSpace(heads[i])); {
			case head == "stage":
				p.Stage = cell
			case head == "tags":
				p.Tags = parted(cell)
			case head == "channel":
				h.Channel = cell
			case head == "address":
				h.Address = cell
			case head == "note" || head == "notes":
				p.Notes = append(p.Notes, cell)
			default:
				if field, is := fieldNamed(heads[i], fields); is {
					p.Details[field.Name] = cell
				}
			}
		}
		if h.Channel != "" && h.Address != "" {
			p.Handles = append(p.Handles, h)
		}
		if len(p.Details)+len(p.Handles) > 0 {
			people = append(people, p)
		}
		if len(people) > Most {
			return people, left, nil
		}
	}
}

func namesOf(fields contact.Fields) string {
	var names []string
	for _, f := range fields {
		names = append(names, f.Name)
	}
	return strings.Join(names, ", ")
}

// ownProperty begins the vCard properties of fields that vCard has none for.
const ownProperty = "X-FIELD-"

// What vCard 2.1 writes otherwise: parameters without a name, as in "TEL;CELL:", and lines that
// go on behind a "=".
var (
	propertyHead = regexp.MustCompile(`(?m)^[A-Za-z0-9.-]+(?:;[A-Za-z0-9-]+(?:=[^;:\r\n]*)?)+:`)
	goesOn       = regexp.MustCompile(`=\r?\n`)
)

const quotedPrintable = "QUOTED-PRINTABLE"

// modern writes what vCard 2.1 says as later versions do.
func modern(raw []byte) []byte {
	if bytes.Contains(raw, []byte(quotedPrintable)) {
		raw = goesOn.ReplaceAll(raw, nil)
	}
	return propertyHead.ReplaceAllFunc(raw, func(head []byte) []byte {
		parts := strings.Split(strings.TrimSuffix(string(head), ":"), ";")
		for i, part := range parts[1:] {
			switch {
			case strings.Contains(part, "="):
			case strings.EqualFold(part, quotedPrintable):
				parts[i+1] = "ENCODING=" + part
			default:
				parts[i+1] = "TYPE=" + part
			}
		}
		return []byte(strings.Join(parts, ";") + ":")
	})
}

// decode reads the values of a card that are quoted-printable.
func decode(card vcard.Card) {
	for _, list := range card {
		for _, field := range list {
			if !strings.EqualFold(field.Params.Get("ENCODING"), quotedPrintable) {
				continue
			}
			if value, err := io.ReadAll(quotedprintable.NewReader(strings.NewReader(field.Value))); err == nil {
				field.Value = string(value)
			}
		}
	}
}

func readVCard(raw []byte, fields contact.Fields) (people []Person, err error) {
	d := vcard.NewDecoder(bytes.NewReader(modern(raw)))
	for len(people) <= Most {
		card, err := d.Decode()
		if errors.Is(err, io.EOF) {
			return people, nil
		}
		if err != nil {
			return nil, fmt.Errorf("card %d cannot be read: %w", len(people)+1, err)
		}
		decode(card)
		p := Person{Details: map[string]string{}, Line: len(people) + 1}
		name := card.PreferredValue(vcard.FieldFormattedName)
		if n := card.Name(); name == "" && n != nil {
			name = strings.TrimSpace(n.GivenName + " " + n.FamilyName)
		}
		for _, f := range fields {
			value := ""
			switch first, _ := fields.Of(f.Type); {
			case f.Type == contact.Name && first.Name == f.Name:
				value = name
			case f.Type == contact.Email && first.Name == f.Name:
				value = card.PreferredValue(vcard.FieldEmail)
			case f.Type == contact.Phone && first.Name == f.Name:
				value = strings.TrimPrefix(card.PreferredValue(vcard.FieldTelephone), "tel:")
			default:
				value = card.Value(ownProperty + strings.ToUpper(strings.ReplaceAll(f.Name, "_", "-")))
			}
			if value != "" {
				p.Details[f.Name] = value
			}
		}
		for _, tag := range card.Categories() {
			if tag != "" {
				p.Tags = append(p.Tags, tag)
			}
		}
		if note := card.Value(vcard.FieldNote); note != "" {
			p.Notes = []string{note}
		}
		if len(p.Details) > 0 {
			people = append(people, p)
		}
	}
	return people, nil
}

func readJSON(raw []byte, fields contact.Fields) (people []Person, left []string, err error) {
	var file struct {
		Items []Person `json:"items"`
	}
	if bytes.HasPrefix(bytes.TrimSpace(raw), []byte("[")) {
		err = json.Unmarshal(raw, &file.Items)
	} else {
		err = json.Unmarshal(raw, &file)
	}
	if err != nil {
		return nil, nil, fmt.Errorf("the file cannot be read: %w", err)
	}
	for i, p := range file.Items {
		p.Line = i + 1
		details := map[string]string{}
		for name, value := range p.Details {
			if field, is := fieldNamed(name, fields); is {
				details[field.Name] = value
			} else if !slices.Contains(left, name) {
				left = append(left, name)
			}
		}
		if p.Details = details; len(details)+len(p.Handles) > 0 {
			people = append(people, p)
		}
	}
	return people, left, nil
}

// Write writes people to w.
func Write(w io.Writer, f Format, people []Person, fields contact.Fields) error {
	switch f {
	case CSV:
		return writeCSV(w, people, fields)
	case VCard:
		return writeVCard(w, people, fields)
	case JSON:
		e := json.NewEncoder(w)
		e.SetIndent("", "  ")
		return e.Encode(struct {
			Items []Person `json:"items"`
		}{append([]Person{}, people...)})
	}
	return fmt.Errorf("%q is no format; it is csv, vcard or json", f)
}

func writeCSV(w io.Writer, people []Person, fields contact.Fields) error {
	out := csv.NewWriter(w)
	heads := []string{}
	for _, f := range fields {
		heads = append(heads, f.Name)
	}
	if err := out.Write(append(heads, "stage", "tags", "channel", "address")); err != nil {
		return err
	}
	for _, p := range people {
		var cells []string
		for _, f := range fields {
			cells = append(cells, safe(p.Details[f.Name]))
		}
		h := Handle{}
		if len(p.Handles) > 0 {
			h = p.Handles[0]
		}
		if err := out.Write(append(cells, p.Stage, safe(strings.Join(p.Tags, "; ")), h.Channel, safe(h.Address))); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

// safe puts an apostrophe before what a spreadsheet would run.
func safe(cell string) string {
	if cell != "" && strings.ContainsAny(cell[:1], "=+-@\t\r") {
		return "'" + cell
	}
	return cell
}

func writeVCard(w io.Writer, people []Person, fields contact.Fields) error {
	e := vcard.NewEncoder(w)
	for _, p := range people {
		card := vcard.Card{}
		card.SetValue(vcard.FieldVersion, "4.0")
		name := ""
		for _, f := range fields {
			value := p.Details[f.Name]
			if value == "" {
				continue
			}
			switch first, _ := fields.Of(f.Type); {
			case f.Type == contact.Name && first.Name == f.Name:
				name = value
			case f.Type == contact.Email && first.Name == f.Name:
				card.SetValue(vcard.FieldEmail, value)
			case f.Type == contact.Phone && first.Name == f.Name:
				card.SetValue(vcard.FieldTelephone, value)
			default:
				card.SetValue(ownProperty+strings.ToUpper(strings.ReplaceAll(f.Name, "_", "-")), value)
			}
		}
		if name == "" && len(p.Handles) > 0 {
			name = p.Handles[0].Address
		}
		card.SetValue(vcard.FieldFormattedName, name) // RFC 6350 wants one
		if len(p.Tags) > 0 {
			card.SetCategories(p.Tags)
		}
		if err := e.Encode(card); err != nil {
			return err
		}
	}
	return nil
}
