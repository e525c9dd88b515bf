package client

import (
	"time"
)

// Finding is something that is wrong in a document, or may be.
type Finding struct {
	Problem
	Warning bool `json:"warning" required:"true" description:"It may be wrong; the document works."`
}

// FlowPage lists flows.
type FlowPage struct {
	Items []Flow `json:"items" required:"true"`
}

// Flow is a flow and how it stands.
type Flow struct {
	Name         string     `json:"name" required:"true"`
	Title        string     `json:"title" required:"true"`
	Starts       string     `json:"starts" required:"true" description:"When it starts, in words."`
	Triggers     []string   `json:"triggers" required:"true" description:"The kinds of what starts it: of the live version, else of the draft."`
	Version      int        `json:"version" required:"true" description:"Of the draft."`
	Live         int        `json:"live" required:"true" description:"The version that is live; 0: none."`
	LiveBy       string     `json:"live_by,omitempty"`
	LiveAt       *time.Time `json:"live_at,omitempty"`
	UpdatedAt    time.Time  `json:"updated_at" required:"true"`
	Findings     []Finding  `json:"findings" required:"true" description:"What is wrong in the draft, or may be."`
	Broken       []Finding  `json:"broken" required:"true" description:"What keeps the live version from starting."`
	FiredAt      *time.Time `json:"fired_at,omitempty" description:"When it last started."`
	MissedAt     *time.Time `json:"missed_at,omitempty" description:"When it last did not start although it might have."`
	Missed       string     `json:"missed,omitempty" description:"Why it did not."`
	Open         int        `json:"open" required:"true" description:"Runs that go on."`
	Failed       int        `json:"failed" required:"true" description:"Runs that failed."`
	With         []string   `json:"with,omitempty" description:"The values that it needs where it is started by hand."`
	WithOptional []string   `json:"with_optional,omitempty" description:"Those that it may be given."`
	Address      string     `json:"address,omitempty" description:"To which other systems post, where a webhook starts it."`
}

// FlowDetail is a flow with its text.
type FlowDetail struct {
	Flow
	Text      string     `json:"text" required:"true" description:"Of the draft."`
	Sentences []Sentence `json:"sentences" required:"true" description:"The draft in plain sentences."`
}

// Sentence is a step of a flow in words.
type Sentence struct {
	Number string `json:"number" required:"true"`
	Depth  int    `json:"depth" required:"true"`
	Line   int    `json:"line" required:"true"`
	Path   string `json:"path" required:"true"`
	Words  string `json:"words" required:"true"`
}

// Explained is a flow's text in words, with what is wrong in it.
type Explained struct {
	Findings  []Finding  `json:"findings" required:"true"`
	Sentences []Sentence `json:"sentences" required:"true"`
	Starts    []Sentence `json:"starts" required:"true" description:"What starts it, one by one."`
	Names     []string   `json:"names" required:"true" description:"Of the values that its steps keep, for its conditions."`
	Readable  bool       `json:"readable" required:"true" description:"It can be kept as a draft."`
}

// VersionPage lists the versions of a document, the newest first.
type VersionPage struct {
	Items []Version `json:"items" required:"true"`
}

// Version is a text that a document had.
type Version struct {
	Version int       `json:"version" required:"true"`
	Author  string    `json:"author" required:"true" description:"Who wrote it; empty if it is not known."`
	At      time.Time `json:"at" required:"true"`
	Text    string    `json:"text" required:"true"`
}

// GoLive says which version of a document is to be used.
type GoLive struct {
	Version int `json:"version,omitempty" description:"The newest, if it is left out."`
}

// StartFlow starts a flow by hand.
type StartFlow struct {
	Contacts []string            `json:"contacts,omitempty" description:"For each of these, by id; for nobody, if none are given."`
	Values   map[string]string   `json:"values,omitempty" description:"What the flow finds as event.NAME."`
	Rows     []map[string]string `json:"rows,omitempty" description:"In place of contacts: for each of these rows, which it finds as event.NAME. A column contact holds a contact's id."`
}

// Started says how many runs were asked for.
type Started struct {
	Asked int `json:"asked" required:"true"`
}

