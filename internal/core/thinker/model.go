package thinker

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/support"
	"urgentparrot.example/internal/core/text"
)

// Model thinks by a language model. What it reads from a model it bounds, and trusts in
// nothing but its form.
type Model struct{}

// What is read of a model's reply.
const (
	mostSentences = 24
	mostRunes     = 600 // of a sentence
	mostWordings  = 3
	mostLearnt    = 20
	talkLines     = 8   // of what was said before; what came before them is summed up
	earlierRunes  = 160 // of a question in the sum, and of its answer
	lineRunes     = 600 // of each
)

// Ask is Thinker's.
func (m Model) Ask(t Task) *Request {
	r := &Request{Kind: t.Kind}
	switch t.Kind {
	case Answer, Choose:
		r.Passages, r.Schema = t.Passages, answerSchema
		r.Messages = append(r.Messages, Message{Role: System, Text: t.instructions()}, Message{Role: User, Text: passagesText(t.Passages)})
		r.Messages = append(r.Messages, t.talk()...)
		r.Messages = append(r.Messages, Message{Role: User, Text: t.Said})
		for _, act := range t.Acts {
			parameters := act.Arguments
			if parameters == nil {
				parameters = map[string]any{"type": "object", "properties": map[string]any{}}
			}
			r.Functions = append(r.Functions, Function{act.Name, act.About, parameters})
		}
		for _, done := range t.Done {
			r.Messages = append(r.Messages, Message{Role: Assistant, Calls: []Call{done.Call}}, Message{Role: ToolSaid, CallID: done.ID, Text: done.Result})
		}
	case Search:
		r.Looks, r.Schema = t.Looks, searchSchema
		r.Messages = []Message{
			{Role: System, Text: fmt.Sprintf(searchInstructions, t.Brief.Workspace, t.most(12), mostWordings) + asData},
			{Role: User, Text: looksText(t.Looks)},
		}
		r.Messages = append(r.Messages, t.talk()...)
		r.Messages = append(r.Messages, Message{Role: User, Text: t.Said})
	case Ask:
		r.Schema = askSchema
		r.Messages = []Message{{Role: System, Text: fmt.Sprintf(askInstructions, t.Brief.Workspace, t.most(6)) + asData}, {Role: User, Text: passagesText(t.Passages)}}
	case Extract:
		r.Schema = valuesSchema
		r.Messages = []Message{{Role: System, Text: extractInstructions + t.fieldsText() + asData}, {Role: User, Text: t.Said}}
	case Classify:
		var labels strings.Builder
		names := []any{""}
		for _, l := range t.Labels {
			names = append(names, l.Name)
			fmt.Fprintf(&labels, "- %s: %s", l.Name, l.About)
			for _, e := range l.Examples {
				fmt.Fprintf(&labels, " %q", e)
			}
			labels.WriteByte('\n')
		}
		r.Schema = object("label", map[string]any{"type": "string", "enum": names})
		r.Messages = []Message{{Role: System, Text: classifyInstructions + labels.String() + asData}, {Role: User, Text: t.Said}}
	case Phrase:
		told := fmt.Sprintf(phraseInstructions, t.Brief.Name, t.Brief.Workspace, t.Brief.Role, t.most(3)) + t.instructed()
		r.Messages = []Message{{Role: System, Text: told + asData}, {Role: User, Text: t.Said}}
	case Summarise:
		told := fmt.Sprintf(summariseInstructions, t.Brief.Workspace, t.most(4)) + t.instructed()
		if len(t.Fields) > 0 {
			told += fmt.Sprintf(partsInstructions, t.fieldsText())
			r.Schema = summarySchema
		}
		r.Messages = []Message{{Role: System, Text: told + asData}, {Role: User, Text: t.talkText()}}
	}
	return r
}

// instructed is what the builder wants of a text.
func (t Task) instructed() (told string) {
	if t.Brief.Limit > 0 {
		told = fmt.Sprintf("At most %d letters.\n", t.Brief.Limit)
	}
	if t.Instructions != "" {
		told += "How it is to be: " + text.Squeeze(t.Instructions) + "\n"
	}
	return told
}

// fieldsText lists what is wanted.
func (t Task) fieldsText() string {
	var wanted strings.Builder
	for _, f := range t.Fields {
		fmt.Fprintf(&wanted, "- %s (%s, %s)", f.Name, f.Label, f.Type)
		if len(f.Choices) > 0 {
			fmt.Fprintf(&wanted, ", one of: %s", strings.Join(f.Choices, ", "))
		}
		wanted.WriteByte('\n')
	}
	return wanted.String()
}

