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

// TokenList is a list of tokens.
type TokenList struct {
	Items []Token `json:"items" required:"true"`
}

// Token is one way in: a program's token, a session of the console, or a sign-in link.
type Token struct {
	ID        string     `json:"id" required:"true" description:"Names it; it lets nobody in."`
	Kind      string     `json:"kind" required:"true" enum:"token,session,link"`
	Name      string     `json:"name" required:"true" description:"Whose it is."`
	CreatedAt time.Time  `json:"created_at" required:"true"`
	UsedAt    *time.Time `json:"used_at,omitempty" description:"When it was last used, a minute exactly; left out: never."`
	ExpiresAt *time.Time `json:"expires_at,omitempty" description:"Left out: it does not expire."`
	Yours     bool       `json:"yours,omitempty" description:"It is the one that asks."`
}

// Today is what matters now.
type Today struct {
	Waiting   []Conversation `json:"waiting" required:"true" description:"Those who wait for a person, the most urgent first; at most ten."`
	Counts    Counts         `json:"counts" required:"true"`
	Decisions []Decision     `json:"decisions" required:"true" description:"What the bots decided in the last 24 hours."`
	Troubles  []Trouble      `json:"troubles" required:"true" description:"What is going wrong."`
	Channels  []Channel      `json:"channels" required:"true"`
	Models    []ModelUse     `json:"models" required:"true" description:"What the bots have used of language models today."`
	Paused    bool           `json:"paused" required:"true" description:"All that bots and flows do is paused."`
	Begin     *Beginning     `json:"begin,omitempty" description:"Left out once a customer has written."`
}

// Beginning says which of the first steps a business has taken.
type Beginning struct {
	Named     bool `json:"named" required:"true" description:"It has settings, with its title, language and time zone."`
	Knowledge bool `json:"knowledge" required:"true" description:"There is something to answer from."`
	Bot       bool `json:"bot" required:"true" description:"A bot is live."`
	Person    bool `json:"person" required:"true" description:"Somebody is there to be told."`
	Channel   bool `json:"channel" required:"true" description:"There is a way in for customers."`
}

// ModelUse is what a bot has used of a language model since midnight.
type ModelUse struct {
	Bot        string  `json:"bot" description:"The bot; empty: the reading of sources."`
	Connection string  `json:"connection" required:"true"`
	Requests   int     `json:"requests" required:"true"`
	Failed     int     `json:"failed" required:"true"`
	Read       int     `json:"read" required:"true" description:"Tokens that the model took in."`
	Written    int     `json:"written" required:"true" description:"Tokens that it wrote."`
	Cost       float64 `json:"cost" required:"true" description:"In the currency of the connection's price."`
	Average    int     `json:"average" required:"true" description:"Milliseconds that a request took."`
	MostTokens int     `json:"most_tokens,omitempty" description:"That the bot may use in a day; 0: no bound."`
	MostCost   float64 `json:"most_cost,omitempty" description:"That the bot may cost in a day; 0: no bound."`
	Resting    string  `json:"resting,omitempty" description:"Why the model is left alone for the moment."`
}

// ModelNames are the models that a model server has.
type ModelNames struct {
	Items []string `json:"items" required:"true"`
}

// ModelServer is a model server that may not be kept as a connection yet.
type ModelServer struct {
	Address    string `json:"address" required:"true" maxLength:"2000"`
	Connection string `json:"connection,omitempty" description:"Whose secret is used, where the address is that which the secret was set for."`
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
	Code     string `json:"code" required:"true"`
	Decision string `json:"decision" required:"true" description:"The code in words for people."`
	Times    int    `json:"times" required:"true"`
}

// Trouble is something that goes wrong and wants a person.
type Trouble struct {
	What         string `json:"what" required:"true"`
	Detail       string `json:"detail" required:"true"`
	Conversation string `json:"conversation,omitempty"`
	Effect       string `json:"effect,omitempty" description:"An effect that was given up, or is being tried again."`
	Flow         string `json:"flow,omitempty" description:"The flow of a run that failed."`
	Run          string `json:"run,omitempty" description:"A run that failed."`
	GivenUp      bool   `json:"given_up" required:"true"`
}

