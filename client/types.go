// Package client is the Go client of the HTTP API, and holds the types that go
// over the wire. The service and the CLI use the same types.
package client

import "time"

// Me says who is signed in, and where.
type Me struct {
	Name      string `json:"name" required:"true"`
	Role      string `json:"role" required:"true" enum:"owner"`
	Workspace string `json:"workspace" required:"true"`
	Title     string `json:"title" required:"true" description:"The business's name."`
	PublicURL string `json:"public_url" required:"true"`
}

// SignIn asks for a session or a token, by a sign-in link's code or a token.
type SignIn struct {
	Code string `json:"code,omitempty" description:"The code of a sign-in link; it works once."`
	Name string `json:"name,omitempty" maxLength:"80" description:"How colleagues and customers see you."`
}

// NewToken is a token, shown this once.
type NewToken struct {
	Token string `json:"token" required:"true"`
	Name  string `json:"name" required:"true"`
}

// Today is what matters now.
type Today struct {
	Waiting   []Conversation `json:"waiting" required:"true" description:"Those who wait for a person, the most urgent first; at most ten."`
	Counts    Counts         `json:"counts" required:"true"`
	Decisions []Decision     `json:"decisions" required:"true" description:"What the bots decided in the last 24 hours."`
	Troubles  []Trouble      `json:"troubles" required:"true" description:"What is going wrong."`
	Channels  []Channel      `json:"channels" required:"true"`
}

// Counts says how many conversations stand where.
type Counts struct {
	Waiting int `json:"waiting" required:"true" description:"Wait for a person."`
	Bot     int `json:"bot" required:"true" description:"Led by a bot."`
	Person  int `json:"person" required:"true" description:"Led by a person."`
	Closed  int `json:"closed" required:"true"`
	Opened  int `json:"opened" required:"true" description:"Opened in the last 24 hours."`
	Replies int `json:"replies" required:"true" description:"Replies of the bots in the last 24 hours."`
	Pending int `json:"pending" required:"true" description:"Effects still to be carried out."`
}

// Decision is how often the bots decided something.
type Decision struct {
	Decision string `json:"decision" required:"true"`
	Times    int    `json:"times" required:"true"`
}

// Trouble is something that goes wrong and wants a person.
type Trouble struct {
	What         string `json:"what" required:"true"`
	Detail       string `json:"detail" required:"true"`
	Conversation string `json:"conversation,omitempty"`
	Effect       string `json:"effect,omitempty" description:"An effect that was given up, or is being tried again."`
	GivenUp      bool   `json:"given_up" required:"true"`
}

// Channel says whether a channel works.
type Channel struct {
	Name  string `json:"name" required:"true"`
	Title string `json:"title" required:"true"`
	Kind  string `json:"kind" required:"true"`
	Bot   string `json:"bot" required:"true"`
	Fault string `json:"fault,omitempty" description:"Why it does not work."`
}

// Status is the service's health.
type Status struct {
	Version   string    `json:"version" required:"true"`
	Workspace string    `json:"workspace" required:"true"`
	Title     string    `json:"title" required:"true"`
	Passages  int       `json:"passages" required:"true"`
	Counts    Counts    `json:"counts" required:"true"`
	Channels  []Channel `json:"channels" required:"true"`
	Troubles  []Trouble `json:"troubles" required:"true"`
}

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

// Source is where passages come from.
type Source struct {
	ID           string     `json:"id" required:"true"`
	Name         string     `json:"name" required:"true"`
	Title        string     `json:"title" required:"true"`
	Kind         string     `json:"kind" required:"true" enum:"file,text,page,site"`
	Address      string     `json:"address,omitempty" description:"Of a page or a website."`
	State        string     `json:"state" required:"true" enum:"waiting,reading,ready,failed" description:"failed: the last reading failed; what was read before still counts."`
	Bytes        int        `json:"bytes" required:"true"`
	Pages        int        `json:"pages" required:"true"`
	Passages     int        `json:"passages" required:"true"`
	Encoding     int        `json:"encoding" required:"true" description:"Passages whose meaning is not known yet; they are found by their words."`
	EveryMinutes int        `json:"every_minutes" required:"true" description:"Between readings; 0: by hand."`
	ReadAt       *time.Time `json:"read_at,omitempty" description:"Last successful reading."`
	NextAt       *time.Time `json:"next_at,omitempty"`
	ValidFrom    *time.Time `json:"valid_from,omitempty"`
	ValidUntil   *time.Time `json:"valid_until,omitempty"`
	Error        string     `json:"error,omitempty"`
	Progress     *Progress  `json:"progress,omitempty" description:"While it is being read."`
}

