// Package bot holds the brief: what a bot is told about who it is, what it may
// use, how it speaks, and when people come in.
package bot

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/template"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/workspace"
)

// A Brief is what a bot is told.
type Brief struct {
	Name    string `yaml:"bot"`
	Title   string `yaml:"title"`
	Persona string `yaml:"name"` // how it calls itself
	Role    string `yaml:"role"`

	Voice     Voice      `yaml:"voice"`
	Duties    []string   `yaml:"duties"`    // what it does, a sentence each
	Order     []string   `yaml:"order"`     // of the talk: greet, find out, answer, ...
	Examples  []Exchange `yaml:"examples"`  // of how it speaks
	Rules     []string   `yaml:"rules"`     // that it must keep to
	Assistant string     `yaml:"assistant"` // when it says that it is an automated assistant: first reply, when asked
	Marks     []Mark     `yaml:"marks"`     // tags and stages that it may give and set
	Proposes  bool       `yaml:"proposes"`  // it proposes house answers of what customers confirmed
	Remembers []string   `yaml:"remembers"` // fields that it may keep what customers say for; none: all
	Closes    bool       `yaml:"closes"`    // it ends the conversation when the customer says goodbye
	Mode      string     `yaml:"mode"`      // hold: its replies wait for a person on every channel; draft: the same, and lie among the drafts where the channel has some; off: people answer in its place; "": as the channel says
	Limits    Limits     `yaml:"limits"`

	Threshold float64 `yaml:"threshold"` // confidence below which it does not answer, 0 to 1

	// OfferThreshold is how likely what was found must be to be offered, 0 to 1; 1: nothing
	// is offered.
	OfferThreshold float64 `yaml:"offer_threshold"`

	Sources      []string            `yaml:"sources"` // that it may answer from; none listed means all
	Private      bool                `yaml:"private"` // its sources are its own: bots that name none leave them out
	Tools        []string            `yaml:"tools"`
	Capture      *Capture            `yaml:"capture"`
	Pass         []Pass              `yaml:"pass"` // whom it may pass conversations to, the first that fits first
	Escalate     Escalate            `yaml:"escalate"`
	Forbidden    []Rule              `yaml:"forbidden"`     // what the bot must not answer
	OffTopic     *OffTopic           `yaml:"off_topic"`     // none: what is off topic is not known
	WhileWaiting string              `yaml:"while_waiting"` // answer, acknowledge
	Model        Model               `yaml:"model"`         // that it thinks with
	Wordings     map[string][]string `yaml:"wordings"`

	wordings   map[string][]template.Template
	everywhere bool
}

// LooksEverywhere reports whether it is no bot of the workspace's, but whoever looks through
// all of its knowledge.
func (b Brief) LooksEverywhere() bool { return b.everywhere }

// Model says how a bot thinks with a language model.
type Model struct {
	Use         string   `yaml:"use"`         // the connection; none: the workspace's; built-in: no model
	Passages    int      `yaml:"passages"`    // that it is given to read for a reply
	LooksAt     int      `yaml:"looks_at"`    // glimpses that it chooses those from; 0: it is given those found first
	Rounds      int      `yaml:"rounds"`      // requests for one reply, with what tools said in between
	Unsupported string   `yaml:"unsupported"` // what becomes of a reply with a sentence that nothing supports: drop (the sentence), hold (the reply, for a person), built-in (the built-in answer)
	Daily       Daily    `yaml:"daily"`       // what it may use in a day
	Tells       []string `yaml:"tells"`       // fields of the contact that the model is told of; none: the first name
}

// Daily bounds what is used in a day; 0: no bound.
type Daily struct {
	Tokens int     `yaml:"tokens"`
	Cost   float64 `yaml:"cost"` // in the currency of the connection's price
}

// BuiltIn is the use of no model, and what a reply that is not supported becomes.
const BuiltIn = "built-in"

// What else becomes of a reply that is not supported.
const (
	Drop = "drop"
	Hold = "hold"
)

// Bounds of what a bot's model may be given and do.
const (
	mostPassages = 60
	mostLooks    = 200
	mostRounds   = 8
)

