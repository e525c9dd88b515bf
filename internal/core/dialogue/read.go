package dialogue

import (
	"fmt"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/thinker"
	"urgentparrot.example/internal/core/workspace"
)

// Model is the language model that a bot thinks with.
type Model struct {
	thinker.Thinker
	Connection workspace.Connection
	Spent      Spent  // by the bot today
	Resting    string // why it is left alone for the moment; "": it is not
}

// Spent is what was used.
type Spent struct {
	Tokens int
	Cost   int64 // millionths of the currency
}

// A Thought is something that is put to the model in a turn, and what came of it.
type Thought struct {
	Request *thinker.Request `json:"request"`
	On      string           `json:"on"` // the messages that it is about; with others it is out of date
	Reply   *thinker.Reply   `json:"reply,omitempty"`
	Error   string           `json:"error,omitempty"` // why there is no reply
}

// read has the model read what was found, and reply. It reports false if the built-in
// thinker is to deal with the message, which it always can: where a rule of the brief
// forbids an answer, nothing is asked, the model cannot be had or is over its budget, or
// what it says does not stand up to the checks. The trace says why.
func (t *turn) read(parts []answer.Part) (settled bool) {
	asked, greeted := t.toBeRead(parts)
	if len(asked) == 0 {
		return false
	}
	if why := t.Model.Unavailable(t.Brief); why != "" && len(t.Thoughts) == 0 {
		t.trace.BuiltIn = why
		return false
	}
	for _, part := range asked {
		reply := t.Finder.Reply(t.ctx, part, t.next.LastQuestion, t.bars(), t.Abilities.Limit)
		// Of another language only what is surely forbidden can be told; what is asked in
		// it is looked at again once the model has put it into that of the knowledge.
		if rule, is := t.forbids(part, reply); is >= forbidden || is == doubtful && !t.isForeign(part.Text) {
			t.trace.BuiltIn = "it is, or may be, about " + rule.About
			return false
		}
	}
	r := &reader{turn: t, asked: asked, on: t.messageIDs()}
	r.thoughts = slices.DeleteFunc(slices.Clone(t.Thoughts), func(th Thought) bool { return th.On != r.on })
	defer t.timed("check")
	why := r.proceed()
	switch {
	case t.unfinished():
		return true
	case why != "":
		t.trace.BuiltIn = why
		return false
	case r.passedTo != nil:
		t.gaveOn = append(t.gaveOn, t.Brief.Name) // who gave it on by judgement does not get it back at once
		t.passOn(*r.passedTo, greeted)
		return true
	}
	if !r.handed {
		t.conclude(greeted, false)
	}
	if t.trace.Code == CodeAnswered {
		t.trace.Why = "what the model says stands on the knowledge"
	}
	return true
}

// toBeRead returns the parts of a message that want an answer.
func (t *turn) toBeRead(parts []answer.Part) (asked []answer.Part, greeted bool) {
	for i, part := range parts {
		if i == readParts || len(asked) == readAsked || t.ctx.Err() != nil {
			t.cut = true
			break
		}
		switch part.Kind {
		case answer.Greeting:
			greeted = true
		case answer.Question:
			asked = append(asked, part)
		case answer.Statement:
			if t.asksSomething(part.Text) {
				asked = append(asked, part)
			}
		case answer.AboutBot:
			return nil, false // the brief's own words
		}
	}
	if len(asked) == 0 && t.State.AskedBack && !slices.ContainsFunc(parts, func(p answer.Part) bool { return p.Kind == answer.Farewell }) {
		asked = append(asked, answer.Part{Text: t.said, Kind: answer.Statement}) // the answer to what the model asked
	}
	return asked, greeted
}

func (t *turn) messageIDs() string {
	var ids []string
	for _, m := range t.Messages {
		ids = append(ids, m.ID)
	}
	return strings.Join(ids, " ")
}

// Unavailable says why a bot's model is not asked now: the bot has used up what it may in a
// day, or the model is left alone; "" if it is asked.
func (m Model) Unavailable(brief bot.Brief) string {
	daily, spent := brief.Model.Daily, m.Spent
	switch {
	case daily.Tokens > 0 && spent.Tokens >= daily.Tokens:
		return fmt.Sprintf("the bot has used its %d tokens of today", daily.Tokens)
	case daily.Cost > 0 && float64(spent.Cost) >= daily.Cost*1e6:
		return fmt.Sprintf("the bot has used its budget of today, %g", daily.Cost)
	}
	return m.Resting
}

// A reader has the model read and reply, in one turn.
type reader struct {
	*turn
	asked    []answer.Part
	on       string
	thoughts []Thought // that are about these messages
	heard    int       // how many of them have been looked at
	done     []thinker.Done
	passages []thinker.Passage
	handed   bool     // to a person
	passedTo *passing // whom the model gave the conversation to
}

