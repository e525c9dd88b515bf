package client

import "time"

// Contact is a person who wrote, or was entered.
type Contact struct {
	ID        string    `json:"id" required:"true"`
	Channel   string    `json:"channel" required:"true" description:"Of the handle that was used last; empty if there is none."`
	Address   string    `json:"address" required:"true"`
	Who       string    `json:"who" required:"true" description:"The contact for people."`
	Stage     string    `json:"stage,omitempty"`
	Tags      []string  `json:"tags" required:"true"`
	Facts     []Fact    `json:"facts" required:"true"`
	CreatedAt time.Time `json:"created_at" required:"true"`
	Blocked   bool      `json:"blocked" required:"true" description:"It is not answered, and flows do not start for it."`
	NoBots    bool      `json:"no_bots" required:"true" description:"Bots do not write to it; people answer."`
	Merged    string    `json:"merged_into,omitempty" description:"The contact that stands for it since they were joined."`
}

// ContactPage is a page of contacts, the newest first.
type ContactPage struct {
	Items []Contact `json:"items" required:"true"`
	Next  string    `json:"next,omitempty" description:"The cursor of the next page."`
}

// ContactDetail is a contact with all that belongs to it.
type ContactDetail struct {
	Contact
	Handles       []Handle       `json:"handles" required:"true" nullable:"false"`
	Notes         []ContactNote  `json:"notes" required:"true" nullable:"false"`
	Conversations []Conversation `json:"conversations" required:"true" nullable:"false" description:"The latest, at most 50."`
	Runs          []Run          `json:"runs" required:"true" nullable:"false" description:"Of flows, the latest, at most 20."`
	Merges        []Merge        `json:"merges" required:"true" nullable:"false" description:"The contacts that were joined with it, and can be taken apart again."`
}

// Handle is a contact's address on a channel.
type Handle struct {
	Channel string `json:"channel" required:"true"`
	Address string `json:"address" required:"true"`
}

// ContactNote is what a person noted about a contact.
type ContactNote struct {
	ID     string    `json:"id" required:"true"`
	Text   string    `json:"text" required:"true"`
	Author string    `json:"author" required:"true"`
	At     time.Time `json:"at" required:"true"`
}

// NewContactNote is a note to be kept.
type NewContactNote struct {
	Text string `json:"text" required:"true" minLength:"1" maxLength:"4000"`
}

// Merge is two contacts that were joined.
type Merge struct {
	ID   string    `json:"id" required:"true"`
	Kept string    `json:"kept" required:"true"`
	Gone string    `json:"gone" required:"true"`
	By   string    `json:"by" required:"true"`
	At   time.Time `json:"at" required:"true"`
}

// MergeWith says with which contact another is joined.
type MergeWith struct {
	With string `json:"with" required:"true" description:"The id of the contact that goes; all that is its becomes that of the other."`
}

// MergePreview is what would become of two contacts if they were joined.
type MergePreview struct {
	Kept          Contact `json:"kept" required:"true"`
	Gone          Contact `json:"gone" required:"true"`
	Facts         []Fact  `json:"facts" required:"true" nullable:"false" description:"What would hold."`
	Lost          []Fact  `json:"lost" required:"true" nullable:"false" description:"What would not hold any more."`
	Conversations int     `json:"conversations" required:"true" description:"That would come along."`
}

// Twin is two contacts that may be one.
type Twin struct {
	A     Contact `json:"a" required:"true"`
	B     Contact `json:"b" required:"true"`
	Label string  `json:"label" required:"true" description:"Of the field by which they may be one."`
	Value string  `json:"value" required:"true"`
}

// TwinPage is a list of contacts that may be one.
type TwinPage struct {
	Items []Twin `json:"items" required:"true" nullable:"false"`
}

// ContactFile is a file with contacts to be taken in.
type ContactFile struct {
	Format string `json:"format,omitempty" enum:"csv,vcard,json" description:"Guessed, if it is left out."`
	Text   string `json:"text" required:"true"`
	Look   bool   `json:"look,omitempty" description:"Keep nothing, and say what would become of it."`
}

// ImportedContacts is what became of a file of contacts.
type ImportedContacts struct {
	Format  string   `json:"format" required:"true"`
	Added   int      `json:"added" required:"true"`
	Changed int      `json:"changed" required:"true" description:"Who was known and got what was not known yet."`
	Same    int      `json:"same" required:"true" description:"Of whom all was known."`
	Wrong   []string `json:"wrong" required:"true" nullable:"false" description:"What could not be taken, each with its place in the file; at most 50."`
	Left    []string `json:"left" required:"true" nullable:"false" description:"Columns and details that are no fields."`
}

// Forgotten is what is left of a contact that was forgotten.
type Forgotten struct {
	Copies []RecordsCopy `json:"copies" required:"true" nullable:"false" description:"Copies of the records, made before an upgrade, that still hold it."`
}

// RecordsCopy is a copy of the records that was made before an upgrade.
type RecordsCopy struct {
	File    string    `json:"file" required:"true"`
	Expires time.Time `json:"expires" required:"true" description:"When it is removed."`
}

// WholeContact is all that is kept of a contact, to be handed to them.
type WholeContact struct {
	ContactDetail
	Messages []Message    `json:"messages" required:"true" nullable:"false" description:"Of all conversations, in order."`
	Rows     []ContactRow `json:"rows" required:"true" nullable:"false" description:"Of sheets."`
}

// ContactRow is a row of a sheet that is a contact's.
type ContactRow struct {
	Sheet string            `json:"sheet" required:"true"`
	Cells map[string]string `json:"cells" required:"true"`
}

// ContactChange changes a contact. What is left out stays as it is.
type ContactChange struct {
	Facts map[string]string `json:"facts,omitempty" description:"By field; an empty value removes what is known."`
	Stage *string           `json:"stage,omitempty"`
	Tags  *[]string         `json:"tags,omitempty"`

	Blocked *bool `json:"blocked,omitempty" description:"A blocked contact is not answered, and flows do not start for it."`
	NoBots  *bool `json:"no_bots,omitempty" description:"Bots do not write to it; people answer."`
}