func (m Model) check(c *document.Checker) {
	if m.Passages < 1 || m.Passages > mostPassages {
		c.Wrong("$.model.passages", "a model is given from 1 to %d passages; 12 is a good start", mostPassages)
	}
	if m.LooksAt < 0 || m.LooksAt > mostLooks {
		c.Wrong("$.model.looks_at", "a model looks at no more than %d glimpses; 80 is a good start, 0 leaves it out", mostLooks)
	}
	if m.Rounds < 1 || m.Rounds > mostRounds {
		c.Wrong("$.model.rounds", "a reply may take from 1 to %d requests", mostRounds)
	}
	if !slices.Contains([]string{Drop, Hold, BuiltIn}, m.Unsupported) {
		c.Wrong("$.model.unsupported", "%q is not known here; it is drop, hold or built-in", m.Unsupported)
	}
	if m.Daily.Tokens < 0 || !(m.Daily.Cost >= 0) {
		c.Wrong("$.model.daily", "what may be used in a day is 0, for no bound, or more")
	}
}

// Capture says where details go once they are known.
type Capture struct {
	Needs []string          `yaml:"needs"` // fields of the contact that must be known
	Sheet string            `yaml:"sheet"` // gets a row for the contact
	Row   map[string]string `yaml:"row"`   // column: text with values
	CRM   string            `yaml:"crm"`   // the connection of the CRM

	cells map[string]template.Template
}

// Escalate says when people come in and who is told.
type Escalate struct {
	On     []string `yaml:"on"`     // not known, wish, anger
	Notify string   `yaml:"notify"` // the connection of the mail server
	To     string   `yaml:"to"`     // who answers: a mail address, team/NAME or person/NAME

	Within workspace.Duration `yaml:"within"` // how long a customer may wait until the next person is told; 0: for ever
}

// A Pass says whom a bot passes a conversation to, and with what: bot/NAME, which goes on
// in the same turn, or team/NAME or person/NAME, who are told.
type Pass struct {
	To    string   `yaml:"to"`
	About string   `yaml:"about"` // in plain words: "vans and cargo"
	When  []string `yaml:"when"`  // examples of what customers say then
}

// Bot is the name of the bot that it leads to, "" if it leads to people.
func (p Pass) Bot() string {
	name, is := strings.CutPrefix(p.To, "bot/")
	if !is {
		return ""
	}
	return name
}

// A Rule is something that the bot must not answer itself, such as advice that
// only a professional may give.
type Rule struct {
	About     string   `yaml:"about"`
	Questions []string `yaml:"questions"` // examples of what falls under it
	Reply     string   `yaml:"reply"`     // what is said, word for word
}

// OffTopic says what has nothing to do with the business.
type OffTopic struct {
	Questions []string `yaml:"questions"` // examples
}

// DefaultThreshold is the confidence from which a bot answers if its brief does
// not say.
const DefaultThreshold = 0.65

// DefaultOfferThreshold is how likely what was found must be to be offered, if the brief
// does not say.
const DefaultOfferThreshold = 0.43

// The reasons to escalate.
const (
	OnNotKnown = "not known"
	OnWish     = "wish"
	OnAnger    = "anger"
	OnLoop     = "loop"    // the sender writes as a program does; no brief can choose
	OnFault    = "fault"   // the bot could not decide; no brief can choose
	OnPass     = "pass"    // it is a matter that the brief passes to people
	OnTurns    = "turns"   // the bot has replied as often as it may
	OnNoBots   = "no bots" // people answer there, as they said of the contact, the channel or the bot; no brief can choose
)

// Held is why somebody waits whose answer is held for approval.
const Held = "held"