// ask puts a task to the model, or returns what it said. It reports false if that is still
// to come. What was asked for the same messages before is not asked anew, though the
// knowledge may have changed since.
func (r *reader) ask(task thinker.Task) (o thinker.Outcome, at int, why string, known bool) {
	at = len(r.trace.Thoughts)
	if r.heard >= len(r.thoughts) {
		if r.heard >= r.mostThoughts() {
			return o, at, "the model took more requests than the brief allows", true
		}
		r.put(r.Model.Ask(task))
		return o, at, "", false
	}
	th := r.thoughts[r.heard]
	r.heard++
	shown := Thinking{Kind: th.Request.Kind, Connection: r.Model.Connection.Title, Model: r.Model.Connection.Model, Messages: th.Request.Messages, Passages: th.Request.Passages, Reply: th.Reply, Error: th.Error}
	for _, f := range th.Request.Functions {
		shown.Functions = append(shown.Functions, f.Name)
	}
	if th.Reply != nil {
		shown.Cost = r.Model.Connection.Price.Cost(th.Reply.In, th.Reply.Out)
	}
	r.passages = th.Request.Passages
	var err error
	if th.Error != "" {
		why = th.Error
	} else if o, err = r.Model.Read(task, th.Reply); err != nil {
		why = err.Error()
		shown.Error = why
	}
	r.trace.Thoughts = append(r.trace.Thoughts, shown)
	if th.Reply != nil {
		r.trace.Timings = append(r.trace.Timings, Timing{"model", int64(th.Reply.Took) * 1000})
	}
	return o, at, why, true
}

// put puts a request to the model.
func (r *reader) put(request *thinker.Request) {
	r.turn.think = &Thought{Request: request, On: r.on}
	r.came(CodeCalling, "the model is asked")
}

// mostThoughts bounds the requests of one reply: one more for the search.
func (r *reader) mostThoughts() int {
	if r.Brief.Model.LooksAt > 0 {
		return r.Brief.Model.Rounds + 1
	}
	return r.Brief.Model.Rounds
}

// proceed has the model choose what to read, and reply. It returns why no reply of its came
// about, "" if one did or something is still to come.
func (r *reader) proceed() (why string) {
	task := thinker.Task{Kind: thinker.Answer, Brief: r.told(), Said: r.said, Talk: r.Talk}
	looks, search := r.glimpses(), thinker.Outcome{}
	if len(looks) > 0 {
		o, at, why, known := r.ask(thinker.Task{Kind: thinker.Search, Brief: task.Brief, Said: r.said, Talk: r.Talk, Looks: looks, Most: r.Brief.Model.Passages})
		if !known {
			return ""
		}
		if why != "" && (at == len(r.trace.Thoughts) || r.trace.Thoughts[at].Reply == nil) {
			return why // it would only be waited for once more
		}
		search = o // nothing, where what it says cannot be used: it reads what was found
	}
	task.Passages = r.given(search, looks)
	for _, tool := range r.Tools {
		about := strings.TrimSpace(tool.Title + ". " + tool.Description)
		if len(tool.When) > 0 {
			about += fmt.Sprintf(" For questions like: %q.", tool.When[:min(3, len(tool.When))])
		}
		task.Acts = append(task.Acts, thinker.Act{Name: tool.Name, About: about, Arguments: tool.Arguments})
	}
	task.Acts = append(task.Acts, r.granting()...)
	for {
		task.Done = r.done
		o, at, why, known := r.ask(task)
		switch {
		case !known:
			return ""
		case why != "":
			return why
		case len(o.Calls) > 0:
			if why := r.act(o.Calls); why != "" || r.unfinished() || r.passedTo != nil {
				return why
			}
		default:
			return r.settle(o, at)
		}
	}
}

// told is what a model is told of the bot and the customer.
func (r *reader) told() thinker.Brief {
	b := thinker.Brief{
		Name: r.Brief.Persona, Role: r.Brief.Role, Workspace: r.Settings.Title, Channel: r.Channel.Title, Language: r.Settings.Language, Limit: r.Abilities.Limit, Today: r.Now, Manner: r.Brief.Manner(),
	}
	for _, a := range r.State.Questions() {
		b.Earlier = append(b.Earlier, thinker.Dealt(a))
	}
	values := r.Settings.Fields.Values(r.Memory)
	if len(r.Brief.Model.Tells) == 0 && values["first_name"] != "" {
		b.Known = append(b.Known, "First name: "+values["first_name"])
	}
	for _, name := range r.Brief.Model.Tells {
		if field, ok := r.Settings.Fields.Named(name); ok && values[name] != "" && !field.Sensitive {
			b.Known = append(b.Known, field.Label+": "+values[name])
		}
	}
	return b
}