// FlowTrial says how a flow is tried, and on what: one of message, body, posted, entry, run
// and conversation starts it; without any it is started by hand, or as its first trigger says.
type FlowTrial struct {
	Text         string            `json:"text,omitempty" maxLength:"262144" description:"A draft in place of the one that is kept."`
	Message      string            `json:"message,omitempty" maxLength:"4000" description:"What a customer writes."`
	Body         any               `json:"body,omitempty" description:"What another system posts."`
	Posted       string            `json:"posted,omitempty" description:"The id of what one posted; latest for the last."`
	Entry        string            `json:"entry,omitempty" description:"The id of what was sent with a form; latest for the last of a form that starts the flow."`
	Run          string            `json:"run,omitempty" description:"The id of a run: what started it; latest for the last."`
	Conversation string            `json:"conversation,omitempty" description:"The id of a conversation: what the customer said in it."`
	Values       map[string]string `json:"values,omitempty" description:"What the flow finds as event.NAME, where it is started by hand."`
	Contact      string            `json:"contact,omitempty" description:"The id of the contact whose fields, stage and tags are known."`
	Channel      string            `json:"channel,omitempty"`
	Says         []string          `json:"says,omitempty" maxItems:"100" description:"What the customer says then, one after another; +2h lets time pass in between."`
	Pass         string            `json:"pass,omitempty" description:"How much time passes at the end: 31m, 4h, 3d."`
	Answers      map[string]any    `json:"answers,omitempty" description:"What tools answer, by their names."`
	Step         string            `json:"step,omitempty" description:"The number of the one step that is tried, by itself."`
	Before       string            `json:"before,omitempty" description:"The number of the step before which it ends."`
	Saved        map[string]any    `json:"saved,omitempty" description:"Of one step: what was saved before it."`
}

// TriedFlow is what came of trying a flow.
type TriedFlow struct {
	Triggers []TriedTrigger `json:"triggers" required:"true" description:"What each trigger says to what started it, up to the first that it fires."`
	Steps    []TriedStep    `json:"steps" required:"true"`
	Talk     []TriedLine    `json:"talk" required:"true"`
	Happened []string       `json:"happened" required:"true" description:"What would have been done beside talking, in order."`
	Values   map[string]any `json:"values" required:"true" description:"What was saved."`
	Stands   string         `json:"stands,omitempty" description:"How the run stands at the end, in words behind it: is done, waits for a reply."`
	Missed   string         `json:"missed,omitempty" description:"Why none began."`
}

// TriedTrigger says whether a trigger fires.
type TriedTrigger struct {
	Words string `json:"words" required:"true"`
	Line  int    `json:"line" required:"true"`
	Fires bool   `json:"fires" required:"true"`
	Why   string `json:"why,omitempty" description:"It does not."`
}

// TriedStep is a step that was taken.
type TriedStep struct {
	Flow string `json:"flow" required:"true"`
	Passed
}

// TriedLine is something that was said.
type TriedLine struct {
	By   string    `json:"by" required:"true" enum:"customer,bot,person"`
	Text string    `json:"text" required:"true"`
	At   time.Time `json:"at" required:"true"`
}

// RunPage lists runs, the latest first.
type RunPage struct {
	Items []Run  `json:"items" required:"true"`
	Next  string `json:"next,omitempty"`
}

// Run is a run of a flow.
type Run struct {
	ID           string     `json:"id" required:"true"`
	Flow         string     `json:"flow" required:"true"`
	Title        string     `json:"title" required:"true"`
	Version      int        `json:"version" required:"true"`
	Contact      string     `json:"contact,omitempty"`
	Who          string     `json:"who" required:"true" description:"The contact, for people."`
	Conversation string     `json:"conversation,omitempty"`
	Status       string     `json:"status" required:"true" enum:"going,waiting,done,stopped,failed"`
	Step         string     `json:"step" required:"true" description:"The number of the step at which it stands."`
	Line         int        `json:"line" required:"true"`
	Words        string     `json:"words" required:"true" description:"The step in words."`
	WaitsFor     string     `json:"waits_for,omitempty"`
	Until        *time.Time `json:"until,omitempty"`
	Why          string     `json:"why,omitempty" description:"How it ended."`
	StartedBy    string     `json:"started_by" required:"true"`
	StartedAt    time.Time  `json:"started_at" required:"true"`
	UpdatedAt    time.Time  `json:"updated_at" required:"true"`
	Behind       bool       `json:"behind" required:"true" description:"Another version of the flow is live."`
}

