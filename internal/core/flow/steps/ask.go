package steps

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/flow"
)

// tries is how often a question is put unless the flow says otherwise.
const tries = 3

var ask = &flow.StepKind{
	Name: "ask", Group: converse, Talks: true, Waits: true, Main: "text", Leads: flow.LeadsQuestion,
	About:   "Asks something, waits for the reply, and takes the value out of it. What was said already is not asked again; what the customer asks in between is answered.",
	Example: "- ask: \"How many of you will travel?\"\n  save: party_size\n  as: integer\n  check: \"party_size >= 8\"\n  otherwise: \"Groups begin at eight.\"",
	Fields: []flow.Field{
		{Name: "text", Label: "The question", Type: flow.Text, About: "The question."},
		{Name: "vary", Label: "Or one of these wordings", Type: flow.Texts, About: "Wordings of the question to choose among."},
		{Name: "save", Label: "Keep the value as", Type: flow.Variable, Required: true, About: "Where the value is kept: a name, or a field of the contact."},
		{Name: "as", Label: "What the reply holds", Type: flow.Choice, Choices: slices.Concat(flow.Reads, []string{"record", "file"}), About: "What is taken out of the reply; for a field of the contact what that holds. A record holds several, under fields; what the first reply lacks is asked for."},
		{Name: "fields", Label: "Its parts", Type: flow.Objects, About: "Of a record: its parts, which are then found as NAME.part.", Of: []flow.Field{
			{Name: "name", Label: "Called", Type: flow.Variable, Required: true, About: "What the part is called."},
			{Name: "about", Label: "In words", Type: flow.Words, About: "What it is, as the customer is asked for it: the day."},
			{Name: "as", Label: "What the reply holds", Type: flow.Choice, Choices: flow.Reads, Required: true, About: "What it is."},
			{Name: "choices", Label: "What may be chosen", Type: flow.Texts, About: "Of a choice."},
		}},
		{Name: "choices", Label: "What may be chosen", Type: flow.Texts, About: "What may be chosen."},
		{Name: "check", Label: "It must hold that", Type: flow.Condition, After: true, About: "What must hold of the value."},
		{Name: "otherwise", Label: "If it does not hold, say", Type: flow.Text, About: "What is said when no value that holds is found, before the question is put again."},
		{Name: "tries", Label: "How often it is asked", Type: flow.Number, Least: 1, Most: 10, Default: "3", About: "How often it is put."},
		{Name: "if_unclear", Label: "If no clear answer comes", Type: flow.Steps, About: "What is done after the last try; else a person gets the conversation."},
		{Name: "patience", Label: "How long it waits for the reply", Type: flow.Duration, Default: "1d", About: "How long the reply is waited for."},
		{Name: "if_silent", Label: "If nobody answers", Type: flow.Steps, About: "What is done then; else the run ends."},
		{Name: "confirm", Label: "Read it back and wait for a yes", Type: flow.Flag, About: "Reads the value back and waits for a yes."},
		{Name: "reuse", Label: "Leave it out if it is known already", Type: flow.Flag, Default: "true", About: "Whether it is left out when the value is known or was said already."},
	},
	Sets: func(s *flow.Step) map[string]flow.Kind { return map[string]flow.Kind{s.Raw("save"): readOf(s).Kind()} },
	Domains: func(s *flow.Step) map[string]flow.Domain {
		switch rd := readOf(s); rd.As {
		case "choice":
			return map[string]flow.Domain{s.Raw("save"): among(rd.Choices)}
		case "text":
			return map[string]flow.Domain{s.Raw("save"): {Typed: true}}
		case "record":
			parts := map[string]flow.Domain{}
			for _, p := range rd.Parts {
				switch p.As.As {
				case "choice":
					parts[s.Raw("save")+"."+p.Name] = among(p.As.Choices)
				case "text":
					parts[s.Raw("save")+"."+p.Name] = flow.Domain{Typed: true}
				}
			}
			return parts
		}
		return nil
	},
	Check: func(c *flow.Checking, s *flow.Step) {
		if s.Has("text") == s.Has("vary") {
			c.Wrong(s.At, "say what is asked: a text, or some wordings under vary")
		}
		rd := readOf(s)
		if name, ok := strings.CutPrefix(s.Raw("save"), "contact."); ok {
			if field, there := c.Fields().Named(name); there && s.Has("as") && flow.ReadOf(field).Kind() != rd.Kind() && rd.As != "date" {
				c.Wrong(s.Args["as"].At, "contact.%s holds %s; leave as out", name, flow.ReadOf(field).Words())
			} else if there && flow.ReadOf(field).As == "choice" {
				return
			}
		}
		switch {
		case rd.As == "choice" && !s.Has("choices"):
			c.Wrong(s.At, "a question as choice lists its choices")
		case s.Has("choices") && rd.As != "choice" && rd.As != "text":
			c.Wrong(s.Args["choices"].At, "choices go with as: choice")
		}
		checkChoices(c, s)
		checkRecord(c, s, rd)
		if s.Has("patience") && s.Duration("patience", 0) == 0 {
			c.Wrong(s.Args["patience"].At, "the question has no end to its patience: say how long the reply is waited for, such as 1d")
		}
		if s.Has("otherwise") && !s.Has("check") && rd.As == "text" {
			c.Doubt(s.Args["otherwise"].At, "any text is taken as the reply, so that this is never said; add as or check")
		}
	},
	Plain: func(s *flow.Step) string {
		words := s.Raw("text")
		if list := s.Strings("vary"); len(list) > 0 {
			words = list[0]
		}
		plain := fmt.Sprintf("Ask %s and wait for %s", flow.Quote(words), awaited(s))
		if s.Has("check") {
			plain += " for which " + flow.InWords(s.Raw("check"))
		}
		return plain + ", up to " + flow.Spoken(s.Duration("patience", flow.Patience)) + ". Keeps it as " + s.Raw("save") + "."
	},
	Hears: func(r *flow.Running, s *flow.Step, said string) bool {
		rd, err := reads(r, s)
		if err != nil || !rd.Telling() {
			return false
		}
		_, ok := rd.Hear(said, hearing(r, true))
		return ok
	},
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		if known(r, s) {
			return flow.Next()
		}
		return put(r, s)
	},
	Go: func(r *flow.Running, s *flow.Step, e flow.Event) flow.Move {
		switch e.Kind {
		case flow.BlockEnd:
			return flow.Next()
		case flow.Time:
			if s.Block("if_silent") == nil {
				return flow.Finish(flow.Done, "nobody answered within "+flow.Spoken(s.Duration("patience", flow.Patience)))
			}
			r.Did("nobody answered within %s", flow.Spoken(s.Duration("patience", flow.Patience)))
			r.Remember("open", true)
			return flow.Into("if_silent")
		}
		return listen(r, s, e.Heard, func() flow.Move { return flow.Next() }, time.Time{})
	},
}

