package client

import "time"

// Conversation is an exchange with one contact on one channel.
type Conversation struct {
	ID           string     `json:"id" required:"true"`
	Channel      string     `json:"channel" required:"true"`
	Address      string     `json:"address" required:"true" description:"The contact's handle on the channel."`
	Contact      string     `json:"contact" required:"true" description:"The contact's id."`
	Who          string     `json:"who" required:"true" description:"The contact for people: the name, or a handle that says something, or a visitor."`
	Bot          string     `json:"bot" required:"true"`
	Lead         string     `json:"lead" required:"true" enum:"bot,waiting,person,closed"`
	Assignee     string     `json:"assignee,omitempty"`
	Priority     string     `json:"priority" required:"true" enum:"normal,high"`
	Reason       string     `json:"reason,omitempty" description:"Why a person is waited for."`
	Because      string     `json:"because,omitempty" description:"The reason in words for people."`
	Outcome      string     `json:"outcome,omitempty" enum:"bot,person,left,unknown" description:"How a closed conversation ended."`
	Summary      *Summary   `json:"summary,omitempty"`
	Subject      string     `json:"subject,omitempty" description:"Of a conversation on a channel with threads, such as mail."`
	Tags         []string   `json:"tags,omitempty" description:"What it is marked with, by flows and people."`
	Preview      string     `json:"preview" required:"true"`
	OpenedAt     time.Time  `json:"opened_at" required:"true"`
	UpdatedAt    time.Time  `json:"updated_at" required:"true"`
	WaitingSince *time.Time `json:"waiting_since,omitempty" description:"Since when a person is waited for."`
	Questions    []Dealt    `json:"questions,omitempty" description:"The sum of the talk: what was asked in it and what became of it, oldest first; in a single conversation only."`
	Facts        []Fact     `json:"facts,omitempty" description:"What is known of the contact; in a single conversation only."`
}

// ConversationChange changes what people may change of a conversation.
type ConversationChange struct {
	Tags []string `json:"tags" required:"true" maxItems:"100" description:"All tags that it is to have; they are declared in the settings."`
}

// Dealt is a question of the customer, and what became of it.
type Dealt struct {
	Question string `json:"question" required:"true"`
	Answer   string `json:"answer,omitempty" description:"What the bot said; absent: it was not answered."`
}

// Summary tells a person what they need to go on.
type Summary struct {
	Asked    []string `json:"asked,omitempty" description:"Questions that the bot answered."`
	Open     []string `json:"open,omitempty" description:"Questions without an answer."`
	Mood     string   `json:"mood" required:"true"`
	Memory   []string `json:"memory,omitempty" description:"What was known of the contact."`
	LastSaid string   `json:"last_said" required:"true"`
	Gist     string   `json:"gist,omitempty" description:"In a few sentences, by the bot's language model."`
}

// Fact is the value of a field of a contact.
type Fact struct {
	Field      string    `json:"field" required:"true"`
	Label      string    `json:"label" required:"true" description:"The field's name for people."`
	Value      string    `json:"value" required:"true"`
	Sensitive  bool      `json:"sensitive,omitempty"`
	Verified   bool      `json:"verified" required:"true"`
	VerifiedBy string    `json:"verified_by,omitempty" description:"The channel or person that vouches for it."`
	Message    string    `json:"message,omitempty" description:"The message it was learnt from."`
	LearntAt   time.Time `json:"learnt_at" required:"true"`
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
	Parts     []Part     `json:"parts" required:"true"`
	Text      string     `json:"text" required:"true" description:"Of all parts."`
	Turn      string     `json:"turn,omitempty" description:"The turn that decided on it or made it."`
	Citations []Citation `json:"citations,omitempty"`
	Beside    *CameWith  `json:"beside,omitempty" description:"What came with it beside its text."`
	Files     []File     `json:"files,omitempty" description:"That came with it. Each is at /api/v1/messages/ID/files/PLACE, counted from 0."`
	State     string     `json:"state,omitempty" enum:"received,made,held,sent,failed,withdrawn" description:"made: on its way; held: it waits for approval; none for what happened."`
	At        time.Time  `json:"at" required:"true"`
}

// CameWith is what came with a message beside its text, as mails bring it.
type CameWith struct {
	Subject   string   `json:"subject,omitempty"`
	From      string   `json:"from,omitempty"`
	ReplyTo   string   `json:"reply_to,omitempty" description:"The address that an answer goes to, where it is not the one that it is from."`
	To        []string `json:"to,omitempty"`
	Copy      []string `json:"copy,omitempty"`
	Quoted    string   `json:"quoted,omitempty" description:"What was written before, and stood below."`
	Signature string   `json:"signature,omitempty"`
	Silent    string   `json:"silent,omitempty" description:"Why nothing answers it."`
	Proof     string   `json:"proof,omitempty" description:"What is known of whether it is from whom it says."`
	Problems  []string `json:"problems,omitempty" description:"What of it could not be read."`
}

