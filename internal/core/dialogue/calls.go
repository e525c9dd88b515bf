package dialogue

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/text"
)

// callsInTurn bounds how many tools one turn may call.
const callsInTurn = 4

// A Used tool gave the latest answer of a tool: what a customer says next may correct it, or
// ask the same for other values.
type Used struct {
	Tool     string         `json:"tool"`
	Said     map[string]any `json:"said"` // the arguments that were said
	Question string         `json:"question"`
	Replies  int            `json:"replies"` // how many the bot had made
}

// use calls a tool, or says what came of it, or asks for what is missing. said are the
// arguments that the customer said. It returns the outcome for the trace.
func (t *turn) use(tool Tool, said map[string]any, question string, likeness float64) string {
	arguments, missing := tool.Settle(said, t.Memory)
	record := func(outcome string) string {
		t.trace.Tools = append(t.trace.Tools, ToolUse{tool.Name, likeness, arguments, outcome})
		return outcome
	}
	if missing != nil && missing.Ask == "" {
		t.next.Open = nil
		t.missed(question)
		return record("needs what is verified of the contact: " + missing.Memory)
	}
	if missing != nil {
		t.next.Open = &OpenQuestion{Tool: tool.Name, Arguments: said, Missing: missing.Name, Question: question}
		t.answers = append(t.answers, missing.Ask)
		return record("asked for " + missing.Name)
	}
	t.next.Open = nil
	call := Call{Tool: tool.Name, Arguments: arguments, Question: question}
	if err := tool.CheckArguments(arguments); err != nil {
		t.missed(question)
		return record("the arguments do not fit: " + err.Error())
	}
	at := slices.IndexFunc(t.Results, func(r Result) bool { return r.key() == call.key() })
	switch {
	case at < 0 && tool.Approval && !t.allows(call):
		t.effects = append(t.effects, Allow{Call: call, Said: said})
		t.tell(fmt.Sprintf("asked on %s for what a person has to allow: %s", t.Channel.Title, tool.Title), fmt.Sprintf("Asked: %s\nThe tool: %s\nWith: %s\n", question, tool.Title, shownArguments(arguments)))
		t.note(Asked{Question: question})
		t.say(bot.AsksApproval, question)
		return record("a person is asked to allow it")
	case at < 0 && len(t.Results)+len(t.calls) >= callsInTurn:
		t.missed(question)
		return record("too many calls in one turn")
	case at < 0:
		t.calls = append(t.calls, call)
		return record("called")
	case t.Results[at].Error != "":
		t.note(Asked{Question: question})
		t.answers = append(t.answers, tool.Sorry)
		return record("failed: " + t.Results[at].Error)
	}
	values := t.values(question)
	values.Arguments, values.Result = arguments, t.Results[at].Value
	words, err := tool.Fill(values)
	if err != nil {
		t.note(Asked{Question: question})
		t.answers = append(t.answers, tool.Sorry)
		return record("no words for the result: " + err.Error())
	}
	t.answered(question, words)
	t.next.Used = &Used{tool.Name, said, question, t.next.Replies}
	return record("answered by the tool")
}

// shownArguments are arguments as people read them.
func shownArguments(arguments map[string]any) string {
	var list []string
	for _, name := range slices.Sorted(maps.Keys(arguments)) {
		list = append(list, fmt.Sprintf("%s: %v", name, arguments[name]))
	}
	return strings.Join(list, ", ")
}

// Words says what a call would do, for people.
func (s Snapshot) Words(c Call) string {
	words := c.Tool
	if tool, ok := s.granted(c.Tool); ok {
		words = tool.Title
	}
	if len(c.Arguments) > 0 {
		words += " (" + shownArguments(c.Arguments) + ")"
	}
	return words
}

// granted returns the tool of a name, if the bot may use it.
func (s *Snapshot) granted(name string) (Tool, bool) {
	for i := range s.Tools {
		if s.Tools[i].Name == name {
			return s.Tools[i], true
		}
	}
	return Tool{}, false
}

// askAgain is how often a tool's question is put before it is given up.
const askAgain = 2

// fillOpen takes the value that a tool waits for out of what was said. It
// reports whether that settled the turn; if not, the message is looked at like
// any other, and the question is put again behind the answer.
func (t *turn) fillOpen() bool {
	open := *t.next.Open
	tool, ok := t.granted(open.Tool)
	if !ok {
		t.next.Open = nil
		return false
	}
	said := maps.Clone(open.Arguments)
	if said == nil {
		said = map[string]any{}
	}
	heard := tool.hear(t.listen(t.said), open.Missing)
	maps.Copy(said, heard)
	if _, ok := heard[open.Missing]; ok || len(heard) > 0 && t.onlyValues(tool, t.said) {
		outcome := t.use(tool, said, open.Question, 1)
		t.trace.Understood = append(t.trace.Understood, Understood{
			Part: answer.Part{Text: t.said, Kind: answer.Statement}, Outcome: "filled " + open.Missing + "; " + outcome,
		})
		t.called("the missing detail was given")
		return true
	}
	open.Tries++
	t.next.Open = &open
	if open.Tries >= askAgain {
		t.next.Open = nil
	}
	return false
}