// Channel says whether a channel works.
type Channel struct {
	Name    string `json:"name" required:"true"`
	Title   string `json:"title" required:"true"`
	Kind    string `json:"kind" required:"true"`
	Speaks  string `json:"speaks" required:"true" description:"The kind in words for people."`
	Bot     string `json:"bot" required:"true"`
	Replies string `json:"replies" required:"true" enum:"send,hold,draft,off" description:"hold: a person approves each reply of a bot; draft: the same, or sends it from the mailbox."`
	Address string `json:"address,omitempty" description:"Where outsiders reach it, if they do."`
	Page    bool   `json:"page,omitempty" description:"People can open that address, and write there."`
	Embed   string `json:"embed,omitempty" description:"What the business puts into its own pages."`
	Fault   string `json:"fault,omitempty" description:"Why it does not work."`
	Off     bool   `json:"off,omitempty" description:"It is switched off."`

	Looks  bool       `json:"looks,omitempty" description:"It can be told to look for what is new."`
	Keeps  bool       `json:"keeps,omitempty" description:"What came before it was connected can be taken in."`
	Past   *Past      `json:"past,omitempty" description:"How far it is with what came before."`
	LastAt *time.Time `json:"last_at,omitempty" description:"When something was last said on it; in the list of channels only."`
}

// Past is how far a channel is with what came before it was connected.
type Past struct {
	From    time.Time `json:"from" required:"true"`
	To      time.Time `json:"to" required:"true"`
	Done    int       `json:"done" required:"true"`
	All     int       `json:"all" required:"true"`
	Running bool      `json:"running" required:"true"`
	Error   string    `json:"error,omitempty"`
}

// TakePast asks for what came before: from the first day on, before the last.
type TakePast struct {
	From time.Time `json:"from" required:"true"`
	To   time.Time `json:"to" required:"true"`
}

// ChannelTest is what came of trying a channel.
type ChannelTest struct {
	Works bool     `json:"works" required:"true"`
	Why   string   `json:"why,omitempty" description:"Why it does not work."`
	Found []string `json:"found,omitempty" description:"What was found on the other side, such as the folders of a mailbox."`
}

// RawMessage is a message as it comes, such as a mail with its headers.
type RawMessage struct {
	Raw []byte `json:"raw" required:"true" description:"In base64; at most 25 MiB."`
}

// TriedMessage is what would be made of a message.
type TriedMessage struct {
	From       string   `json:"from" required:"true"`
	Came       CameWith `json:"came" required:"true" description:"What came with its text."`
	Text       string   `json:"text" required:"true" description:"What was written now."`
	Files      []File   `json:"files,omitempty"`
	References []string `json:"references,omitempty" description:"The messages that it belongs to."`
	Silent     string   `json:"silent,omitempty" description:"Why nothing would answer it."`
	Bot        string   `json:"bot,omitempty" description:"That would answer it."`
	Reply      string   `json:"reply,omitempty"`
	Held       bool     `json:"held,omitempty" description:"The reply would wait for approval."`
	Code       string   `json:"code,omitempty" description:"What the turn would come to."`
}

// ChannelPage is all channels.
type ChannelPage struct {
	Items []Channel `json:"items" required:"true"`
}

// Status is the service's health.
type Status struct {
	Version   string     `json:"version" required:"true"`
	Workspace string     `json:"workspace" required:"true"`
	Title     string     `json:"title" required:"true"`
	Passages  int        `json:"passages" required:"true"`
	Counts    Counts     `json:"counts" required:"true"`
	Decisions []Decision `json:"decisions" required:"true" description:"What the bots decided in the last 24 hours."`
	Channels  []Channel  `json:"channels" required:"true"`
	Troubles  []Trouble  `json:"troubles" required:"true"`
	Models    []ModelUse `json:"models" required:"true" description:"What the bots have used of language models today."`
}

