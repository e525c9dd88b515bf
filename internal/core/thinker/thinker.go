// Package thinker is the seam behind which a bot thinks: by what ships with the product,
// or by a language model of the builder's choosing. A thinker is given a task, and says
// what has to be put to a model for it, if anything; with the model's reply it makes of the
// task what comes of it. It is pure: whoever uses it carries the request out.
//
// What comes of a task is a proposal. Whether it is said or done is decided by the same
// checks whoever thought it.
package thinker

import (
	"errors"
	"time"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/support"
)

// A Kind says what a task asks for.
type Kind string

// The kinds of tasks.
const (
	Search    Kind = "search"    // which passages to read, and in what words to look for more
	Answer    Kind = "answer"    // a reply to the customer, or another act that was granted
	Extract   Kind = "extract"   // values for fields, out of a text
	Classify  Kind = "classify"  // which of some labels fits a text
	Phrase    Kind = "phrase"    // a fact in the bot's words
	Summarise Kind = "summarise" // what a talk came to
	Choose    Kind = "choose"    // which of some acts is next
	Ask       Kind = "ask"       // the questions that a passage answers, in customers' words
)

// A Task is something to think about. Which of its parts count depends on its kind.
type Task struct {
	Kind     Kind
	Brief    Brief
	Said     string    // what it is about: the customer's messages, a text, a fact
	Talk     []Line    // what was said before, oldest first
	Passages []Passage // what may be known
	Looks    []Look    // Search: what may be read
	Acts     []Act     // what may be done beside replying
	Done     []Done    // what was done already, in order
	Labels   []Label   // Classify: what may fit
	Fields   []Field   // Extract: what is wanted; Summarise: what is wanted beside the text
	Most     int       // of what is asked for: passages, questions, sentences; 0: as many as there are

	Instructions string // Phrase, Summarise: the builder's, in plain words
}

// Brief is what a thinker is told of the bot.
type Brief struct {
	Name      string // that the bot goes by
	Role      string
	Workspace string
	Channel   string
	Language  string   // of the passages, ISO 639-1
	Limit     int      // letters of a reply, 0: none
	Known     []string // of the customer: "Name: Ada"
	Earlier   []Dealt  // what was asked in the talk so far, oldest first
	Manner    []string // how it works and speaks, a sentence each; what it must keep to last
	Today     time.Time
}

// Dealt is something that was asked, and what became of it.
type Dealt struct {
	Question string
	Answer   string // "": it was not answered
}

// A Line is something said in a talk.
type Line struct {
	By   string // customer, bot, person
	Text string
}

// A Passage is what a reply may stand on.
type Passage struct {
	ID    string          `json:"id"` // a name of it in this task: P1
	Heads []string        `json:"heads,omitempty"`
	Text  string          `json:"text"`
	Cite  answer.Citation `json:"cite"` // where it stands in the knowledge
}

// A Look is a glimpse of a passage that may be asked for.
type Look struct {
	ID    string `json:"id"`
	Gist  string `json:"gist"`
	Place string `json:"place"` // the id that it has in the knowledge
}

// An Act is something that may be done.
type Act struct {
	Name, About string
	Arguments   map[string]any // a JSON Schema of type object; nil: none
}

// A Call asks for an act.
type Call struct {
	ID        string         `json:"id"`
	Name      string         `json:"name"`
	Arguments map[string]any `json:"arguments"`
	Unread    string         `json:"unread,omitempty"` // the arguments, where they are no JSON object
}

// Done is an act that was done, and what came of it, as JSON.
type Done struct {
	Call
	Result string
}

// A Label is one that a text may have.
type Label struct {
	Name     string
	About    string
	Examples []string
}

// A Field is a detail that is wanted.
type Field struct {
	Name, Label, Type string
	Choices           []string
}

// An Outcome is what comes of a task.
type Outcome struct {
	Act       string   // of Answer: reply, not_known, off_topic, person
	Language  string   // that the reply is in
	Asked     []string // what the customer asks, in the language of the passages, where the reply is in another
	Sentences []support.Sentence
	Unknown   []string // what was asked and the passages do not answer
	Calls     []Call
	Wordings  []string          // of Search
	Chosen    []string          // of Search: ids of looks
	Values    map[string]string // of Extract and Summarise; of a list a line each
	Label     string
	Text      string
	Questions []string // of Ask
}

// What a reply may come to.
const (
	ActReply    = "reply"
	ActNotKnown = "not_known"
	ActOffTopic = "off_topic"
	ActPerson   = "person"
)

// A Thinker thinks. It is safe for concurrent use.
type Thinker interface {
	// Ask returns what has to be put to a model for a task, nil if nothing has.
	Ask(Task) *Request
	// Read makes of a task what comes of it, with the reply to what Ask returned, nil if
	// that was nil. An error says in words for people why nothing comes of it.
	Read(Task, *Reply) (Outcome, error)
}

// A Request is what is put to a model.
type Request struct {
	Kind      Kind           `json:"kind"`
	Messages  []Message      `json:"messages"`
	Functions []Function     `json:"functions,omitempty"`
	Schema    map[string]any `json:"schema,omitempty"` // of the reply's JSON; nil: plain words
	Passages  []Passage      `json:"passages,omitempty"`
	Looks     []Look         `json:"looks,omitempty"`
}

// The roles of messages.
const (
	System    = "system"
	User      = "user"
	Assistant = "assistant"
	ToolSaid  = "tool"
)

// A Message is one of those that are put to a model.
type Message struct {
	Role   string `json:"role"`
	Text   string `json:"text"`
	Calls  []Call `json:"calls,omitempty"`   // of the assistant
	CallID string `json:"call_id,omitempty"` // of what a tool said
}

// A Function is an act that a model may ask for.
type Function struct {
	Name       string         `json:"name"`
	About      string         `json:"about"`
	Parameters map[string]any `json:"parameters"`
}

// A Reply is what a model said.
type Reply struct {
	Text       string `json:"text"`
	Calls      []Call `json:"calls,omitempty"`
	Cut        bool   `json:"cut,omitempty"` // it ended because it might not be longer
	In         int    `json:"in"`            // tokens read
	Out        int    `json:"out"`           // tokens written
	Counted    bool   `json:"counted"`       // the server counted the tokens; else they are estimated
	FirstAfter int    `json:"first_after"`   // milliseconds to the first word
	Took       int    `json:"took"`          // milliseconds in all
}

// ErrCut is returned for a reply that was cut short.
var ErrCut = errors.New("the reply was cut short, as it might not be longer")