// File is what came with a message.
type File struct {
	Name   string `json:"name" required:"true"`
	Type   string `json:"type" required:"true" description:"As its content shows."`
	Bytes  int    `json:"bytes" required:"true"`
	Inline bool   `json:"inline,omitempty" description:"A picture in the text."`
}

// Part is one part of a message.
type Part struct {
	Kind    string   `json:"kind" required:"true" enum:"text,choices"`
	Text    string   `json:"text,omitempty"`
	Choices []string `json:"choices,omitempty" description:"What the customer may choose from, in order."`
}

// Approval approves a held reply.
type Approval struct {
	Text string `json:"text,omitempty" maxLength:"8000" description:"Instead of the bot's words."`
}

// HeldReply is a reply of a bot that waits for a person.
type HeldReply struct {
	Message      Message      `json:"message" required:"true"`
	Conversation Conversation `json:"conversation" required:"true"`
	Asked        string       `json:"asked" required:"true" description:"What the customer said that it answers."`
	Topics       []string     `json:"topics" required:"true" description:"What it stands on."`
	Came         string       `json:"came" required:"true" description:"What its turn came to, in words: answered, offered, handed over and so on."`
	Confidence   float64      `json:"confidence,omitempty" description:"Of the least sure of its answers; absent: it answers nothing."`
}

// HeldPage is the held replies, the oldest first.
type HeldPage struct {
	Items []HeldReply `json:"items" required:"true"`
}

// Topic is what replies stood on, and what people did with those that were held.
type Topic struct {
	Topic     string `json:"topic" required:"true"`
	All       int    `json:"all" required:"true"`
	Unchanged int    `json:"unchanged" required:"true"`
	Worded    int    `json:"worded" required:"true" description:"Sent in other words that say the same."`
	Changed   int    `json:"changed" required:"true" description:"Sent, saying something else."`
	Rejected  int    `json:"rejected" required:"true"`
	Trusted   string `json:"trusted,omitempty" description:"Who lets its replies go by themselves; absent: they are held."`
}

// AtThreshold says what would have gone out by itself at a threshold.
type AtThreshold struct {
	Threshold float64 `json:"threshold" required:"true"`
	Sent      int     `json:"sent" required:"true"`
	Wrong     int     `json:"wrong" required:"true" description:"Of these, people changed or rejected them."`
}

// Independence is what people did with held replies, and what may go by itself.
type Independence struct {
	Topics     []Topic       `json:"topics" required:"true"`
	Judged     int           `json:"judged" required:"true" description:"How many of the last 200 replies that people judged answered something."`
	Thresholds []AtThreshold `json:"thresholds" required:"true"`
	Last       []Approved    `json:"last" required:"true" description:"What people did last."`
}

// Approved is what a person did with a held reply.
type Approved struct {
	Conversation string    `json:"conversation" required:"true"`
	Topics       []string  `json:"topics" required:"true"`
	Verdict      string    `json:"verdict" required:"true" enum:"unchanged,worded,changed,rejected"`
	Was          string    `json:"was" required:"true"`
	Became       string    `json:"became,omitempty"`
	Why          string    `json:"why,omitempty"`
	Person       string    `json:"person" required:"true"`
	At           time.Time `json:"at" required:"true"`
}

// Trust lets replies of a topic go by themselves, or has them held again.
type Trust struct {
	Topic string `json:"topic" required:"true" minLength:"1" maxLength:"1000"`
	Trust bool   `json:"trust" required:"true"`
}