// The wordings that a brief may set, each a list to choose from. A sentence of
// fact never comes from here.
const (
	Greeting       = "greeting"        // before the first reply
	Welcome        = "welcome"         // when there was only a greeting
	Thanked        = "thanked"         // when the customer says thank you
	Farewell       = "farewell"        // when the customer says goodbye
	WhoIAm         = "who_i_am"        // when asked whether it is a robot
	Named          = "named"           // before an answer, when the name was given
	Noted          = "noted"           // when a detail was given
	HowToHelp      = "how_to_help"     // when nothing was asked
	NotKnown       = "not_known"       // no answer, nobody is told
	HandedOver     = "handed_over"     // no answer, people are told
	WishGranted    = "wish_granted"    // a person was asked for
	Calm           = "calm"            // the customer is angry, people are told
	Waiting        = "waiting"         // more was said while waiting for a person
	AlreadyTold    = "already_told"    // a person was asked for again while waiting
	Again          = "again"           // before an answer given a moment ago
	PartUnknown    = "part_unknown"    // one of several questions has no answer, nobody is told
	PartAsked      = "part_asked"      // one of several questions has no answer, people are told
	FaultSaid      = "fault"           // no reply could be made, people are told
	ReadInPart     = "read_in_part"    // a message was too long to be read to its end
	OffTopicSaid   = "off_topic"       // what was asked has nothing to do with the business
	WhichOne       = "which_one"       // before the things that may be meant
	NotSure        = "not_sure"        // before what was found and may be meant
	ForPart        = "for_part"        // before what may be meant by one of several questions
	Otherwise      = "otherwise"       // after what may be meant, nobody is told
	OtherwiseAsked = "otherwise_asked" // after what may be meant, people are told if it is not
	Confirmed      = "confirmed"       // when the customer says that it was meant
	TakesOver      = "takes_over"      // the first words of a bot that a conversation was passed to
	PassedOn       = "passed_on"       // when a matter is passed to people
	IsAssistant    = "is_assistant"    // at the beginning of the first reply
	AssistantToo   = "assistant_too"   // the same where a conversation was passed to it, and it has said its name
	TakesLonger    = "takes_longer"    // when nobody has come in for as long as the brief allows
	SignOff        = "sign_off"        // below each reply; none unless the brief has one
	AsksApproval   = "asks_approval"   // when a person has to allow what a tool would do
	NotAllowed     = "not_allowed"     // when they do not
)

var defaults = map[string][]string{
	Greeting:       {"Hello{{ contact.first_name.hasValue() ? ' ' + contact.first_name.value() : '' }}!"},
	Welcome:        {"How can I help?"},
	Thanked:        {"You're welcome.", "Glad to help."},
	Farewell:       {"Goodbye, and thank you.", "Thank you, goodbye."},
	WhoIAm:         {"I'm {{ bot }}, an automated assistant. If you would rather talk to a person, just say so."},
	Named:          {"Thank you, {{ contact.first_name.orValue('') }}."},
	Noted:          {"Thank you{{ contact.first_name.hasValue() ? ', ' + contact.first_name.value() : '' }}, I have noted that."},
	HowToHelp:      {"How can I help?", "What would you like to know?"},
	NotKnown:       {"I don't know that, and I would rather not guess."},
	HandedOver:     {"I don't know that, and I would rather not guess. I have asked a colleague, who will answer you here."},
	WishGranted:    {"Of course. I have asked a colleague to come in; they will answer you here."},
	Calm:           {"I'm sorry about this. I have asked a colleague to look into it at once; they will answer you here."},
	Waiting:        {"Thank you, I have added that for my colleague.", "Noted. My colleague will see this too."},
	AlreadyTold:    {"A colleague has been asked already, and will answer you here.", "My colleagues know that you are waiting, and will answer you here."},
	Again:          {"As I said:", "To repeat:"},
	OffTopicSaid:   {"That is not something I can help with. Ask me about {{ workspace }}."},
	WhichOne:       {"Which of these do you mean?"},
	NotSure:        {"I am not sure that this is what you mean:"},
	ForPart:        {"About \"{{ question }}\":"},
	Otherwise:      {"If that is not it, tell me."},
	OtherwiseAsked: {"If that is not it, tell me, and I ask a colleague."},
	Confirmed:      {"Good. Is there anything else?"},
	TakesOver:      {"This is {{ bot }}."},
	PassedOn:       {"That is for a colleague. I have asked one, who will answer you here."},
	IsAssistant:    {"I'm {{ bot }}, an automated assistant."},
	AssistantToo:   {"I'm an automated assistant."},
	TakesLonger:    {"It takes longer than I hoped. My colleagues know that you are waiting, and will answer you here."},
	SignOff:        {},
	AsksApproval:   {"I have asked a colleague whether that can be done, and will tell you here."},
	NotAllowed:     {"A colleague has looked at it: I am sorry, that cannot be done."},
	PartUnknown:    {"About \"{{ question }}\": I don't know, and I would rather not guess."},
	PartAsked:      {"About \"{{ question }}\": I don't know, and I would rather not guess. I have asked a colleague."},
	FaultSaid:      {"I'm sorry, I could not deal with your message. I have asked a colleague, who will answer you here."},
	ReadInPart:     {"Your message is long, and I have read only its beginning. Please send me the rest in a message of its own."},
}