// readOf is what a question takes out of the reply.
func readOf(s *flow.Step) flow.Read {
	as := s.Raw("as")
	if as == "" && s.Has("choices") {
		as = "choice"
	}
	if as == "" {
		as = "text"
		if name, ok := strings.CutPrefix(s.Raw("save"), "contact."); ok {
			switch name {
			case "email", "phone", "name":
				as = name
			}
		}
	}
	rd := flow.Read{As: as, Choices: s.Strings("choices")}
	for _, f := range s.List("fields") {
		rd.Parts = append(rd.Parts, wanted(f))
	}
	return rd
}

// among is one of some texts, unless they are filled in.
func among(texts []string) flow.Domain {
	for _, t := range texts {
		if strings.Contains(t, "{{") {
			return flow.Domain{}
		}
	}
	return flow.Domain{Among: texts}
}

// awaited says what a question waits for.
func awaited(s *flow.Step) string {
	if name, ok := strings.CutPrefix(s.Raw("save"), "contact."); ok && !s.Has("as") && !s.Has("choices") {
		return "the contact's " + strings.ReplaceAll(name, "_", " ")
	}
	return readOf(s).Words()
}

// reads is readOf, with what the workspace's field holds where the value goes there.
func reads(r *flow.Running, s *flow.Step) (flow.Read, error) {
	rd := readOf(s)
	if name, ok := strings.CutPrefix(s.Raw("save"), "contact."); ok {
		if field, there := r.Flow.Settings.Fields.Named(name); there && !s.Has("as") {
			rd = flow.ReadOf(field)
		}
	}
	choices, err := texts(r, s, "choices")
	if len(choices) > 0 {
		rd.Choices = choices
	}
	return rd, err
}

