package steps

import (
	"fmt"

	"urgentparrot.example/internal/core/flow"
)

var answer = &flow.StepKind{
	Name: "answer", Group: think, Talks: true, Main: "question",
	About:   "Lets a bot answer a question from its knowledge. The values answered and confidence then say whether it could, and how sure it was; what it does not know, it deals with as its brief says.",
	Example: "- answer: { bot: front-desk, question: \"{{ question }}\" }",
	Fields: []flow.Field{
		{Name: "question", Label: "The question", Type: flow.Text, Question: true, About: "The question; what the customer said last if it is left out."},
		{Name: "bot", Label: "Which bot answers", Type: flow.Name, Kind: "bot", About: "Which bot; that of the conversation if it is left out."},
	},
	Sets: func(*flow.Step) map[string]flow.Kind {
		return map[string]flow.Kind{"answered": flow.AFlag, "confidence": flow.ANumber}
	},
	Plain: func(s *flow.Step) string {
		who := "the conversation's bot"
		if s.Has("bot") {
			who = "the bot " + s.Raw("bot")
		}
		if s.Has("question") {
			return fmt.Sprintf("Let %s answer %s.", who, flow.Quote(s.Raw("question")))
		}
		return fmt.Sprintf("Let %s answer what the customer said last.", who)
	},
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		question, err := r.Text(s.Args["question"])
		if err != nil {
			return flow.Fail(err)
		}
		if !s.Has("question") {
			v, _ := r.Lookup("message.text")
			question = r.Show(v)
		}
		if r.Conduct == nil {
			return flow.Fail(fmt.Errorf("there is no conversation to answer in"))
		}
		bot := s.Raw("bot")
		if bot == "" {
			bot = r.Bot
		}
		got, there := r.Conduct.Answer(bot, question, true)
		if !there {
			return flow.Pending()
		}
		for _, e := range got.Effects {
			r.Emit(e)
		}
		r.Set("answered", got.Known)
		r.Set("confidence", got.Confidence)
		if got.Handed {
			return flow.Finish(flow.Done, "the bot brought people in: it does not know an answer to "+flow.Quote(question))
		}
		r.Did("asked the bot %s: %s", bot, map[bool]string{true: "answered", false: "not known"}[got.Known])
		return flow.Next()
	},
}