// Because says in words for people why somebody waits for a person; a reason that
// is not one of a brief's stands as it is.
func Because(reason string) string {
	switch reason {
	case OnNotKnown:
		return "the bot does not know"
	case OnWish:
		return "asked for a person"
	case OnAnger:
		return "is angry"
	case OnLoop:
		return "writes as a program does"
	case OnFault:
		return "the bot could not make a reply"
	case OnPass:
		return "a matter for people"
	case OnTurns:
		return "the bot has replied as often as it may"
	case OnNoBots:
		return "bots do not answer here"
	case Held:
		return "a reply waits for approval"
	}
	return reason
}

// Plain is the brief of a bot that was told nothing: it answers from all sources.
func Plain() Brief {
	b, err := Parse("plain", []byte("bot: plain\nname: the bot\n"))
	if err != nil {
		panic(err) // the text above is right
	}
	b.everywhere = true
	return b
}

// Parse reads a brief. The error is document.Problems.
func Parse(file string, source []byte) (Brief, error) {
	b := Brief{Threshold: DefaultThreshold, OfferThreshold: DefaultOfferThreshold, WhileWaiting: "answer", Model: Model{Passages: 12, LooksAt: 80, Rounds: 4, Unsupported: Drop}}
	c := document.Decode(file, source, &b)
	if c.Failed() {
		return b, c.Err()
	}
	c.Name("$.bot", b.Name)
	if b.Persona == "" {
		c.Wrong("$.name", "a bot needs a name that it goes by")
	}
	if !(b.Threshold > 0 && b.Threshold < 1) { // also what is no number
		c.Wrong("$.threshold", "the threshold must lie between 0 and 1; 0.65 is a good start")
	}
	if !(b.OfferThreshold > 0 && b.OfferThreshold <= 1) {
		c.Wrong("$.offer_threshold", "the threshold for offers must lie above 0, and be at most 1, with which nothing is offered; %v is a good start", DefaultOfferThreshold)
	}
	if b.Private && len(b.Sources) == 0 {
		c.Wrong("$.private", "say which sources are its own: sources")
	}
	if b.WhileWaiting != "answer" && b.WhileWaiting != "acknowledge" {
		c.Wrong("$.while_waiting", "%q is not known here; it is answer or acknowledge", b.WhileWaiting)
	}
	for i, on := range b.Escalate.On {
		if on != OnNotKnown && on != OnWish && on != OnAnger {
			c.Wrong(fmt.Sprintf("$.escalate.on[%d]", i), "%q is not a reason to escalate; the reasons are: not known, wish, anger", on)
		}
	}
	if b.Escalate.Notify != "" && b.Escalate.To == "" {
		c.Wrong("$.escalate.to", "say who is told: a mail address, team/NAME or person/NAME")
	}
	if to := b.Escalate.To; to != "" && b.Escalate.reference() == nil && to != text.Email(to) {
		c.Wrong("$.escalate.to", "%q is not a mail address, team/NAME or person/NAME", to)
	}
	for i, p := range b.Pass {
		at := fmt.Sprintf("$.pass[%d]", i)
		switch kind, name, _ := strings.Cut(p.To, "/"); {
		case kind != "bot" && kind != "team" && kind != "person" || name == "":
			c.Wrong(at+".to", "%q is nobody to pass to; it is bot/NAME, team/NAME or person/NAME", p.To)
		case p.Bot() == b.Name:
			c.Wrong(at+".to", "a bot does not pass conversations to itself")
		case p.Bot() == "" && len(p.When) == 0:
			c.Wrong(at+".when", "give examples of what customers say that is for %s", p.To)
		}
	}
	for i, rule := range b.Forbidden {
		if rule.About == "" || rule.Reply == "" || len(rule.Questions) == 0 {
			c.Wrong(fmt.Sprintf("$.forbidden[%d]", i), "a forbidden matter needs about, questions (examples) and reply")
		}
	}
	b.wordings = map[string][]template.Template{}
	for _, key := range slices.Sorted(maps.Keys(defaults)) {
		texts := defaults[key]
		if own := b.Wordings[key]; len(own) > 0 {
			texts = own
		}
		for i, source := range texts {
			t, err := template.Parse(source)
			if err != nil {
				c.Wrong(fmt.Sprintf("$.wordings.%s[%d]", key, i), "%v", err)
			}
			b.wordings[key] = append(b.wordings[key], t)
		}
	}
	for key := range b.Wordings {
		if defaults[key] == nil {
			c.Wrong("$.wordings."+key, "%q is not a wording; the wordings are: %v", key, slices.Sorted(maps.Keys(defaults)))
		}
	}
	b.Model.check(c)
	b.checkManner(c)
	b.checkMarks(c)
	if b.Capture != nil {
		b.Capture.check(c)
	}
	return b, c.Err()
}