// Document is a document of the workspace: a bot, a tool, a channel.
type Document struct {
	Kind      string    `json:"kind" required:"true"`
	Name      string    `json:"name" required:"true"`
	Text      string    `json:"text" required:"true" description:"YAML."`
	Version   int       `json:"version" required:"true"`
	UpdatedAt time.Time `json:"updated_at" required:"true"`
	UsedBy    []string  `json:"used_by,omitempty" description:"The documents that refer to it; in a single document only."`

	Keys []FieldChoice `json:"keys,omitempty" description:"What other documents may state about it by key, as it is live: a sheet's columns, the details that a tool wants."`
}

// DocumentKind is a kind of documents.
type DocumentKind struct {
	Name    string `json:"name" required:"true" description:"The key that such a document begins with."`
	Plural  string `json:"plural" required:"true" description:"In addresses."`
	Title   string `json:"title" required:"true"`
	About   string `json:"about" required:"true"`
	Only    bool   `json:"only,omitempty" description:"A workspace has one of them."`
	Titled  bool   `json:"titled,omitempty" description:"What stands behind that key is a title, of which its name is made."`
	Drafts  bool   `json:"drafts,omitempty" description:"What is written is a draft until it is put live."`
	Example string `json:"example" required:"true" description:"A document to begin from."`

	Form   []FormPart      `json:"form" required:"true" description:"How people fill in such a document; empty: its text is all there is."`
	Starts []DocumentStart `json:"starts,omitempty" description:"Where new ones may begin, beside the example."`

	Entries map[string][]EntryKind `json:"entries,omitempty" description:"The kinds of entries of its lists, by the name that fields filled in as entries give as of."`
}

// EntryKind is a kind of entry of a list whose entries each begin with the name of their kind.
// The fields of an entry stand in a block behind the name, or beside it.
type EntryKind struct {
	Name    string          `json:"name" required:"true"`
	Label   string          `json:"label" required:"true"`
	About   string          `json:"about,omitempty" description:"What it does."`
	Group   string          `json:"group,omitempty" description:"Those that belong together."`
	Main    string          `json:"main,omitempty" description:"The field that may stand behind the name alone."`
	Missing string          `json:"missing,omitempty" description:"What is not there yet for it to work."`
	Ends    bool            `json:"ends,omitempty" description:"Nothing behind it in its list is reached, unless it has an if."`
	Fields  []DocumentField `json:"fields,omitempty"`
}

// DocumentStart is where a new document may begin: one that works as it is, once it has a name
// of its own.
type DocumentStart struct {
	Name  string      `json:"name" required:"true"`
	Title string      `json:"title" required:"true"`
	About string      `json:"about" required:"true" description:"What it is good for."`
	Talk  []StartTalk `json:"talk,omitempty" description:"An example of what it is for."`
	Text  string      `json:"text" required:"true"`
}

// StartTalk is what a customer writes and what is replied, in an example.
type StartTalk struct {
	Customer string `json:"customer" required:"true"`
	Bot      string `json:"bot" required:"true"`
}

// FormPart is some fields of a document that belong together.
type FormPart struct {
	Title  string          `json:"title" required:"true"`
	About  string          `json:"about,omitempty"`
	Seldom bool            `json:"seldom,omitempty" description:"It is needed seldom, and may be shown folded."`
	Fields []DocumentField `json:"fields" required:"true"`
}