func hearing(r *flow.Running, asked bool) flow.Hearing {
	return flow.Hearing{Speech: speech(r), Region: r.Flow.Settings.Region, Now: r.Now, Asked: asked}
}

// known reports whether the value need not be asked for: the memory holds it, or the
// customer said it already.
func known(r *flow.Running, s *flow.Step) bool {
	if s.Has("reuse") && !s.Flag("reuse") {
		return false
	}
	save := s.Raw("save")
	if strings.HasPrefix(save, "contact.") {
		if v, ok := r.Lookup(save); ok {
			if holds(r, s) {
				r.Did("not asked: %s is known (%s)", save, r.Spoken(v))
				return true
			}
		}
	}
	rd, err := reads(r, s)
	if err != nil {
		return false
	}
	if rd.As == "record" {
		return gathered(r, s, rd)
	}
	if !rd.Telling() {
		return false
	}
	return r.EachHeard(func(h *flow.Heard) bool {
		value, ok := rd.Hear(h.Text, hearing(r, false))
		used := rd.As + ":" + r.Show(value)
		if !ok || h.Uses(used) {
			return false
		}
		fits, err := keep(r, s, value, h.ID)
		if err != nil || !fits {
			return false
		}
		h.Use(used)
		r.Did("not asked: %s was said already", r.Spoken(value))
		return true
	})
}

// holds reports whether what a question wants of its value holds.
func holds(r *flow.Running, s *flow.Step) bool {
	if !s.Has("check") {
		return true
	}
	ok, err := r.Holds(s.Args["check"])
	return err == nil && ok
}

// keep keeps a value if what the question wants of it holds.
func keep(r *flow.Running, s *flow.Step, value any, heard string) (bool, error) {
	save := s.Raw("save")
	return r.Tentatively(func() (bool, error) {
		if err := r.Save(save, value, heard); err != nil {
			return false, nil // it does not fit the field
		}
		return holds(r, s), nil
	})
}

// put asks the question and waits.
func put(r *flow.Running, s *flow.Step) flow.Move {
	words, choices, err := question(r, s)
	if err != nil {
		return flow.Fail(err)
	}
	r.Asks(s)
	r.Emit(flow.Say{Text: words, Choices: choices})
	r.Did("asked %s", flow.Quote(words))
	return pause(r, s, time.Time{})
}

// pause waits for the reply: until the end of the question's patience, or until.
func pause(r *flow.Running, s *flow.Step, until time.Time) flow.Move {
	if until.IsZero() {
		until = r.Now.Add(s.Duration("patience", flow.Patience))
	}
	return flow.Pause(flow.Wait{For: flow.ForReply, Until: until})
}

// listen takes up what was said while a question is open. With a value that holds, it goes
// on as found says; else it waits on, until a time if one is given.
func listen(r *flow.Running, s *flow.Step, h flow.Heard, found func() flow.Move, until time.Time) flow.Move {
	rd, err := reads(r, s)
	if err != nil {
		return flow.Fail(err)
	}
	sp := speech(r)
	if before := r.Memory("confirming"); before != nil {
		yes, clear := sp.YesOrNo(h.Text)
		if clear && yes {
			r.Remember("confirming", nil)
			r.TookUp(h.ID)
			r.Did("confirmed: %s", r.Spoken(before))
			return found()
		}
		r.Remember("confirming", nil)
		if clear {
			if _, ok := rd.Hear(h.Text, hearing(r, false)); !ok { // "no", and nothing more
				r.TookUp(h.ID)
				return again(r, s, until, "")
			}
		}
	}
	rest, corrects := sp.Corrects(h.Text)
	if corrects {
		if what := correct(r, s, rd, rest, h.ID); what != "" {
			r.TookUp(h.ID)
			r.Did("corrected: %s", what)
			return again(r, s, until, "")
		}
	}
	// A question of the customer's, where a text is expected, is one that a bot surely knows.
	if asks(h.Text) && rd.As != "choice" && !r.Flow.TakesQuestions(s.Raw("save")) {
		if _, ok := rd.Hear(h.Text, hearing(r, false)); !ok {
			if move, done := inBetween(r, s, h, until); done {
				return move
			}
		}
	}
	if rd.As == "record" && (corrects && mends(r, rd, rest) || gathers(r, rd, h.Text, true)) && len(rd.Open(parts(r))) > 0 {
		r.TookUp(h.ID)
		return again(r, s, until, "")
	}
	value, ok := rd.Hear(h.Text, hearing(r, true))
	if rd.As == "record" {
		value, ok = whole(r, rd)
	}
	if !ok && corrects {
		value, ok = rd.Hear(rest, hearing(r, true))
	}
	if ok {
		fits, err := keep(r, s, value, h.ID)
		if err != nil {
			return flow.Fail(err)
		}
		if fits {
			r.MarkUsed(h.ID, rd.As+":"+r.Show(value))
			r.Did("heard %s", flow.Quote(r.Spoken(value)))
			if s.Flag("confirm") {
				r.Remember("confirming", value)
				r.Emit(flow.Say{Text: sp.Readback(r.Spoken(value))})
				return pause(r, s, until)
			}
			r.TookUp(h.ID)
			return found()
		}
		r.Remember("parts", nil)
		return unclear(r, s, until, h)
	}
	if move, done := inBetween(r, s, h, until); done {
		return move
	}
	return unclear(r, s, until, h)
}

