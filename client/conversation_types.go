package client

import "time"

// Conversation is an exchange with one contact on one channel.
type Conversation struct {
	ID           string     `json:"id" required:"true"`
	Channel      string     `json:"channel" required:"true"`
	Address      string     `json:"address" required:"true" description:"The contact's handle on the channel."`
	Contact      string     `json:"contact" required:"true" description:"The contact's id."`
	Name         string     `json:"name,omitempty" description:"The contact's name, if it is known."`
	Bot          string     `json:"bot" required:"true"`
	Lead         string     `json:"lead" required:"true" enum:"bot,waiting,person,closed"`
	Assignee     string     `json:"assignee,omitempty"`
	Priority     string     `json:"priority" required:"true" enum:"normal,high"`
	Reason       string     `json:"reason,omitempty" description:"Why it was escalated."`
	Summary      *Summary   `json:"summary,omitempty"`
	Preview      string     `json:"preview" required:"true"`
	OpenedAt     time.Time  `json:"opened_at" required:"true"`
	UpdatedAt    time.Time  `json:"updated_at" required:"true"`
	WaitingSince *time.Time `json:"waiting_since,omitempty" description:"Since when a person is waited for."`
	Facts        []Fact     `json:"facts,omitempty" description:"What is known of the contact; in a single conversation only."`
}

// Summary tells a person what they need to go on.
type Summary struct {
	Asked    []string `json:"asked" description:"Questions that the bot answered."`
	Open     []string `json:"open" description:"Questions without an answer."`
	Mood     string   `json:"mood" required:"true"`
	Details  []string `json:"details"`
	LastSaid string   `json:"last_said" required:"true"`
}

// Fact is what is known of a contact.
type Fact struct {
	Detail   string    `json:"detail" required:"true"`
	Value    string    `json:"value" required:"true"`
	Verified bool      `json:"verified" required:"true"`
	Message  string    `json:"message" required:"true" description:"The message it was learnt from."`
	LearntAt time.Time `json:"learnt_at" required:"true"`
}

// ConversationPage is one page of conversations.
type ConversationPage struct {
	Items []Conversation `json:"items" required:"true"`
	Next  string         `json:"next,omitempty" description:"The cursor of the next page; absent on the last."`
}

// Message is one message of a conversation, or what happened in line with them.
type Message struct {
	ID        string     `json:"id" required:"true"`
	Position  int        `json:"position" required:"true"`
	Author    string     `json:"author" required:"true" enum:"customer,bot,person,automated,event"`
	Name      string     `json:"name,omitempty"`
	Text      string     `json:"text" required:"true"`
	Turn      string     `json:"turn,omitempty" description:"The turn that decided on it or made it."`
	Citations []Citation `json:"citations,omitempty"`
	Delivery  string     `json:"delivery,omitempty" enum:"sending,sent,failed,cancelled"`
	At        time.Time  `json:"at" required:"true"`
}

// MessagePage is one page of messages, oldest first. The cursor leads to older
// ones.
type MessagePage struct {
	Items []Message `json:"items" required:"true"`
	Next  string    `json:"next,omitempty"`
}

// Citation leads to the place that a reply stands on.
type Citation struct {
	PassageID string   `json:"passage_id" required:"true"`
	Source    string   `json:"source" required:"true"`
	Title     string   `json:"title,omitempty"`
	Question  string   `json:"question,omitempty"`
	Address   string   `json:"address,omitempty"`
	Trail     []string `json:"trail,omitempty"`
	Text      string   `json:"text" required:"true"`
}

// Reply is what a person says.
type Reply struct {
	Text string `json:"text" required:"true" maxLength:"8000"`
}

// Take takes a conversation.
type Take struct {
	Over bool `json:"over,omitempty" description:"Take it even from another person."`
}

// Turn is how something was decided.
type Turn struct {
	ID           string    `json:"id" required:"true"`
	Conversation string    `json:"conversation" required:"true"`
	State        string    `json:"state" required:"true" enum:"calling,done,dropped"`
	At           time.Time `json:"at" required:"true"`
	Trace        Trace     `json:"trace" required:"true"`
}

// Trace is the record of how one turn was decided.
type Trace struct {
	Understood []Understood `json:"understood" required:"true"`
	Learnt     []string     `json:"learnt,omitempty"`
	Decision   string       `json:"decision" required:"true"`
	Why        string       `json:"why" required:"true"`
	Threshold  float64      `json:"threshold" required:"true"`
	Tools      []ToolUse    `json:"tools,omitempty"`
	Effects    []string     `json:"effects" required:"true"`
	Timings    []Timing     `json:"timings" required:"true"`
}

// Understood is one part of what came in.
type Understood struct {
	Text     string    `json:"text" required:"true"`
	Kind     string    `json:"kind" required:"true"`
	Outcome  string    `json:"outcome" required:"true"`
	Mended   string    `json:"mended,omitempty" description:"With misspelt words mended, if any were."`
	Passages []Weighed `json:"passages,omitempty"`
}

// Weighed is a passage that was looked at.
type Weighed struct {
	PassageID  string   `json:"passage_id" required:"true"`
	Source     string   `json:"source" required:"true"`
	Trail      []string `json:"trail,omitempty"`
	Question   string   `json:"question,omitempty" description:"Of a house answer."`
	Text       string   `json:"text" required:"true"`
	Score      float64  `json:"score" required:"true" description:"BM25; comparable within one question only."`
	Coverage   float64  `json:"coverage" required:"true" description:"Share of the question's telling words it holds, 0 to 1."`
	Meaning    float64  `json:"meaning" required:"true" description:"Likeness of its best sentence to the question, -1 to 1; 0 while it is not known."`
	Confidence float64  `json:"confidence" required:"true" description:"That it answers the question, 0 to 1."`
	Missing    []string `json:"missing,omitempty"`
	Quoted     bool     `json:"quoted,omitempty"`
}

// ToolUse is one use of a tool.
type ToolUse struct {
	Tool      string         `json:"tool" required:"true"`
	Likeness  float64        `json:"likeness" required:"true"`
	Arguments map[string]any `json:"arguments" required:"true"`
	Outcome   string         `json:"outcome" required:"true"`
}

// Timing is how long one part took.
type Timing struct {
	Part         string `json:"part" required:"true"`
	Microseconds int64  `json:"microseconds" required:"true"`
}

// Contact is a person who wrote.
type Contact struct {
	ID        string    `json:"id" required:"true"`
	Channel   string    `json:"channel" required:"true"`
	Address   string    `json:"address" required:"true"`
	Facts     []Fact    `json:"facts" required:"true"`
	CreatedAt time.Time `json:"created_at" required:"true"`
}

// ContactPage is the newest contacts.
type ContactPage struct {
	Items []Contact `json:"items" required:"true"`
	Next  string    `json:"next,omitempty"`
}

// Event is a CloudEvent of the event stream.
type Event struct {
	SpecVersion     string         `json:"specversion" required:"true"`
	ID              string         `json:"id" required:"true"`
	Source          string         `json:"source" required:"true"`
	Type            string         `json:"type" required:"true"`
	Subject         string         `json:"subject" required:"true"`
	Time            time.Time      `json:"time" required:"true"`
	DataContentType string         `json:"datacontenttype" required:"true"`
	Data            map[string]any `json:"data" required:"true"`
}