// DocumentField is one key of a document, or of a block in it, as people fill it in.
type DocumentField struct {
	Key     string          `json:"key" required:"true" description:"In the document, or in the block that the field belongs to; a dot leads into a block."`
	Label   string          `json:"label" required:"true"`
	About   string          `json:"about,omitempty" description:"What it is good for."`
	As      string          `json:"as" required:"true" enum:"text,paragraph,number,switch,yes or no,time,condition,value,choice,choices,document,documents,texts,lists,pairs,cells,groups,blocks,named,entries,data,details" description:"How it is filled in: choices, documents and texts are lists; lists are lists of texts; pairs are texts by keys, cells texts and numbers by keys, groups lists of texts by keys, named blocks by keys; a time is a length such as 30m; a condition and a value are expressions; entries are each of one of the kinds that it names; data is anything; details are the properties of a JSON Schema, each with what stands beside."`
	Example string          `json:"example,omitempty" description:"What holds while it is empty, or what one may write."`
	Choices []FieldChoice   `json:"choices,omitempty"`
	Default string          `json:"default,omitempty" description:"What holds where the key is not there."`
	Needed  bool            `json:"needed,omitempty" description:"It cannot be left out."`
	Of      string          `json:"of,omitempty" description:"The kind of what it names: a kind of documents, source, field, stage or tag. Of a text, kinds that it may name, after their kind: team/crew."`
	Fit     []string        `json:"fit,omitempty" description:"What it names says one of these as its kind."`
	Fields  []DocumentField `json:"fields,omitempty" description:"Of each block."`
	Adds    string          `json:"adds,omitempty" description:"What one more is called."`
	If      *OnlyIf         `json:"if,omitempty" description:"It is asked for only then."`
	Keys    string          `json:"keys,omitempty" description:"Of pairs and cells: the key of the field beside it that names the document whose keys they are."`
	Values  string          `json:"values,omitempty" description:"What may be put into its texts: contact, the fields of the contact; or the key of the details of this document."`
	Beside  string          `json:"beside,omitempty" description:"Of details: the key of the blocks, by the same names, that say more of each."`
}

// FieldChoice is one value of a field, in words.
type FieldChoice struct {
	Value string `json:"value" required:"true"`
	Label string `json:"label" required:"true"`
	About string `json:"about,omitempty"`
}

// OnlyIf is a condition on another key beside the field.
type OnlyIf struct {
	Key string   `json:"key" required:"true"`
	Is  []string `json:"is" required:"true" description:"It has one of these values: an empty one if it is not there, * if it is."`
}

// Notes are what somebody wrote down about a bot, as it came to mind.
type Notes struct {
	Notes string `json:"notes" required:"true"`
}

// NotesInOrder is what notes come to as parts of a brief.
type NotesInOrder struct {
	Values map[string]any `json:"values" required:"true" description:"By key of the brief; a dot leads into a block: voice.tone."`
	Placed []PlacedNote   `json:"placed" required:"true" nullable:"false" description:"Where each sentence went; none, where a model read them."`
	By     string         `json:"by,omitempty" description:"The model that proposes it; without one, the built-in means do."`
	Why    string         `json:"why,omitempty" description:"Why no model did, where one might have."`
}

// PlacedNote is a sentence of notes, and where it went.
type PlacedNote struct {
	Sentence string `json:"sentence" required:"true"`
	Key      string `json:"key" required:"true" description:"Of the brief; empty: nowhere."`
}

// Template is all documents of a workspace, as one text.
type Template struct {
	Text  string `json:"text" required:"true" description:"YAML documents, one after another, with --- between."`
	Title string `json:"title,omitempty" description:"What the business is called, in place of what the template says."`
	Over  bool   `json:"over,omitempty" description:"Replace documents that are there already."`
}

// TemplateTaken is what became of a template.
type TemplateTaken struct {
	Taken   []TemplateDocument `json:"taken" required:"true"`
	Kept    []TemplateDocument `json:"kept" required:"true" description:"Those of which there was one already."`
	Refused []TemplateRefused  `json:"refused" required:"true"`
	ToDo    []TemplateToDo     `json:"to_do" required:"true" description:"What a person has to do for them to work."`
}

// TemplateDocument names a document of a template.
type TemplateDocument struct {
	Kind string `json:"kind" required:"true"`
	Name string `json:"name" required:"true"`
}

// TemplateRefused is a document that could not be taken in.
type TemplateRefused struct {
	Kind     string    `json:"kind" required:"true"`
	Name     string    `json:"name" required:"true"`
	Problems []Problem `json:"problems" required:"true" nullable:"false"`
}

// TemplateToDo is something that is still to be done.
type TemplateToDo struct {
	What string `json:"what" required:"true" enum:"secret,source,live,named"`
	Name string `json:"name" required:"true" description:"Of the connection, the source, the flow, or the document that names something that is not there."`
	Says string `json:"says" required:"true"`
}

// Rename gives something another name.
type Rename struct {
	Name string `json:"name" required:"true"`
}