func (cap *Capture) check(c *document.Checker) {
	if len(cap.Needs) == 0 {
		c.Wrong("$.capture.needs", "say which fields of the contact must be known")
	}
	cap.cells = map[string]template.Template{}
	for column, source := range cap.Row {
		t, err := template.Parse(source)
		if err != nil {
			c.Wrong("$.capture.row", "%v", err)
		}
		cap.cells[column] = t
	}
}

// Cells fills the row for a contact.
func (cap *Capture) Cells(v template.Values) (map[string]string, error) {
	cells := map[string]string{}
	for column, t := range cap.cells {
		cell, err := t.Fill(v)
		if err != nil {
			return nil, err
		}
		cells[column] = cell
	}
	return cells, nil
}

// Named is document.Document's.
func (b Brief) Named() string { return b.Name }

// Refers is document.Document's.
func (b Brief) Refers() (refers []document.Reference) {
	for i, tool := range b.Tools {
		refers = append(refers, document.Reference{Path: fmt.Sprintf("$.tools[%d]", i), Kind: "tool", Name: tool})
	}
	for i, p := range b.Pass {
		kind, name, _ := strings.Cut(p.To, "/")
		refers = append(refers, document.Reference{Path: fmt.Sprintf("$.pass[%d].to", i), Kind: kind, Name: name, Later: p.Bot() != ""})
	}
	if use := b.Model.Use; use != "" && use != BuiltIn {
		refers = append(refers, workspace.ToConnection("$.model.use", use, workspace.Model))
	}
	refers = append(refers, b.remembersRefers()...)
	refers = append(refers, b.marksRefers()...)
	for i, field := range b.Model.Tells {
		refers = append(refers, workspace.FieldKnown(fmt.Sprintf("$.model.tells[%d]", i), field))
	}
	if b.Escalate.Notify != "" {
		refers = append(refers, workspace.ToConnection("$.escalate.notify", b.Escalate.Notify, workspace.MailServer))
	}
	if to := b.Escalate.reference(); to != nil {
		refers = append(refers, *to)
	}
	for _, key := range slices.Sorted(maps.Keys(b.Wordings)) {
		for i, t := range b.wordings[key] {
			refers = append(refers, fieldsKnown(fmt.Sprintf("$.wordings.%s[%d]", key, i), t.Fields())...)
		}
	}
	if b.Capture != nil {
		refers = append(refers, b.Capture.refers()...)
	}
	return refers
}

func fieldsKnown(path string, fields []string) (refers []document.Reference) {
	for _, field := range fields {
		refers = append(refers, workspace.FieldKnown(path, field))
	}
	return refers
}

func (cap *Capture) refers() (refers []document.Reference) {
	for i, need := range cap.Needs {
		refers = append(refers, workspace.FieldKnown(fmt.Sprintf("$.capture.needs[%d]", i), need))
	}
	columns := slices.Sorted(maps.Keys(cap.cells))
	for _, column := range columns {
		refers = append(refers, fieldsKnown("$.capture.row", cap.cells[column].Fields())...)
	}
	if cap.Sheet != "" {
		refers = append(refers, workspace.ToSheet("$.capture.sheet", cap.Sheet, columns))
	}
	if cap.CRM != "" {
		refers = append(refers, workspace.ToConnection("$.capture.crm", cap.CRM, workspace.HTTPSystem))
	}
	return refers
}

// reference returns the team or person that is told, nil if it is an address.
func (e Escalate) reference() *document.Reference {
	kind, name, ok := strings.Cut(e.To, "/")
	if !ok || kind != "team" && kind != "person" {
		return nil
	}
	return &document.Reference{Path: "$.escalate.to", Kind: kind, Name: name}
}

// EscalatesOn reports whether people come in for a reason. A wish for a person
// is always granted, and a loop or a fault always shown, whatever the brief says.
func (b Brief) EscalatesOn(reason string) bool {
	return reason == OnWish || reason == OnLoop || reason == OnFault || slices.Contains(b.Escalate.On, reason)
}

// Word returns a wording, filled. Of several, turn chooses one: successive turns
// vary. What does not fill is left out.
func (b Brief) Word(key string, turn int, v template.Values) string {
	choices := b.wordings[key]
	if len(choices) == 0 {
		return ""
	}
	filled, err := choices[max(turn, 0)%len(choices)].Fill(v)
	if err != nil {
		return ""
	}
	return b.Called(filled)
}