func (t Task) most(otherwise int) int {
	if t.Most > 0 {
		return t.Most
	}
	return otherwise
}

// instructions are what a model is told of its task: who it is first, and the rules last,
// where they weigh most.
func (t Task) instructions() string {
	b := t.Brief
	var s strings.Builder
	fmt.Fprintf(&s, "You are %s of %s. ", b.Name, b.Workspace)
	if b.Role != "" {
		fmt.Fprintf(&s, "Your role: %s\n", strings.TrimSpace(b.Role))
	}
	fmt.Fprintf(&s, "You reply to a customer who writes on %s. Today is %s.\n", b.Channel, b.Today.Format("Monday 2 January 2006, 15:04"))
	if len(b.Known) > 0 {
		fmt.Fprintf(&s, "Known of the customer: %s.\n", strings.Join(b.Known, "; "))
	}
	if earlier := t.earlier(); earlier != "" {
		s.WriteString("Earlier in this talk:\n" + earlier)
	}
	for _, line := range b.Manner {
		s.WriteString(line + "\n")
	}
	fmt.Fprintf(&s, answerInstructions, nameOf(b.Language))
	if b.Limit > 0 {
		fmt.Fprintf(&s, "- Keep the whole reply below %d letters.\n", b.Limit)
	}
	return s.String() + asData
}

// earlier sums up what was asked before the lines that are told whole, a line each.
func (t Task) earlier() string {
	var s strings.Builder
	for _, d := range t.Brief.Earlier {
		if whole := func(l Line) bool { return strings.Contains(text.Squeeze(l.Text), text.Squeeze(d.Question)) }; slices.ContainsFunc(t.lately(), whole) {
			continue
		}
		became := "not answered"
		if d.Answer != "" {
			became = "answered: " + text.First(d.Answer, earlierRunes)
		}
		fmt.Fprintf(&s, "- The customer asked %q; %s\n", text.First(d.Question, earlierRunes), became)
	}
	return s.String()
}

// lately is what was said last, which is told whole.
func (t Task) lately() []Line { return t.Talk[max(0, len(t.Talk)-talkLines):] }

func (t Task) talk() (messages []Message) {
	for _, line := range t.lately() {
		role, said := User, text.First(line.Text, lineRunes)
		switch line.By {
		case "bot":
			role = Assistant
		case "person":
			role, said = Assistant, "(a colleague) "+said
		}
		messages = append(messages, Message{Role: role, Text: said})
	}
	return messages
}

func (t Task) talkText() string {
	var s strings.Builder
	for _, line := range t.Talk {
		fmt.Fprintf(&s, "%s: %s\n", line.By, text.First(line.Text, lineRunes))
	}
	return s.String()
}

// PassagesHead begins the message that holds the passages.
const PassagesHead = "Passages, one JSON object a line:"

// passagesText writes passages a line each, as JSON: nothing in one can look like the end
// of it.
func passagesText(passages []Passage) string {
	var s strings.Builder
	s.WriteString(PassagesHead)
	for _, p := range passages {
		s.WriteString("\n" + line(map[string]any{"id": p.ID, "heads": strings.Join(p.Heads, " › "), "text": p.Text}))
	}
	return s.String()
}

// LooksHead begins the message that holds what may be read.
const LooksHead = "What may be read, one JSON object a line:"

func looksText(looks []Look) string {
	var s strings.Builder
	s.WriteString(LooksHead)
	for _, l := range looks {
		s.WriteString("\n" + line(map[string]any{"id": l.ID, "gist": l.Gist}))
	}
	return s.String()
}

func line(v map[string]any) string {
	raw, err := json.Marshal(v)
	if err != nil {
		return "{}" // texts can always be encoded
	}
	return string(raw)
}

// nameOf names a language, for a model.
func nameOf(code string) string {
	if name, ok := map[string]string{"en": "English", "de": "German", "fr": "French", "es": "Spanish", "it": "Italian", "nl": "Dutch", "pt": "Portuguese", "sv": "Swedish", "da": "Danish", "no": "Norwegian", "pl": "Polish"}[code]; ok {
		return name
	}
	return code
}