// Progress says how far a reading is.
type Progress struct {
	Read  int `json:"read" required:"true"`
	Found int `json:"found" required:"true"`
}

// TypedSource is a text that was typed.
type TypedSource struct {
	Name       string     `json:"name" required:"true" maxLength:"300"`
	Text       string     `json:"text" required:"true" description:"Markdown."`
	ValidFrom  *time.Time `json:"valid_from,omitempty"`
	ValidUntil *time.Time `json:"valid_until,omitempty"`
}

// WebSource is a page or a website to be read.
type WebSource struct {
	Name         string     `json:"name,omitempty" maxLength:"300" description:"The address, if it is left out."`
	Address      string     `json:"address" required:"true" maxLength:"2000"`
	Follow       bool       `json:"follow,omitempty" description:"Follow links within the prefix; otherwise this one page is read."`
	Prefix       string     `json:"prefix,omitempty" maxLength:"2000" description:"The address up to its last slash, if it is left out."`
	Depth        int        `json:"depth,omitempty" minimum:"0" maximum:"100" description:"How many links away from the address; 8 if it is left out."`
	Pages        int        `json:"pages,omitempty" minimum:"0" maximum:"20000" description:"At most so many; 500 if it is left out."`
	Pairs        bool       `json:"pairs,omitempty" description:"Headings that ask become questions with answers."`
	EveryMinutes int        `json:"every_minutes,omitempty" minimum:"0" description:"Read it again so often; 0: by hand."`
	ValidFrom    *time.Time `json:"valid_from,omitempty"`
	ValidUntil   *time.Time `json:"valid_until,omitempty"`
}

// SourceChange changes when a source is read again and when it holds.
type SourceChange struct {
	EveryMinutes int        `json:"every_minutes" required:"true" minimum:"0"`
	ValidFrom    *time.Time `json:"valid_from,omitempty"`
	ValidUntil   *time.Time `json:"valid_until,omitempty"`
}

// ReadPage is one document of a source.
type ReadPage struct {
	Address  string    `json:"address" required:"true"`
	Title    string    `json:"title" required:"true"`
	Passages int       `json:"passages" required:"true"`
	ReadAt   time.Time `json:"read_at" required:"true"`
	Error    string    `json:"error,omitempty"`
}

// ReadPageList is all pages of a source.
type ReadPageList struct {
	Items []ReadPage `json:"items" required:"true"`
	Next  string     `json:"next,omitempty"`
}

// HouseAnswer is a question with the answer that a person wrote or approved.
type HouseAnswer struct {
	ID         string     `json:"id" required:"true"`
	Question   string     `json:"question" required:"true"`
	Answer     string     `json:"answer" required:"true"`
	Author     string     `json:"author" required:"true"`
	Version    int        `json:"version" required:"true"`
	UpdatedAt  time.Time  `json:"updated_at" required:"true"`
	ReviewAt   *time.Time `json:"review_at,omitempty" description:"When it is to be looked at again."`
	ValidFrom  *time.Time `json:"valid_from,omitempty"`
	ValidUntil *time.Time `json:"valid_until,omitempty"`
}

// HouseAnswerPage is all house answers.
type HouseAnswerPage struct {
	Items []HouseAnswer `json:"items" required:"true"`
	Next  string        `json:"next,omitempty"`
}

// HouseAnswerText is a house answer to be kept.
type HouseAnswerText struct {
	Question   string     `json:"question" required:"true" maxLength:"1000"`
	Answer     string     `json:"answer" required:"true" maxLength:"8000"`
	ReviewAt   *time.Time `json:"review_at,omitempty"`
	ValidFrom  *time.Time `json:"valid_from,omitempty"`
	ValidUntil *time.Time `json:"valid_until,omitempty"`
}

// Gap is a question that nobody's knowledge answered, with the others like it.
type Gap struct {
	ID       string    `json:"id" required:"true"`
	Question string    `json:"question" required:"true"`
	Times    int       `json:"times" required:"true"`
	Wordings []string  `json:"wordings" required:"true"`
	Waiting  []string  `json:"waiting" required:"true" description:"Conversations that still wait for the answer."`
	FirstAt  time.Time `json:"first_at" required:"true"`
	LastAt   time.Time `json:"last_at" required:"true"`
}

// GapPage is the open gaps, the most frequent first.
type GapPage struct {
	Items []Gap  `json:"items" required:"true"`
	Next  string `json:"next,omitempty"`
}

