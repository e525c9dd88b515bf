package client

import "time"

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
	Bot        string     `json:"bot,omitempty" description:"Whose alone it is; left out: all bots'."`
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

// Example is what a customer said to something that was offered for their question.
type Example struct {
	ID           string    `json:"id" required:"true"`
	Conversation string    `json:"conversation" required:"true"`
	Question     string    `json:"question" required:"true"`
	PassageID    string    `json:"passage_id" required:"true" description:"It may be gone by now."`
	Source       string    `json:"source" required:"true"`
	Label        string    `json:"label" required:"true"`
	Words        string    `json:"words" required:"true" description:"What was offered."`
	Answers      bool      `json:"answers" required:"true" description:"It answers the question."`
	How          string    `json:"how" required:"true" enum:"yes,chosen,no,other words,another was chosen"`
	At           time.Time `json:"at" required:"true"`
}

// ExamplePage is what customers said to offers, the newest first.
type ExamplePage struct {
	Items []Example `json:"items" required:"true"`
	Next  string    `json:"next,omitempty"`
}

// Outcome is what a bot does with questions of which customers said what answers them.
type Outcome struct {
	AnsweredRight int `json:"answered_right" required:"true"`
	AnsweredWrong int `json:"answered_wrong" required:"true"`
	Withheld      int `json:"withheld" required:"true" description:"Not answered: offered, or not known."`
}

// Confidence is how confidence fits what customers said to offers: what would come of
// fitting it on that, and whether that was done.
type Confidence struct {
	Questions int       `json:"questions" required:"true" description:"That customers settled."`
	Right     int       `json:"right" required:"true" description:"Of these, what the bot found first was the answer."`
	Wrong     int       `json:"wrong" required:"true"`
	Fewest    int       `json:"fewest" required:"true" description:"Questions that are needed."`
	Enough    bool      `json:"enough" required:"true" description:"There are enough to fit confidence on, right and wrong ones."`
	Threshold float64   `json:"threshold" required:"true" description:"From which the bot answers."`
	Before    Outcome   `json:"before" required:"true" description:"With confidence as it was delivered."`
	After     Outcome   `json:"after" required:"true" description:"With confidence fitted; each question is judged by a fit on others."`
	Used      bool      `json:"used" required:"true" description:"A fit is in use."`
	UsedOn    int       `json:"used_on,omitempty" description:"The questions that it was fitted on."`
	UsedBy    string    `json:"used_by,omitempty" description:"Who took it into use."`
	UsedSince time.Time `json:"used_since,omitzero"`
}

// Saying is a word, and how many times likelier it is there than anywhere.
type Saying struct {
	Word  string  `json:"word" required:"true"`
	Times float64 `json:"times" required:"true"`
}

// Sayings are what is known of how customers use a word.
type Sayings struct {
	Word      string   `json:"word" required:"true"`
	Texts     []Saying `json:"texts" required:"true" description:"What texts say where customers say the word, the likeliest first."`
	Customers []Saying `json:"customers" required:"true" description:"What customers say where texts have the word, the likeliest first."`
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
	Bot          string    `json:"bot,omitempty" description:"Whose alone the answer would be; left out: all bots'."`
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

	Threshold      float64 `json:"threshold" required:"true" description:"The confidence from which the bot answers."`
	OfferThreshold float64 `json:"offer_threshold" required:"true" description:"How likely what was found must be to be offered."`
}

// QuizGroup counts the questions of one kind, or of all.
type QuizGroup struct {
	Questions            int     `json:"questions" required:"true"`
	First                int     `json:"first" required:"true" description:"Right passage first."`
	FirstThree           int     `json:"first_three" required:"true" description:"Right passage among the first three."`
	MRR                  float64 `json:"mrr" required:"true" description:"Mean of 1 over the right passage's place, 0 to 1."`
	AnsweredRight        int     `json:"answered_right" required:"true"`
	AnsweredWrong        int     `json:"answered_wrong" required:"true"`
	OfferedRight         int     `json:"offered_right" required:"true" description:"Not answered, and the right passage among what was offered."`
	OfferedWrong         int     `json:"offered_wrong" required:"true" description:"Not answered, and something else offered."`
	Withheld             int     `json:"withheld" required:"true" description:"Neither answered nor offered anything."`
	Unanswerable         int     `json:"unanswerable" required:"true"`
	UnanswerableAnswered int     `json:"unanswerable_answered" required:"true"`
	UnanswerableOffered  int     `json:"unanswerable_offered" required:"true"`
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
	Asked    []string `json:"asked,omitempty" description:"Questions that it answers, in customers' words; it is found by them too."`
	Text     string   `json:"text" required:"true"`
	Position int      `json:"position" required:"true"`
}

// PassageQuestions are the questions that a passage answers, in customers' words.
type PassageQuestions struct {
	Questions []string `json:"questions" required:"true" maxItems:"12" description:"Each at most 300 letters; none removes them."`
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
	Threshold float64   `json:"threshold" required:"true" description:"The confidence from which a bot answers."`
	Answered  bool      `json:"answered" required:"true" description:"Whether a bot would answer from the first passage."`
	Answer    string    `json:"answer,omitempty" description:"What it would say."`

	Likely         float64  `json:"likely" required:"true" description:"The chance that one of the first three passages answers it, 0 to 1."`
	OfferThreshold float64  `json:"offer_threshold" required:"true" description:"How likely that must be to offer what was found."`
	Offers         []string `json:"offers,omitempty" description:"What a bot would offer instead of an answer: one passage's words, or what there is to choose from."`
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
