package main

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"urgentparrot.example/internal/core/quiz"
)

// frames are what people put around a question. The first half was looked at while the words
// that are taken off were listed; the second half was not, but for three of it.
var frames = []string{
	"{q} please", "{q} thanks", "hi, {q}", "quick question: {q}", "could you tell me, {q}", "I was wondering, {q}", "sorry to bother you, {q}", "just wondering {q}", "{q} asking for my mum",
	"Good morning, {q} Thank you in advance.", "{q} I could not find it on your website.", "{q} I am new to this.", "so {q}", "and one more thing: {q}", "can I ask you something, {q}", "my friend wants to know {q}", "{q} at the {place}", "{q} here",

	"hiya, hope you're well! {q}", "Dear team, {q} Best regards, Martin", "not sure if this is the right place but {q}", "random question but {q}", "tried calling but nobody picks up. {q}", "yo {q}", "{q} anyone know?", "need to know asap: {q}",
	"hello is anybody there? {q}", "{q} need an answer today please", "mate {q}", "a quick one. {q}", "we are thinking of coming next month, {q}", "{q} (asking because we come from far away)", "my question is {q}", "let me ask differently: {q}",
	"{q} can you help", "{q} Looking forward to your reply. Sue",
}

// measureFramed prints how many plain questions are answered rightly by themselves, and with
// words around them, of the businesses for a use.
func measureFramed(use string, c *codes) error {
	names, err := businessesFor(use)
	if err != nil {
		return err
	}
	var plain, first, second quiz.Group
	for _, name := range names {
		k, questions, err := readBusiness(name, c)
		if err != nil {
			return err
		}
		raw, err := os.ReadFile(filepath.Join(businesses, name+".json"))
		if err != nil {
			return err
		}
		var b struct{ Business string }
		if err := json.Unmarshal(raw, &b); err != nil {
			return err
		}
		k.finder.Title, _, _ = strings.Cut(b.Business, ",")
		words := strings.Fields(k.finder.Title)
		place := strings.ToLower(strings.Trim(words[len(words)-1], ".,"))
		var asked [3][]quiz.Question
		for i, q := range questions {
			if q.Kind != "direct" && q.Kind != "short" {
				continue
			}
			asked[0] = append(asked[0], q)
			for part := range 2 {
				half := frames[part*len(frames)/2:][:len(frames)/2]
				framed := q
				framed.Question = strings.NewReplacer("{q}", q.Question, "{place}", place).Replace(half[i%len(half)])
				asked[part+1] = append(asked[part+1], framed)
			}
		}
		for i, into := range []*quiz.Group{&plain, &first, &second} {
			for _, group := range k.judge(asked[i]).Kinds {
				*into = add(*into, group)
			}
		}
	}
	fmt.Printf("\nWords around a question (%s): of %d plain questions %d are answered rightly by themselves, %d with words that are known to be around, %d with others; wrongly %d, %d, %d.\n",
		use, plain.Questions, plain.AnsweredRight, first.AnsweredRight, second.AnsweredRight, plain.AnsweredWrong, first.AnsweredWrong, second.AnsweredWrong)
	return nil
}