// asks reports whether a message is in the form of a question.
func asks(said string) bool { return strings.HasSuffix(strings.TrimSpace(said), "?") }

// inBetween answers what the customer asks in between, and puts the question again; it
// does not count as a try. done is false where no bot knows an answer.
func inBetween(r *flow.Running, s *flow.Step, h flow.Heard, until time.Time) (m flow.Move, done bool) {
	if r.Conduct == nil {
		return m, false
	}
	answered, there := r.Conduct.Answer(r.Bot, h.Text, false)
	if !there {
		return flow.Pending(), true
	}
	if !answered.Known {
		return m, false
	}
	r.TookUp(h.ID)
	for _, e := range answered.Effects {
		r.Emit(e)
	}
	r.Did("answered %s in between", flow.Quote(h.Text))
	return again(r, s, until, ""), true
}

// again puts the question again, after some words.
func again(r *flow.Running, s *flow.Step, until time.Time, before string) flow.Move {
	words, choices, err := question(r, s)
	if err != nil {
		return flow.Fail(err)
	}
	r.Emit(flow.Say{Text: strings.TrimSpace(before + " " + words), Choices: choices})
	return pause(r, s, until)
}

// unclear is what comes of a reply without a value that holds.
func unclear(r *flow.Running, s *flow.Step, until time.Time, h flow.Heard) flow.Move {
	r.TookUp(h.ID)
	n := r.Count("tries") + 1
	r.Remember("tries", n)
	r.Did("not clear: %s", flow.Quote(h.Text))
	if n >= s.Whole("tries", tries) {
		if s.Block("if_unclear") != nil {
			return flow.Into("if_unclear")
		}
		r.Emit(flow.Say{Text: speech(r).Unclear})
		words, _ := wording(r, s, "text")
		r.Emit(flow.Escalate{Because: "no clear answer to: " + words})
		return flow.Finish(flow.Done, "no clear answer came; a person has the conversation")
	}
	if asks(h.Text) {
		return again(r, s, until, speech(r).NotHere)
	}
	if s.Has("otherwise") {
		words, err := r.Text(s.Args["otherwise"])
		if err != nil {
			return flow.Fail(err)
		}
		r.Emit(flow.Say{Text: words})
		return pause(r, s, until)
	}
	return again(r, s, until, speech(r).NotClear)
}

// correct puts right the answer to an earlier question; it returns what is so now, "" if
// nothing earlier fits.
func correct(r *flow.Running, open *flow.Step, rd flow.Read, rest, heard string) string {
	for _, q := range r.LatestAsked() {
		s := r.Flow.Step(q.Path)
		if s == nil || s == open || s.Kind.Name != "ask" {
			continue
		}
		before, err := reads(r, s)
		if err != nil || !before.Telling() {
			continue
		}
		value, ok := before.Hear(rest, hearing(r, false))
		if !ok {
			continue
		}
		if before.As != rd.As { // is it rather an answer to the open question?
			if _, fits := rd.Hear(rest, hearing(r, false)); fits && rd.Telling() {
				return ""
			}
		}
		if fits, err := keep(r, s, value, heard); err == nil && fits {
			return s.Raw("save") + " is " + r.Show(value)
		}
	}
	return ""
}
