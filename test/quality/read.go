package main

import (
	"context"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/quiz"
	"urgentparrot.example/internal/core/support"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/world"
)

// What a model is given to read: so many passages, which it chooses from so many glimpses.
const (
	given    = 12
	glimpses = 80
)

// measureReading puts all businesses for a use into one knowledge, and counts of how many
// questions the right passage is among those that a model is given (of two questions,
// both), without and with its choosing; and how its replies fare with the check.
func measureReading(use string, c *codes) error {
	names, err := businessesFor(use)
	if err != nil {
		return err
	}
	all := &corpus{name: "all", quotes: map[string]string{}}
	var questions []quiz.Question
	for _, name := range names {
		k, asked, err := readBusiness(name, c)
		if err != nil {
			return err
		}
		maps.Copy(all.quotes, k.quotes)
		for _, p := range k.passages {
			p.ID, p.Source, p.SourceID = name+"-"+p.ID, name+"-"+p.Source, name+"-"+p.SourceID
			all.passages = append(all.passages, p)
		}
		for _, q := range asked {
			for i := range q.Source {
				q.Source[i] = name + "-" + q.Source[i]
			}
			for i := range q.Parts {
				for j := range q.Parts[i].Source {
					q.Parts[i].Source[j] = name + "-" + q.Parts[i].Source[j]
				}
			}
			questions = append(questions, q)
		}
	}
	all.finder = all.finds(c, nil)
	written := &corpus{name: "all"}
	for _, p := range all.passages {
		head := ""
		if len(p.Trail) > 0 {
			head = p.Trail[len(p.Trail)-1]
		}
		p.Asked = world.Questions(head, p.Text)
		written.passages = append(written.passages, p)
	}
	written.finder = written.finds(c, nil)
	asked, first, chosen, helped := map[string]int{}, map[string]int{}, map[string]int{}, map[string]int{}
	for _, q := range questions {
		if q.Unanswerable {
			continue
		}
		hits := all.finder.Reading(context.Background(), partsOf(q.Question), q.After, given)
		with := written.finder.ReadingWith(context.Background(), partsOf(q.Question), world.Wordings(q.Question), q.After, given)
		wide := all.finder.Reading(context.Background(), partsOf(q.Question), q.After, glimpses)
		among := func(found []string) int {
			holds := func(s quiz.Sources) bool {
				return len(s) == 0 || slices.ContainsFunc(s, func(name string) bool { return slices.Contains(found, name) })
			}
			ok := holds(q.Source)
			for _, p := range q.Parts {
				ok = ok && holds(p.Source)
			}
			if ok {
				return 1
			}
			return 0
		}
		var near, far, more []string
		for _, hit := range with {
			more = append(more, hit.Source)
		}
		for _, hit := range hits {
			near = append(near, hit.Source)
		}
		for _, hit := range wide {
			far = append(far, hit.Source)
		}
		for _, kind := range []string{q.Kind, "all"} {
			asked[kind]++
			first[kind] += among(near)
			chosen[kind] += among(far)
			helped[kind] += among(more)
		}
	}
	fmt.Printf("%d businesses, %s, as one knowledge of %d passages: the right passage, in 100, is among\n  %-12s %6s %14s %34s %14s\n", len(names), use, len(all.passages), "", "asked", fmt.Sprintf("the first %d", given), "with written questions, wordings", fmt.Sprintf("%d glimpses", glimpses))
	for _, kind := range slices.SortedFunc(maps.Keys(asked), byKind) {
		fmt.Printf("  %-12s %6d %14.1f %34.1f %14.1f\n", kind, asked[kind], 100*float64(first[kind])/float64(asked[kind]), 100*float64(helped[kind])/float64(asked[kind]), 100*float64(chosen[kind])/float64(asked[kind]))
	}
	measureSupport(all, questions)
	return nil
}

// partsOf returns what a message asks, as a turn would.
func partsOf(message string) (parts []answer.Part) {
	for _, p := range answer.Split(message) {
		if p.Kind == answer.Question || p.Kind == answer.Statement {
			parts = append(parts, p)
		}
	}
	if len(parts) == 0 {
		parts = []answer.Part{answer.Whole(message)}
	}
	return parts
}

// A slip is a way in which a careless reader spoils a right answer; "" where it cannot.
type slip struct {
	name  string
	spoil func(right, other string) string
}

var (
	anyNumber    = regexp.MustCompile(`\b\d+\b`)
	anyDenial    = regexp.MustCompile(`\b(is|are|can|may|must|do|does|will) not\b|\bcannot\b|\b(don|doesn|isn|aren|can|won)['’]t\b`)
	anyHelper    = regexp.MustCompile(`\b(is|are|can|may|must|will)\b`)
	anyCondition = regexp.MustCompile(`(?i),? (?:unless|except|if|provided|as long as|only (?:if|when|on|for|with)|until|up to)\b[^.]*`)
)