// RunDetail is a run with its values and its path.
type RunDetail struct {
	Run
	Values map[string]any `json:"values" required:"true"`
	Event  map[string]any `json:"event" required:"true" description:"What started it."`
	Path   []Passed       `json:"path" required:"true" description:"What it did, in order."`
}

// Passed is a step that a run took.
type Passed struct {
	Number string    `json:"number" required:"true"`
	Line   int       `json:"line" required:"true"`
	Words  string    `json:"words" required:"true"`
	At     time.Time `json:"at" required:"true"`
}

// Pause says whether all that bots and flows do is paused.
type Pause struct {
	Paused bool       `json:"paused" required:"true"`
	By     string     `json:"by,omitempty"`
	At     *time.Time `json:"at,omitempty"`
}

// FormPage lists forms.
type FormPage struct {
	Items []Form `json:"items" required:"true"`
}

// Form is a form and where it is.
type Form struct {
	Name    string      `json:"name" required:"true"`
	Title   string      `json:"title" required:"true"`
	Fields  []FormField `json:"fields" required:"true"`
	Address string      `json:"address" required:"true" description:"Of its page; below it /embed.js is the script that shows it in other pages."`
	Entries int         `json:"entries" required:"true" description:"Of the latest hundred."`
}

// FormField is a field of a form.
type FormField struct {
	Name  string `json:"name" required:"true"`
	Label string `json:"label" required:"true"`
	As    string `json:"as" required:"true"`
}

// FormEntryPage lists what was sent with a form.
type FormEntryPage struct {
	Items []FormEntry `json:"items" required:"true"`
}

// FormEntry is what was sent with a form.
type FormEntry struct {
	ID       string            `json:"id" required:"true"`
	Said     map[string]string `json:"said" required:"true" description:"As it was typed."`
	Cleaned  map[string]any    `json:"cleaned" required:"true"`
	Doubtful []string          `json:"doubtful" required:"true" description:"Fields that could not be cleaned."`
	Contact  string            `json:"contact,omitempty"`
	At       time.Time         `json:"at" required:"true"`
}

// PostedPage lists what was posted to a flow.
type PostedPage struct {
	Items []Posted `json:"items" required:"true"`
}

// Posted is a body that was posted to a flow.
type Posted struct {
	ID    string    `json:"id" required:"true"`
	Body  string    `json:"body" required:"true"`
	Error string    `json:"error,omitempty" description:"Why it did not fit."`
	At    time.Time `json:"at" required:"true"`
}

// Rehearse plays rehearsals.
type Rehearse struct {
	Scripts []DocumentFile    `json:"scripts,omitempty" description:"The rehearsals; those that are kept, if there are none."`
	Drafts  map[string]string `json:"drafts,omitempty" description:"Texts of flows in place of those that are kept, by name."`
	Last    int               `json:"last,omitempty" minimum:"0" maximum:"200" description:"In place of rehearsals: so many of the latest real conversations are played again. Then passed says that no reply would be another, expected is what was said, and file is the conversation's id."`
}

// DocumentFile is a document's text with the name of its file.
type DocumentFile struct {
	File string `json:"file" required:"true"`
	Text string `json:"text" required:"true"`
}

// Rehearsed is what came of rehearsals.
type Rehearsed struct {
	Items []RehearsalReport `json:"items" required:"true"`
}

// RehearsalReport is what came of a rehearsal.
type RehearsalReport struct {
	Title  string          `json:"rehearsal" required:"true"`
	File   string          `json:"file,omitempty"`
	Passed bool            `json:"passed" required:"true"`
	Lines  []RehearsedLine `json:"lines" required:"true"`
	Took   float64         `json:"took" required:"true" description:"Milliseconds."`
}

// RehearsedLine is a line of a rehearsal, and what happened.
type RehearsedLine struct {
	Line     int    `json:"line" required:"true"`
	Kind     string `json:"kind" required:"true"`
	Expected string `json:"expected" required:"true"`
	Happened string `json:"happened" required:"true"`
	Wrong    bool   `json:"wrong" required:"true"`
}
