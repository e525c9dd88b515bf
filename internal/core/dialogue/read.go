package dialogue

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/support"
	"urgentparrot.example/internal/core/text"
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
		if rule, is := t.forbids(part, reply); is == forbidden || is == doubtful && !t.isForeign(part.Text) {
			t.trace.BuiltIn = "it is, or may be, about " + rule.About
			return false
		}
	}
	r := &reader{turn: t, asked: asked, on: t.messageIDs()}
	r.thoughts = slices.DeleteFunc(slices.Clone(t.Thoughts), func(th Thought) bool { return th.On != r.on })
	defer t.timed("read")
	why := r.proceed()
	switch {
	case t.unfinished():
		return true
	case why != "":
		t.trace.BuiltIn = why
		return false
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
	handed   bool // to a person
}

// likely reports whether the knowledge has something on what was asked.
func (r *reader) likely() bool {
	return slices.ContainsFunc(r.asked, func(part answer.Part) bool {
		return r.Finder.Find(r.ctx, part, r.State.LastQuestion).Likely >= r.Brief.OfferThreshold
	})
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
	looks := r.glimpses()
	if len(looks) > 0 {
		o, _, why, known := r.ask(thinker.Task{Kind: thinker.Search, Brief: task.Brief, Said: r.said, Talk: r.Talk, Looks: looks, Most: r.Brief.Model.Passages})
		if !known {
			return ""
		}
		if why != "" {
			o = thinker.Outcome{} // it reads what was found without it
		}
		task.Passages = r.chosen(o, looks)
	} else {
		task.Passages = r.whole()
		if task.Passages == nil {
			task.Passages = r.chosen(thinker.Outcome{}, nil)
		}
	}
	for _, tool := range r.Tools {
		about := strings.TrimSpace(tool.Title + ". " + tool.Description)
		if len(tool.When) > 0 {
			about += fmt.Sprintf(" For questions like: %q.", tool.When[:min(3, len(tool.When))])
		}
		task.Acts = append(task.Acts, thinker.Act{Name: tool.Name, About: about, Arguments: tool.Arguments})
	}
	for {
		task.Done = r.done
		o, at, why, known := r.ask(task)
		switch {
		case !known:
			return ""
		case why != "":
			return why
		case len(o.Calls) > 0:
			if why := r.act(o.Calls); why != "" || r.unfinished() {
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
		Name: r.Brief.Persona, Role: r.Brief.Role, Workspace: r.Settings.Title, Channel: r.Channel.Title, Language: r.Settings.Language, Limit: r.Abilities.Limit, Today: r.Now,
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

// What a model is shown of a passage that it may choose, in runes; and how many letters
// make a token, about.
const (
	glimpseRunes = 220
	tokenRunes   = 4
)

// whole returns all that the bot may answer from, where that is no more than half of what
// the model takes in at once; nil where it is more.
func (r *reader) whole() (list []thinker.Passage) {
	room := r.Model.Connection.Window / 2 * tokenRunes
	hits := r.Finder.Index.All(r.Finder.Scope, mostWhole)
	slices.SortFunc(hits, func(a, b knowledge.Hit) int {
		return cmp.Or(cmp.Compare(a.Source, b.Source), cmp.Compare(a.Position, b.Position), cmp.Compare(a.ID, b.ID))
	})
	for _, hit := range hits {
		if room -= len(hit.Text) + 60; room < 0 {
			return nil
		}
		list = append(list, passageOf(len(list), hit))
	}
	return list
}

// mostWhole is how many passages a knowledge has at most that is read whole.
const mostWhole = 400

func passageOf(n int, hit knowledge.Hit) thinker.Passage {
	heads := hit.Trail
	if hit.Question != "" {
		heads = []string{hit.Question}
	}
	return thinker.Passage{ID: fmt.Sprintf("P%d", n+1), Heads: heads, Text: hit.Text, Cite: answer.Candidate{Hit: hit}.Cite()}
}

// glimpses are what the model may choose from, the likeliest first; none where all that
// there is can be read, or the brief leaves this out.
func (r *reader) glimpses() (looks []thinker.Look) {
	most := r.Brief.Model.LooksAt
	if most == 0 || r.Finder.Index.Len() <= r.Brief.Model.Passages || r.whole() != nil {
		return nil
	}
	if len(r.thoughts) > 0 && r.thoughts[0].Request.Kind == thinker.Search {
		return r.thoughts[0].Request.Looks // as they were when it was asked
	}
	for i, hit := range r.Finder.Reading(r.ctx, r.asked, r.State.LastQuestion, most) {
		heads := strings.Join(hit.Trail, " › ")
		if hit.Question != "" {
			heads = hit.Question
		}
		looks = append(looks, thinker.Look{ID: fmt.Sprintf("G%d", i+1), Gist: begin(strings.TrimSpace(heads+": "+hit.Text), glimpseRunes), Place: hit.ID})
	}
	return looks
}

// chosen returns the passages that the model is given: those that it chose, those found in
// the words that it would look with, and those found without it, until there are as many
// as the brief says.
func (r *reader) chosen(o thinker.Outcome, looks []thinker.Look) (list []thinker.Passage) {
	if at := r.heard; at < len(r.thoughts) && r.thoughts[at].Request.Kind == thinker.Answer {
		return r.thoughts[at].Request.Passages
	}
	most := r.Brief.Model.Passages
	found := r.Finder.Reading(r.ctx, r.asked, r.State.LastQuestion, max(most, len(looks)))
	add := func(hit knowledge.Hit) {
		if len(list) < most && !slices.ContainsFunc(list, func(p thinker.Passage) bool { return p.Cite.PassageID == hit.ID }) {
			list = append(list, passageOf(len(list), hit))
		}
	}
	byID := map[string]knowledge.Hit{}
	for _, hit := range found {
		byID[hit.ID] = hit
	}
	for _, id := range o.Chosen {
		if at := slices.IndexFunc(looks, func(l thinker.Look) bool { return l.ID == id }); at >= 0 {
			if hit, ok := byID[looks[at].Place]; ok {
				add(hit)
			}
		}
	}
	for _, hit := range slices.Concat(r.Finder.ReadingWith(r.ctx, r.asked, o.Wordings, r.State.LastQuestion, most-len(list)), found) {
		add(hit)
	}
	return list
}

// act does what the model asks for, as far as it was granted. What a tool said is a passage
// that sentences may stand on.
func (r *reader) act(calls []thinker.Call) (why string) {
	for _, call := range calls {
		at := slices.IndexFunc(r.Tools, func(t Tool) bool { return t.Name == call.Name })
		switch {
		case at < 0:
			return fmt.Sprintf("the model asks for %q, which it was not granted", begin(call.Name, 60))
		case call.Unread != "":
			return fmt.Sprintf("the model calls %s with something that is not JSON", call.Name)
		case slices.ContainsFunc(r.done, func(d thinker.Done) bool { return sameCall(d.Call, call) }):
			return fmt.Sprintf("the model calls %s again with the same arguments", call.Name)
		case len(r.done) == callsInTurn:
			return "the model calls more tools than a turn may"
		}
		tool := r.Tools[at]
		arguments := maps.Clone(call.Arguments)
		if arguments == nil {
			arguments = map[string]any{}
		}
		record := func(outcome string) {
			r.trace.Tools = append(r.trace.Tools, ToolUse{Tool: tool.Name, Likeness: 1, Arguments: arguments, Outcome: outcome})
		}
		if missing := tool.complete(arguments); missing != nil {
			record("the model left out " + missing.Name)
			return fmt.Sprintf("the model calls %s without %s", tool.Name, missing.Name)
		}
		if err := tool.CheckArguments(arguments); err != nil {
			record("the arguments do not fit: " + err.Error())
			return fmt.Sprintf("the model calls %s with arguments that do not fit", tool.Name)
		}
		made := Call{tool.Name, arguments}
		result := slices.IndexFunc(r.Results, func(x Result) bool { return x.key() == made.key() })
		if result < 0 {
			r.calls = append(r.calls, made)
			r.came(CodeCalling, "the model asks for a tool")
			record("called for the model")
			continue
		}
		name := fmt.Sprintf("T%d", len(r.done)+1)
		said := map[string]any{"id": name, "result": r.Results[result].Value}
		if e := r.Results[result].Error; e != "" {
			said = map[string]any{"id": name, "error": "it cannot be reached now"}
			record("failed: " + e)
		} else {
			record("told the model")
		}
		raw, err := json.Marshal(said)
		if err != nil {
			return "what " + tool.Name + " said cannot be read: " + err.Error()
		}
		r.done = append(r.done, thinker.Done{Call: call, Result: string(raw)})
	}
	return ""
}

func sameCall(a, b thinker.Call) bool {
	return Call{a.Name, a.Arguments}.key() == Call{b.Name, b.Arguments}.key()
}

// settle makes the reply out of what the model said, as far as it is supported.
func (r *reader) settle(o thinker.Outcome, at int) (why string) {
	note := func(outcome string) {
		for _, part := range r.asked {
			r.trace.Understood = append(r.trace.Understood, Understood{Part: part, Outcome: outcome})
		}
	}
	switch o.Act {
	case thinker.ActPerson:
		note("a person is asked for, as the model understands it")
		r.handOver(bot.OnWish, "asked for a person", bot.WishGranted)
		r.handed = true
		return ""
	case thinker.ActOffTopic:
		if r.Brief.OffTopic == nil || r.likely() {
			return "the model finds it off topic, and the knowledge has something on it, or the brief does not name what is"
		}
		note("off topic, as the model understands it")
		r.say(bot.OffTopicSaid, r.asked[0].Text)
		r.turn.asked, r.offTopic = len(r.asked), len(r.asked)
		return ""
	case thinker.ActNotKnown:
		r.reading = true
		return "the model finds no answer in what it read"
	}
	if why := r.forbiddenIn(o); why != "" {
		return why
	}
	kept, findings := r.supported(o.Sentences)
	for _, f := range findings {
		r.trace.Thoughts[at].Checks = append(r.trace.Thoughts[at].Checks, Checked{Says: f.Says, Means: f.Means, On: f.On, Fault: string(f.Fault), Why: f.Why})
	}
	if len(kept) < len(o.Sentences) {
		switch r.Brief.Model.Unsupported {
		case bot.BuiltIn:
			return "not all of the model's reply is supported"
		case bot.Hold:
			kept, r.hold = findings, true
		}
	}
	if !slices.ContainsFunc(kept, func(f support.Finding) bool { return !f.Polite || strings.HasSuffix(f.Says, "?") }) {
		return "nothing of the model's reply is supported"
	}
	if why := r.beside(kept, o); why != "" {
		return why
	}
	var words []string
	for i, f := range kept {
		if i == 0 && f.Polite && len(kept) > 1 && greets(f.Says) {
			continue // the brief's own greeting is enough
		}
		words = append(words, f.Says)
		for _, id := range f.On {
			r.citeGiven(id)
		}
	}
	note("answered by the model")
	r.next.AskedBack = strings.HasSuffix(words[len(words)-1], "?")
	said := strings.Join(words, " ")
	questions := slices.ContainsFunc(r.asked, func(p answer.Part) bool { return p.Kind == answer.Question })
	for _, part := range r.asked {
		reply := r.Finder.Reply(r.ctx, part, r.State.LastQuestion, r.bars(), r.Abilities.Limit)
		if r.next.LastQuestion = reply.Meant; part.Kind == answer.Question || !questions {
			r.note(Asked{part.Text, said})
		}
	}
	r.answers = append(r.answers, said)
	for _, open := range o.Unknown {
		r.missed(r.nearestPart(open))
	}
	return ""
}

// greets reports whether a sentence is a greeting and nothing else.
func greets(sentence string) bool {
	parts := answer.Split(sentence)
	return len(parts) == 1 && parts[0].Kind == answer.Greeting
}

// forbiddenIn says that what was asked in another language is, or may be, what the brief
// forbids, "" if it is not. Where there is a rule and the model does not say what was asked,
// that cannot be told.
func (r *reader) forbiddenIn(o thinker.Outcome) string {
	foreign := o.Language != "" && o.Language != r.Settings.Language
	if !foreign || len(r.Brief.Forbidden) == 0 {
		return ""
	}
	if len(o.Asked) == 0 {
		return "the model does not say what was asked, so it cannot be held against what the brief forbids"
	}
	for _, asked := range o.Asked {
		part := answer.Part{Text: asked, Kind: answer.Question}
		reply := r.Finder.Reply(r.ctx, part, "", r.bars(), r.Abilities.Limit)
		if rule, is := r.forbids(part, reply); is != allowed {
			return "it is, or may be, about " + rule.About
		}
	}
	return ""
}

// beside says why what the model says, though it is supported, is no answer to what was
// asked, "" if it may be: it says nothing of a name or a feast that the question is about,
// or is nothing like an answer.
func (r *reader) beside(kept []support.Finding, o thinker.Outcome) string {
	var said []string
	for _, f := range kept {
		if f.Polite {
			continue
		}
		meant := f.Means
		if meant == "" {
			meant = f.Says
		}
		said = append(said, meant)
	}
	if len(said) == 0 {
		return ""
	}
	asked := r.asked
	if o.Language != "" && o.Language != r.Settings.Language {
		asked = nil
		for _, question := range o.Asked {
			asked = append(asked, answer.Part{Text: question, Kind: answer.Question})
		}
	}
	content := strings.Join(said, " ") + " " + strings.Join(o.Unknown, " ")
	fits, known := false, false
	for _, part := range asked {
		if name := r.Finder.LacksNamed(part, content); name != "" {
			return fmt.Sprintf("the model says nothing of %q, which was asked about", name)
		}
		for _, sentence := range said {
			fit, ok := r.Finder.Fit(r.ctx, part, r.State.LastQuestion, sentence)
			known = known || ok
			fits = fits || fit >= answer.FitsLeast
		}
	}
	if known && !fits {
		return "what the model says is beside the question"
	}
	return ""
}

// supported holds the sentences of a reply against the passages, leaves out those that are
// not supported, and looks again at the rest without these.
func (r *reader) supported(sentences []support.Sentence) (kept, all []support.Finding) {
	check := support.Checker{
		Analyzer: r.Finder.Index.Analyzer(), Language: r.Settings.Language, Said: r.said,
		Names: []string{r.Settings.Title, r.Brief.Persona, r.Settings.Fields.Person(r.Memory)},
	}
	grounds := r.grounds()
	first := map[string]support.Finding{}
	for {
		findings := check.Check(sentences, grounds)
		kept = kept[:0:0]
		sentences = sentences[:0:0]
		for _, f := range findings {
			if _, seen := first[f.Says]; !seen {
				all = append(all, f)
			} else if f.Fault != "" {
				at := slices.IndexFunc(all, func(o support.Finding) bool { return o.Says == f.Says })
				all[at] = f
			}
			first[f.Says] = f
			if f.Fault == "" {
				kept, sentences = append(kept, f), append(sentences, f.Sentence)
			}
		}
		if len(kept) == len(findings) {
			return kept, all
		}
	}
}

// grounds are what the model was given, and what tools told it.
func (r *reader) grounds() (list []support.Ground) {
	for _, p := range r.passages {
		list = append(list, support.Ground{ID: p.ID, Heads: p.Heads, Text: p.Text})
	}
	for i, done := range r.done {
		var said struct{ Result any }
		if json.Unmarshal([]byte(done.Result), &said) != nil || said.Result == nil {
			continue
		}
		g := support.Ground{ID: fmt.Sprintf("T%d", i+1), Text: flat(said.Result)}
		if at := slices.IndexFunc(r.Tools, func(t Tool) bool { return t.Name == done.Name }); at >= 0 {
			g.Heads = []string{r.Tools[at].Title, r.Tools[at].Description}
		}
		list = append(list, g)
	}
	return list
}

// flat writes what a tool said as lines of words: "departures: from Brackwater, to ...".
func flat(v any) string {
	switch v := v.(type) {
	case map[string]any:
		var parts []string
		for _, key := range slices.Sorted(maps.Keys(v)) {
			parts = append(parts, strings.ReplaceAll(key, "_", " ")+" "+flat(v[key]))
		}
		return strings.Join(parts, ", ")
	case []any:
		var lines []string
		for _, item := range v {
			lines = append(lines, flat(item))
		}
		return strings.Join(lines, "\n")
	case nil:
		return ""
	}
	return fmt.Sprint(v)
}

// citeGiven cites a passage that the model was given.
func (r *reader) citeGiven(id string) {
	at := slices.IndexFunc(r.passages, func(p thinker.Passage) bool { return p.ID == id })
	if at < 0 {
		return
	}
	r.citeAt(r.passages[at].Cite)
}

// nearestPart is what the customer asked that is meant by words of the model.
func (r *reader) nearestPart(words string) string {
	best, nearest := -1.0, r.asked[0].Text
	for _, part := range r.asked {
		if like := r.Finder.Shared(part.Text, words); like > best {
			best, nearest = like, part.Text
		}
	}
	return text.Squeeze(nearest)
}