// GapAnswer answers a gap.
type GapAnswer struct {
	Question string `json:"question,omitempty" maxLength:"1000" description:"In general words; the gap's own if it is left out."`
	Answer   string `json:"answer" required:"true" maxLength:"8000"`
	Send     bool   `json:"send,omitempty" description:"Send it to those who still wait."`
}

// GapAnswered says what became of a gap.
type GapAnswered struct {
	HouseAnswer HouseAnswer `json:"house_answer" required:"true"`
	Sent        int         `json:"sent" required:"true" description:"To how many customers it was sent."`
}

// Lesson is a house answer proposed from what a person replied.
type Lesson struct {
	ID           string    `json:"id" required:"true"`
	Conversation string    `json:"conversation,omitempty"`
	Question     string    `json:"question" required:"true"`
	Answer       string    `json:"answer" required:"true"`
	Author       string    `json:"author" required:"true"`
	State        string    `json:"state" required:"true" enum:"proposed,approved,rejected"`
	HouseAnswer  string    `json:"house_answer,omitempty" description:"The house answer that it became."`
	Beside       *Beside   `json:"beside,omitempty" description:"What the knowledge says already."`
	CreatedAt    time.Time `json:"created_at" required:"true"`
}

// Beside is what the knowledge says already to a lesson's question.
type Beside struct {
	Relation string `json:"relation" required:"true" enum:"same,completes,differs" description:"completes: approving joins both; differs: a person must say which holds."`
	Source   string `json:"source" required:"true"`
	Text     string `json:"text" required:"true"`
}

// LessonPage is lessons, newest first.
type LessonPage struct {
	Items []Lesson `json:"items" required:"true"`
	Next  string   `json:"next,omitempty"`
}

// LessonText replaces a lesson's words when it is approved.
type LessonText struct {
	Question string `json:"question,omitempty" maxLength:"1000"`
	Answer   string `json:"answer,omitempty" maxLength:"8000"`
}

// Quiz is questions with their right answers, put to the knowledge.
type Quiz struct {
	Bot       string `json:"bot,omitempty" description:"Whose sources and threshold count; all sources, if it is left out."`
	Questions string `json:"questions" required:"true" description:"JSON Lines."`
}

// QuizReport is what a quiz came to.
type QuizReport struct {
	All         QuizGroup            `json:"all" required:"true"`
	Kinds       map[string]QuizGroup `json:"kinds" required:"true"`
	Calibration []QuizBin            `json:"calibration" required:"true"`
	Failures    []QuizFailure        `json:"failures" required:"true"`
}

// QuizGroup counts the questions of one kind, or of all.
type QuizGroup struct {
	Questions            int     `json:"questions" required:"true"`
	First                int     `json:"first" required:"true" description:"Right passage first."`
	FirstThree           int     `json:"first_three" required:"true" description:"Right passage among the first three."`
	MRR                  float64 `json:"mrr" required:"true" description:"Mean of 1 over the right passage's place, 0 to 1."`
	AnsweredRight        int     `json:"answered_right" required:"true"`
	AnsweredWrong        int     `json:"answered_wrong" required:"true"`
	Withheld             int     `json:"withheld" required:"true"`
	Unanswerable         int     `json:"unanswerable" required:"true"`
	UnanswerableAnswered int     `json:"unanswerable_answered" required:"true"`
	AUROC                float64 `json:"auroc" required:"true" description:"Area under the ROC curve of confidence: right first against unanswerable, 0 to 1."`
}

// QuizBin is one row of the calibration table.
type QuizBin struct {
	From  float64 `json:"from" required:"true"`
	To    float64 `json:"to" required:"true"`
	Times int     `json:"times" required:"true"`
	Right int     `json:"right" required:"true"`
}

// QuizFailure is a question that was not answered rightly, with what was found.
type QuizFailure struct {
	ID         string  `json:"id" required:"true"`
	Question   string  `json:"question" required:"true"`
	Kind       string  `json:"kind" required:"true"`
	Why        string  `json:"why" required:"true"`
	Confidence float64 `json:"confidence" required:"true"`
	Wanted     string  `json:"wanted,omitempty"`
	Source     string  `json:"source,omitempty"`
	Found      string  `json:"found,omitempty"`
	Answer     string  `json:"answer,omitempty"`
}

// BareFact is a fact that a person gives in a few words; it is worded, sent and
// kept.
type BareFact struct {
	Fact string `json:"fact" required:"true" maxLength:"4000"`
}

// SourcePage is all sources.
type SourcePage struct {
	Items []Source `json:"items" required:"true"`
	Next  string   `json:"next,omitempty"`
}