// Rejection rejects a held reply.
type Rejection struct {
	Why string `json:"why,omitempty" maxLength:"500"`
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

// Passing is one passing of a conversation.
type Passing struct {
	From  string  `json:"from" required:"true" description:"The bot."`
	To    string  `json:"to" required:"true" description:"bot/NAME, team/NAME or person/NAME."`
	About string  `json:"about,omitempty"`
	Why   string  `json:"why" required:"true"`
	Near  float64 `json:"near,omitempty" description:"How near the question is to the examples of what is passed."`
}

// Trace is the record of how one turn was decided.
type Trace struct {
	Passed     []Passing    `json:"passed,omitempty" description:"To other bots, or to people, in this turn."`
	Understood []Understood `json:"understood" required:"true"`
	Learnt     []string     `json:"learnt,omitempty"`
	Marked     []string     `json:"marked,omitempty" description:"Tags that the bot gave and stages that it set, and why."`
	Code       string       `json:"code" required:"true" description:"What the turn came to."`
	Decision   string       `json:"decision" required:"true" description:"The code in words for people."`
	Why        string       `json:"why" required:"true"`
	Threshold  float64      `json:"threshold" required:"true" description:"The confidence from which the bot answered."`

	OfferThreshold float64 `json:"offer_threshold" required:"true" description:"How likely what was found had to be to be offered."`

	Thoughts []Thought `json:"thoughts,omitempty" description:"What was put to the language model, in order."`
	BuiltIn  string    `json:"built_in,omitempty" description:"Why the built-in thinker made the reply although the bot has a model."`

	Tools   []ToolUse `json:"tools,omitempty"`
	Effects []string  `json:"effects" required:"true"`
	Timings []Timing  `json:"timings" required:"true"`
}

// Thought is one exchange with a language model, and what became of what it said.
type Thought struct {
	Kind       string         `json:"kind" required:"true" description:"What was asked for."`
	Connection string         `json:"connection" required:"true"`
	Model      string         `json:"model" required:"true"`
	Messages   []ModelMessage `json:"messages" required:"true" description:"The prompt."`
	Functions  []string       `json:"functions,omitempty" description:"Tools that it might ask for."`
	Passages   []GivenPassage `json:"passages,omitempty" description:"What it was given to read."`
	Reply      *ModelReply    `json:"reply,omitempty"`
	Error      string         `json:"error,omitempty" description:"Why nothing came of it."`
	Cost       int64          `json:"cost" required:"true" description:"Millionths of the currency."`
	Checks     []CheckedSaid  `json:"checks,omitempty" description:"Its sentences, held against what they claim to stand on."`
}

// ModelMessage is one message of a prompt.
type ModelMessage struct {
	Role   string      `json:"role" required:"true" enum:"system,user,assistant,tool"`
	Text   string      `json:"text" required:"true"`
	Calls  []ModelCall `json:"calls,omitempty"`
	CallID string      `json:"call_id,omitempty"`
}

// ModelCall is a tool that a model asks for.
type ModelCall struct {
	ID        string         `json:"id" required:"true"`
	Name      string         `json:"name" required:"true"`
	Arguments map[string]any `json:"arguments" required:"true"`
	Unread    string         `json:"unread,omitempty" description:"The arguments, where they are no JSON object."`
}

// GivenPassage is a passage that a model was given to read.
type GivenPassage struct {
	ID    string   `json:"id" required:"true" description:"Its name in the prompt."`
	Heads []string `json:"heads,omitempty"`
	Text  string   `json:"text" required:"true"`
	Cite  Citation `json:"cite" required:"true"`
}

// ModelReply is what a model said.
type ModelReply struct {
	Text       string      `json:"text" required:"true"`
	Calls      []ModelCall `json:"calls,omitempty"`
	Cut        bool        `json:"cut,omitempty"`
	In         int         `json:"in" required:"true" description:"Tokens read."`
	Out        int         `json:"out" required:"true" description:"Tokens written."`
	Counted    bool        `json:"counted" required:"true" description:"The server counted the tokens; else they are estimated."`
	FirstAfter int         `json:"first_after" required:"true" description:"Milliseconds to the first word."`
	Took       int         `json:"took" required:"true" description:"Milliseconds in all."`
}

// CheckedSaid is a sentence that a model wrote, held against what it claims to stand on.
type CheckedSaid struct {
	Says  string   `json:"says" required:"true"`
	Means string   `json:"means,omitempty" description:"In the language of the knowledge."`
	On    []string `json:"on,omitempty" description:"The passages that it names."`
	Fault string   `json:"fault,omitempty" description:"What is wrong; empty: it is supported."`
	Why   string   `json:"why,omitempty"`
}

// Understood is one part of what came in.
type Understood struct {
	Text     string    `json:"text" required:"true"`
	Kind     string    `json:"kind" required:"true"`
	Outcome  string    `json:"outcome" required:"true"`
	Mended   string    `json:"mended,omitempty" description:"With misspelt words mended, if any were."`
	Likely   float64   `json:"likely,omitempty" description:"The chance that one of the first three passages answers it, 0 to 1."`
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
	Sure       float64  `json:"sure,omitempty" description:"What the checker makes of its best sentence, 0 to 1; 0 while that is not known."`
	Lacks      string   `json:"lacks,omitempty" description:"The word of the question that the checker finds nothing for."`
	Quote      string   `json:"quote,omitempty" description:"The sentences that answer."`
	Quoted     bool     `json:"quoted,omitempty"`
	Offered    bool     `json:"offered,omitempty" description:"It was offered as what may be meant."`
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

// Field is a detail that is kept about contacts.
type Field struct {
	Field     string   `json:"field" required:"true"`
	Label     string   `json:"label" required:"true"`
	Type      string   `json:"type" required:"true" enum:"text,number,date,choice,email,phone,name,time_zone"`
	Choices   []string `json:"choices,omitempty"`
	Sensitive bool     `json:"sensitive,omitempty"`
}

// Stage is where a contact may stand.
type Stage struct {
	Stage string `json:"stage" required:"true"`
	Label string `json:"label" required:"true"`
}

// Declared is what the settings declare about contacts, each in order.
type Declared struct {
	Fields []Field  `json:"fields" required:"true"`
	Stages []Stage  `json:"stages" required:"true"`
	Tags   []string `json:"tags" required:"true"`
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