// called settles a turn that was about a tool alone.
func (t *turn) called(why string) {
	switch {
	case len(t.calls) > 0:
		t.came(CodeCalling, why)
	case len(t.unknown) > 0:
		t.conclude(false, false)
	case t.next.Open != nil:
		t.came(CodeAskedBack, "the tool needs "+t.next.Open.Missing)
	default:
		t.came(CodeAnswered, "a tool gave the answer")
	}
}

// onlyValues reports whether what was said is about nothing but a tool's values, and what
// else those say who ask for it.
func (t *turn) onlyValues(tool Tool, said string) bool {
	speech := t.Settings.Speech()
	for _, term := range tool.telling(t.asking(said)) {
		_, number := speech.Numbers[term.Word]
		inExample := slices.ContainsFunc(tool.examples, func(stems []string) bool { return slices.Contains(stems, term.Stem) })
		if !inExample && !number && !text.IsPartOfDay(term.Word) {
			return false
		}
	}
	return true
}

// usedFor is how many replies on a tool's answer may still be taken up.
const usedFor = 3

// used is the tool that gave an answer a moment ago, nil if none did.
func (t *turn) used() *Used {
	if used := t.next.Used; used != nil && t.next.Replies-used.Replies <= usedFor {
		return used
	}
	return nil
}

// followsUp takes what was said for a correction of what a tool was asked before, or for the
// same question about something else: "no, Hallow Point", "and tomorrow?".
func (t *turn) followsUp(part answer.Part) (outcome string, ok bool) {
	used := t.used()
	if used == nil {
		return "", false
	}
	tool, granted := t.granted(used.Tool)
	speech := t.Settings.Speech()
	rest, _ := speech.Corrects(part.Text)
	heard := t.heardFor(tool, rest)
	if !granted || len(heard) == 0 || !t.onlyValues(tool, rest) {
		return "", false
	}
	said := maps.Clone(used.Said)
	if said == nil {
		said = map[string]any{}
	}
	maps.Copy(said, heard)
	return "asks the tool anew; " + t.use(tool, said, used.Question, 1), true
}

// earlierLines is how many lines of a customer are looked back through for a value.
const earlierLines = 6

// gather takes the arguments of a tool out of the talk: out of the question, then the whole
// message; what a tool cannot do without, and holds for longer than a day or a number, also
// out of what was said before.
func (t *turn) gather(tool Tool, question string) map[string]any {
	said := t.heardFor(tool, question)
	add := func(line string, only func(argument) bool) {
		for name, value := range t.heardFor(tool, line) {
			at := slices.IndexFunc(tool.arguments, func(a argument) bool { return a.Name == name })
			if _, known := said[name]; !known && only(tool.arguments[at]) {
				said[name] = value
			}
		}
	}
	add(t.said, func(argument) bool { return true })
	if used := t.used(); used != nil && used.Tool == tool.Name && tool.Reads() { // what is to be done is said anew
		for _, a := range tool.arguments {
			if value, was := used.Said[a.Name]; was && a.Required && said[a.Name] == nil {
				said[a.Name] = value
			}
		}
	}
	if !tool.Reads() {
		return said
	}
	left := earlierLines
	for _, line := range slices.Backward(t.Talk) {
		if line.By == "customer" && left > 0 {
			left--
			add(line.Text, argument.lasts)
		}
	}
	return said
}

// lasts reports whether a value that was said earlier in a talk still holds.
func (a argument) lasts() bool {
	return a.Required && (len(a.values) > 0 || a.pattern != nil || a.Format == "email")
}

// An Allowed is what a person said to a call that waited for them: it wakes the turn.
type Allowed struct {
	Allow
	Yes bool   `json:"yes"`
	Why string `json:"why,omitempty"` // of a no
	By  string `json:"by"`
}

// allowances are what people said to calls that woke the turn.
func (t *turn) allowances() (list []Allowed) {
	for _, w := range t.Wakes {
		var a Allowed
		if w.Kind == ByAllowance && json.Unmarshal([]byte(w.Body), &a) == nil {
			list = append(list, a)
		}
	}
	return list
}

// allows reports whether a person has allowed a call.
func (t *turn) allows(call Call) bool {
	return slices.ContainsFunc(t.allowances(), func(a Allowed) bool { return a.Yes && a.Call.key() == call.key() })
}

// carryOn goes on with the calls that people have decided on.
func (t *turn) carryOn() {
	for _, a := range t.allowances() {
		tool, ok := t.granted(a.Tool)
		switch {
		case !ok || t.next.Lead == LedByPerson || t.next.Lead == Closed:
		case a.Yes:
			t.use(tool, a.Said, a.Question, 1)
			t.called(a.By + " allowed the call")
		default:
			t.trace.Tools = append(t.trace.Tools, ToolUse{tool.Name, 1, a.Arguments, "not allowed by " + a.By})
			t.say(bot.NotAllowed, a.Question)
			if a.Why != "" {
				t.answers = append(t.answers, a.Why)
			}
			t.came(CodeAnswered, a.By+" did not allow the call")
		}
	}
}