// Draft is what is being written of a document, beside the one that is used.
type Draft struct {
	Kind string    `json:"kind" required:"true"`
	Name string    `json:"name" required:"true"`
	Text string    `json:"text" required:"true"`
	By   string    `json:"by,omitempty" description:"Who wrote it last."`
	At   time.Time `json:"at" required:"true"`
}

// DraftPage is the drafts of a kind.
type DraftPage struct {
	Items []Draft `json:"items" required:"true" nullable:"false"`
}

// BotExplained is what a brief comes to.
type BotExplained struct {
	Powers  []Power  `json:"powers" required:"true" description:"All that the bot may do beside answering from its knowledge: what does not stand here cannot happen."`
	Missing []string `json:"missing" required:"true" description:"What is not there yet for customers to be well served, a sentence each."`
}

// Power is something that a bot may do.
type Power struct {
	Says string   `json:"says" required:"true" description:"In a sentence."`
	When []string `json:"when,omitempty" description:"Examples of what customers say then."`
	Key  string   `json:"key" required:"true" description:"Of the brief, that grants it."`
}

// DocumentKindPage is all kinds of documents.
type DocumentKindPage struct {
	Items []DocumentKind `json:"items" required:"true"`
	Next  string         `json:"next,omitempty"`
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
	Path    string `json:"path,omitempty" description:"The key that is wrong, as in $.tools[0], if it is known: it need not be there yet."`
}

// Checked is what is wrong in a document; nothing, if it is well.
type Checked struct {
	Problems []Problem `json:"problems" required:"true"`
	Warnings []Problem `json:"warnings" required:"true" description:"What may be wrong; the document works."`
}

// Secret is the secret of a connection. It cannot be read back.
type Secret struct {
	Secret string `json:"secret" required:"true" maxLength:"4096"`
}

// ToTest is a document as it is written, to be tried before it is kept; no text: as it is kept.
type ToTest struct {
	Text string `json:"text,omitempty" maxLength:"262144"`
}

// Consent is how it stands with somebody's consent that lets the service in to a system.
type Consent struct {
	Connected bool       `json:"connected" description:"Somebody has let the service in, and it holds."`
	By        string     `json:"by,omitempty" description:"Who has."`
	At        *time.Time `json:"at,omitempty"`
	Scopes    []string   `json:"scopes" required:"true" description:"What it allows, in the words of the other side."`
	EndsAt    *time.Time `json:"ends_at,omitempty" description:"Until when; left out where the other side does not say."`
	Fault     string     `json:"fault,omitempty" description:"Why it cannot be used, or soon cannot."`
	Failed    string     `json:"failed,omitempty" description:"Why the last asking came to nothing."`
}

// ConsentAddress is where a person is asked.
type ConsentAddress struct {
	Address string `json:"address" required:"true" description:"To be opened within a quarter of an hour, in a browser in which the same person is signed in to the console."`
}

// Trial is one message to a bot in a conversation that nobody else sees.
type Trial struct {
	Message string     `json:"message" required:"true" maxLength:"65536"`
	Brief   string     `json:"brief,omitempty" maxLength:"262144" description:"To try instead of the kept brief."`
	Before  TrialState `json:"before,omitempty" description:"From the turn before; leave it out to begin."`
}

// TrialState is what a trial carries from turn to turn.
type TrialState struct {
	Lead      string            `json:"lead,omitempty" enum:"bot,waiting"`
	State     map[string]any    `json:"state,omitempty"`
	Memory    map[string]string `json:"memory,omitempty" description:"What the contact said of themselves, by field."`
	LastReply string            `json:"last_reply,omitempty"`
	Talk      []Line            `json:"talk,omitempty" description:"What was said before, oldest first."`
}

// Line is something said in a talk.
type Line struct {
	By   string `json:"by" required:"true" enum:"customer,bot"`
	Text string `json:"text" required:"true"`
}

// TrialTurn is what the bot would do.
type TrialTurn struct {
	Reply     string     `json:"reply" required:"true"`
	Citations []Citation `json:"citations" required:"true"`
	Trace     Trace      `json:"trace" required:"true"`
	After     TrialState `json:"after" required:"true" description:"Hand it to the next turn."`
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
