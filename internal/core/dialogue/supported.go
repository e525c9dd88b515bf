package dialogue

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/support"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/thinker"
)

// likely reports whether the knowledge has something on what was asked.
func (r *reader) likely() bool {
	return slices.ContainsFunc(r.asked, func(part answer.Part) bool {
		return r.Finder.Find(r.ctx, part, r.State.LastQuestion).Likely >= r.Brief.OfferThreshold
	})
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
		if r.next.LastQuestion = reply.Asks(); part.Kind == answer.Question || !questions {
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