// Read is Thinker's.
func (m Model) Read(t Task, r *Reply) (o Outcome, err error) {
	if r == nil {
		return o, errors.New("the model was not asked")
	}
	if r.Cut {
		return o, ErrCut
	}
	switch {
	case t.Kind == Phrase, t.Kind == Summarise && len(t.Fields) == 0:
		if o.Text = text.First(text.Squeeze(text.Plain(r.Text)), 4*mostRunes); o.Text == "" {
			return o, errors.New("the model said nothing")
		}
		return o, nil
	}
	if len(r.Calls) > 0 {
		o.Calls = r.Calls
		return o, nil
	}
	var said struct {
		Act       string
		Language  string
		Asked     []string
		Sentences []struct {
			Says, Means string
			StandsOn    []string `json:"stands_on"`
		}
		Unknown   []string
		Passages  []string
		Wordings  []string
		Values    map[string]any
		Label     string
		Text      string
		Questions []string
	}
	if err := json.Unmarshal([]byte(bare(r.Text)), &said); err != nil {
		return o, errors.New("the reply is not the JSON that was asked for")
	}
	switch t.Kind {
	case Answer, Choose:
		o.Act, o.Language = said.Act, strings.ToLower(text.First(said.Language, 8))
		if !slices.Contains([]string{ActReply, ActNotKnown, ActOffTopic, ActPerson}, o.Act) {
			return o, fmt.Errorf("the reply is the act %q, which nobody offered", text.First(said.Act, 40))
		}
		foreign := o.Language != "" && o.Language != t.Brief.Language
		for _, s := range said.Sentences[:min(len(said.Sentences), mostSentences)] {
			says := text.Squeeze(text.Plain(text.First(s.Says, mostRunes)))
			if says == "" {
				continue
			}
			sentence := support.Sentence{Says: says, Language: o.Language, On: s.StandsOn[:min(len(s.StandsOn), mostLearnt)]}
			if foreign {
				if sentence.Means = text.Squeeze(text.Plain(text.First(s.Means, mostRunes))); sentence.Means == "" {
					return o, fmt.Errorf("a sentence in %s does not say what it means in %s, so it cannot be checked", nameOf(o.Language), nameOf(t.Brief.Language))
				}
			}
			o.Sentences = append(o.Sentences, sentence)
		}
		if o.Act == ActReply && len(o.Sentences) == 0 {
			return o, errors.New("the reply says nothing")
		}
		o.Unknown = few(said.Unknown, mostLearnt)
		if foreign {
			o.Asked = few(said.Asked, mostLearnt)
		}
	case Search:
		o.Chosen, o.Wordings = few(said.Passages, t.most(12)), few(said.Wordings, mostWordings)
	case Ask:
		o.Questions = few(said.Questions, t.most(6))
	case Extract, Summarise:
		o.Values = map[string]string{}
		for name, v := range said.Values {
			if v != nil && slices.ContainsFunc(t.Fields, func(f Field) bool { return f.Name == name }) {
				o.Values[name] = written(v)
			}
		}
		o.Text = text.First(text.Squeeze(text.Plain(said.Text)), 4*mostRunes)
	case Classify:
		if said.Label != "" && !slices.ContainsFunc(t.Labels, func(l Label) bool { return l.Name == said.Label }) {
			return o, fmt.Errorf("the label %q is none of those that were given", text.First(said.Label, 40))
		}
		o.Label = said.Label
	}
	return o, nil
}

// written is a value as text: of a list a line each.
func written(v any) string {
	list, ok := v.([]any)
	if !ok {
		return text.First(text.Squeeze(text.Plain(fmt.Sprint(v))), mostRunes)
	}
	var lines []string
	for _, item := range list[:min(len(list), mostLearnt)] {
		lines = append(lines, text.First(text.Squeeze(text.Plain(fmt.Sprint(item))), mostRunes))
	}
	return strings.Join(lines, "\n")
}

// bare takes away what models put around JSON: what they think first, fences, words.
func bare(s string) string {
	if _, after, thought := strings.Cut(s, "</think>"); thought {
		s = after
	}
	first, last := strings.IndexByte(s, '{'), strings.LastIndexByte(s, '}')
	if first < 0 || last < first {
		return s
	}
	return s[first : last+1]
}

// few returns at most so many texts that say something.
func few(list []string, most int) (kept []string) {
	for _, s := range list {
		if s = text.Squeeze(text.Plain(text.First(s, mostRunes))); s != "" && len(kept) < most && !slices.Contains(kept, s) {
			kept = append(kept, s)
		}
	}
	return kept
}