// The slips that the check must see.
var slips = []slip{
	{"says what another passage says", func(right, other string) string { return other }},
	{"adds what another passage says", func(right, other string) string {
		return strings.TrimSuffix(right, ".") + ", and " + strings.ToLower(other[:1]) + other[1:]
	}},
	{"another number", func(right, _ string) string {
		at := anyNumber.FindStringIndex(right)
		if at == nil {
			return ""
		}
		n, err := strconv.Atoi(right[at[0]:at[1]])
		if err != nil {
			return ""
		}
		return right[:at[0]] + strconv.Itoa(n+3) + right[at[1]:]
	}},
	{"denies", func(right, _ string) string {
		if anyDenial.MatchString(right) || len(anyHelper.FindAllString(right, -1)) != 1 {
			return ""
		}
		return anyHelper.ReplaceAllString(right, "$1 not")
	}},
	{"takes a denial back", func(right, _ string) string {
		if len(anyDenial.FindAllString(right, -1)) != 1 || strings.Contains(right, "'t") || strings.Contains(right, "’t") || strings.Contains(right, "cannot") {
			return ""
		}
		return anyDenial.ReplaceAllString(right, "$1")
	}},
	{"drops a condition", func(right, _ string) string {
		at := anyCondition.FindStringIndex(right)
		if at == nil || at[0] < 20 {
			return ""
		}
		return right[:at[0]] + right[at[1]:]
	}},
	{"invents a price", func(right, _ string) string { return right + " That costs £7.85." }},
	{"promises", func(right, _ string) string { return right + " I have arranged that for you." }},
	{"adds a thing", func(right, _ string) string { return strings.TrimSuffix(right, ".") + " and a free umbrella." }},
}

// fluent are ways in which a good reader says what a passage says.
var fluent = []func(string) string{
	func(s string) string { return s },
	func(s string) string {
		if anyDenial.MatchString(s) || regexp.MustCompile(`(?i)\b(?:no|not|never|none|without)\b`).MatchString(s) {
			return s
		}
		return "Yes. " + s
	},
	func(s string) string {
		return strings.NewReplacer("do not", "don't", "does not", "doesn't", "is not", "isn't", "are not", "aren't", "cannot", "can't", "we are", "we're", "you will", "you'll").Replace(s)
	},
	func(s string) string {
		return strings.NewReplacer("must", "have to", "may", "can", "free of charge", "free", "We ", "Here we ", "however", "though", " per ", " a ", "at least", "no fewer than").Replace(s)
	},
}

// measureSupport holds right replies, and spoilt ones, against the passage that they name.
func measureSupport(k *corpus, questions []quiz.Question) {
	check := support.Checker{Analyzer: k.finder.Index.Analyzer(), Language: "en"}
	passes := func(said, passage string, heads []string, asked string) bool {
		var reply []support.Sentence
		for _, span := range text.Sentences(said) {
			reply = append(reply, support.Sentence{Says: said[span.Start:span.End], On: []string{"P1"}})
		}
		check.Said = asked
		for _, f := range check.Check(reply, []support.Ground{{ID: "P1", Heads: heads, Text: passage}}) {
			if f.Fault != "" {
				return false
			}
		}
		return true
	}
	right, stopped := 0, 0
	spoilt, passed := map[string]int{}, map[string]int{}
	for i, q := range questions {
		quote := k.quotes[q.ID]
		if quote == "" {
			continue
		}
		at := slices.IndexFunc(k.passages, func(p knowledge.Passage) bool {
			return slices.Contains(q.Source, p.Source) && strings.Contains(p.Text, quote)
		})
		if at < 0 {
			continue
		}
		p := k.passages[at]
		right++
		if !passes(fluent[i%len(fluent)](quote), p.Text, p.Trail, q.Question) {
			stopped++
		}
		other := k.passages[(at+1+i%7)%len(k.passages)]
		sentences := text.Sentences(other.Text)
		otherSays := other.Text[sentences[i%len(sentences)].Start:sentences[i%len(sentences)].End]
		s := slips[i%len(slips)]
		if said := s.spoil(quote, otherSays); said != "" && said != quote && !strings.Contains(p.Text, said) {
			spoilt[s.name]++
			spoilt["all"]++
			if passes(said, p.Text, p.Trail, q.Question) {
				passed[s.name]++
				passed["all"]++
			}
		}
	}
	fmt.Printf("  the check stops %.1f in 100 of %d right replies; of careless ones there get past it, in 100\n", 100*float64(stopped)/float64(right), right)
	for _, name := range slices.Sorted(maps.Keys(spoilt)) {
		fmt.Printf("    %-32s %5d  %5.1f\n", name, spoilt[name], 100*float64(passed[name])/float64(spoilt[name]))
	}
}
