package steps

import (
	"time"

	"urgentparrot.example/internal/core/flow"
)

var awaitReply = &flow.StepKind{
	Name: "await_reply", Group: converse, Talks: true, Waits: true, Main: "at_most",
	About:   "Waits for a reply, at most so long. The value replied then says whether one came; among the steps for silence it says whether the question was answered, which stays open.",
	Example: "- await_reply: 1d",
	Fields: []flow.Field{
		{Name: "at_most", Label: "How long it waits", Type: flow.Duration, Required: true, About: "How long it waits."},
	},
	Saves: fixed(flow.AText),
	Sets:  func(*flow.Step) map[string]flow.Kind { return map[string]flow.Kind{"replied": flow.AFlag} },
	Domains: func(s *flow.Step) map[string]flow.Domain {
		return map[string]flow.Domain{s.Raw("save"): {Typed: true}}
	},
	Check: func(c *flow.Checking, s *flow.Step) {
		if s.Has("at_most") && s.Duration("at_most", 0) == 0 {
			c.Wrong(s.Args["at_most"].At, "the wait has no length: say how long the reply is waited for, such as 1d")
		}
	},
	Plain: func(s *flow.Step) string {
		return "Wait for a reply, at most " + flow.Spoken(s.Duration("at_most", 0)) + "."
	},
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		until := r.Now.Add(s.Duration("at_most", 0))
		r.Remember("until", until.Format(time.RFC3339Nano))
		if h, ok := r.Unheard(); ok { // it came before
			return s.Kind.Go(r, s, flow.Event{Kind: flow.Reply, Heard: h})
		}
		return flow.Pause(flow.Wait{For: flow.ForReply, Until: until})
	},
	Go: func(r *flow.Running, s *flow.Step, e flow.Event) flow.Move {
		if e.Kind != flow.Reply {
			r.Set("replied", false)
			if s.Has("save") {
				r.Set(s.Raw("save"), "")
			}
			r.Did("no reply within %s", flow.Spoken(s.Duration("at_most", 0)))
			return flow.Next()
		}
		replied := func() flow.Move {
			r.Set("replied", true)
			if s.Has("save") {
				r.Set(s.Raw("save"), e.Heard.Text)
			}
			return flow.Next()
		}
		if open, within := r.OpenQuestion(); open != nil {
			until, _ := time.Parse(time.RFC3339Nano, r.Memory("until").(string))
			return within(func() flow.Move { return listen(r, open, e.Heard, replied, until) })
		}
		r.TookUp(e.Heard.ID)
		r.Did("a reply came: %s", flow.Quote(e.Heard.Text))
		return replied()
	},
}