// Passage is a piece of a source that an answer may quote.
type Passage struct {
	ID       string   `json:"id" required:"true"`
	Source   string   `json:"source" required:"true"`
	Address  string   `json:"address,omitempty"`
	Trail    []string `json:"trail,omitempty"`
	Question string   `json:"question,omitempty"`
	Text     string   `json:"text" required:"true"`
	Position int      `json:"position" required:"true"`
}

// PassagePage is all passages of a source.
type PassagePage struct {
	Items []Passage `json:"items" required:"true"`
	Next  string    `json:"next,omitempty"`
}

// Found is what a search found, best first.
type Found struct {
	Items     []Weighed `json:"items" required:"true"`
	Mended    string    `json:"mended,omitempty" description:"The question with misspelt words mended, if any were."`
	Threshold float64   `json:"threshold" required:"true"`
	Answered  bool      `json:"answered" required:"true" description:"Whether a bot would answer from the first passage."`
	Answer    string    `json:"answer,omitempty" description:"What it would say."`
}

// Document is a document of the workspace: a bot, a tool, a channel.
type Document struct {
	Kind      string    `json:"kind" required:"true"`
	Name      string    `json:"name" required:"true"`
	Text      string    `json:"text" required:"true" description:"YAML."`
	Version   int       `json:"version" required:"true"`
	UpdatedAt time.Time `json:"updated_at" required:"true"`
}

// DocumentPage is all documents of a kind.
type DocumentPage struct {
	Items []Document `json:"items" required:"true"`
	Next  string     `json:"next,omitempty"`
}

// DocumentText is a document to be kept or checked.
type DocumentText struct {
	Text string `json:"text" required:"true" maxLength:"262144"`
}

// Problem is one thing that is wrong in a document.
type Problem struct {
	File    string `json:"file" required:"true"`
	Line    int    `json:"line" required:"true" description:"From 1; 0 if the place is not known."`
	Column  int    `json:"column" required:"true"`
	Message string `json:"message" required:"true"`
}

// Checked is what is wrong in a document; nothing, if it is well.
type Checked struct {
	Problems []Problem `json:"problems" required:"true"`
}

// Secret is the secret of a connection. It cannot be read back.
type Secret struct {
	Secret string `json:"secret" required:"true" maxLength:"4096"`
}

// Question is put to a bot.
type Question struct {
	Question string `json:"question" required:"true" maxLength:"4000"`
}

// Answer is what a bot says to one question.
type Answer struct {
	Answer     string     `json:"answer" required:"true"`
	Answered   bool       `json:"answered" required:"true" description:"False if the bot does not know."`
	Confidence float64    `json:"confidence" required:"true" description:"Of the best candidate, 0 to 1."`
	Citations  []Citation `json:"citations" required:"true"`
	Trace      Trace      `json:"trace" required:"true"`
}

// Trial is one message to a bot in a conversation that nobody else sees.
type Trial struct {
	Message string      `json:"message" required:"true" maxLength:"65536"`
	Brief   string      `json:"brief,omitempty" maxLength:"262144" description:"To try instead of the kept brief."`
	Memory  TrialMemory `json:"memory,omitempty" description:"From the turn before; leave it out to begin."`
}

// TrialMemory is what a trial carries from turn to turn.
type TrialMemory struct {
	Lead      string            `json:"lead,omitempty" enum:"bot,waiting"`
	State     map[string]any    `json:"state,omitempty"`
	Known     map[string]string `json:"known,omitempty"`
	LastReply string            `json:"last_reply,omitempty"`
}

// TrialTurn is what the bot would do.
type TrialTurn struct {
	Reply     string      `json:"reply" required:"true"`
	Citations []Citation  `json:"citations" required:"true"`
	Trace     Trace       `json:"trace" required:"true"`
	Memory    TrialMemory `json:"memory" required:"true"`
}

// Sheet is a table.
type Sheet struct {
	Name    string   `json:"name" required:"true"`
	Title   string   `json:"title" required:"true"`
	Columns []string `json:"columns" required:"true"`
	Rows    int      `json:"rows" required:"true"`
	File    string   `json:"file" required:"true" description:"Where the CSV file lies on the service's machine."`
}

// SheetPage is all sheets.
type SheetPage struct {
	Items []Sheet `json:"items" required:"true"`
	Next  string  `json:"next,omitempty"`
}

// Row is one row of a sheet.
type Row struct {
	Key       string            `json:"key" required:"true"`
	Cells     map[string]string `json:"cells" required:"true"`
	UpdatedAt time.Time         `json:"updated_at" required:"true"`
}

// RowPage is the rows of a sheet, oldest first.
type RowPage struct {
	Items []Row  `json:"items" required:"true"`
	Next  string `json:"next,omitempty"`
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
