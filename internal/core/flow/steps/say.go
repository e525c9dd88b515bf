package steps

import (
	"hash/fnv"
	"strings"
	"time"

	"urgentparrot.example/internal/core/flow"
)

var say = &flow.StepKind{
	Name: "say", Group: converse, Talks: true, Main: "text",
	About:   "Sends the customer a text, with choices if there are any.",
	Example: `- say: "Welcome aboard, {{ contact.first_name.orValue('traveller') }}."`,
	Fields: []flow.Field{
		{Name: "text", Label: "What is said", Type: flow.Text, About: "What is said."},
		{Name: "vary", Label: "Or one of these wordings", Type: flow.Texts, About: "Wordings to choose among, so that it does not read the same each time."},
		{Name: "choices", Label: "What the customer may choose", Type: flow.Texts, About: "What the customer may choose from: buttons where the channel has them, numbers elsewhere."},
		{Name: "pause", Label: "Pause before it", Type: flow.Duration, Within: time.Minute, About: "A pause before it, as somebody who types would make."},
		{Name: "picture", Label: "Picture", Type: flow.Text, About: "The address of a picture."},
		{Name: "privately", Type: flow.Flag, About: "Answers a public comment in a private message."},
	},
	Check: func(c *flow.Checking, s *flow.Step) {
		if s.Has("text") == s.Has("vary") {
			c.Wrong(s.At, "say what is said: a text, or some wordings under vary")
		}
		if s.Has("picture") {
			c.Wrong(s.Args["picture"].At, "no channel that is there yet carries pictures; give the picture's address in the text")
		}
		if s.Flag("privately") {
			c.Wrong(s.Args["privately"].At, "privately needs a channel with public posts, and there is none yet")
		}
		checkChoices(c, s)
	},
	Plain: func(s *flow.Step) string {
		words := s.Raw("text")
		if list := s.Strings("vary"); len(list) > 0 {
			words = list[0]
		}
		plain := "Say " + flow.Quote(words)
		if choices := s.Strings("choices"); len(choices) > 0 {
			plain += ", with the choices " + flow.Or(choices)
		}
		return plain + "."
	},
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		if s.Has("pause") && r.Memory("paused") == nil {
			r.Remember("paused", true)
			return flow.Pause(flow.Wait{For: flow.ForTime, Until: r.Now.Add(s.Duration("pause", 0))})
		}
		return sayNow(r, s)
	},
	Go: func(r *flow.Running, s *flow.Step, _ flow.Event) flow.Move { return sayNow(r, s) },
}

func sayNow(r *flow.Running, s *flow.Step) flow.Move {
	words, err := wording(r, s, "text")
	if err != nil {
		return flow.Fail(err)
	}
	choices, err := texts(r, s, "choices")
	if err != nil {
		return flow.Fail(err)
	}
	if strings.TrimSpace(words) == "" {
		r.Did("nothing to say")
		return flow.Next()
	}
	r.Emit(flow.Say{Text: words, Choices: choices})
	r.Did("said %s", flow.Quote(words))
	return flow.Next()
}

// wording fills a text, or one of those under vary: another one for each run and round.
func wording(r *flow.Running, s *flow.Step, name string) (string, error) {
	if s.Has("vary") {
		list := s.Args["vary"].Texts
		h := fnv.New32a()
		h.Write([]byte(r.Key()))
		return r.Text(list[int(h.Sum32()%uint32(len(list)))])
	}
	return r.Text(s.Args[name])
}

func texts(r *flow.Running, s *flow.Step, name string) (list []string, err error) {
	if !s.Has(name) {
		return nil, nil
	}
	for _, arg := range s.Args[name].Texts {
		words, err := r.Text(arg)
		if err != nil {
			return nil, err
		}
		list = append(list, words)
	}
	return list, nil
}

// mostChoices is how many choices people read.
const mostChoices = 12

func checkChoices(c *flow.Checking, s *flow.Step) {
	if list := s.Strings("choices"); len(list) > mostChoices {
		c.Wrong(s.Args["choices"].At, "at most %d choices can be given", mostChoices)
	}
}
