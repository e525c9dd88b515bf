package steps

import (
	"fmt"
	"time"

	"urgentparrot.example/internal/core/flow"
)

var wait = &flow.StepKind{
	Name: "wait", Group: decide, Main: "for", Waits: true,
	About:   "Waits for a time, until a time, or until office hours. A reply may end it: the value replied then says whether one came.",
	Example: "- wait: 2d",
	Fields: []flow.Field{
		{Name: "for", Label: "How long", Type: flow.Duration, About: "How long."},
		{Name: "until", Label: "Or until the time", Type: flow.Value, About: "Until which time, as an expression: event.starts - duration('24h')."},
		{Name: "office_hours", Label: "Or until these hours are open", Type: flow.Name, Kind: "hours", About: "Until these hours are open."},
		{Name: "or_reply", Label: "A reply ends it", Type: flow.Flag, About: "Whether a reply ends it; replied then says so."},
		{Name: "if_past", Label: "If the time has passed", Type: flow.Choice, Choices: []string{"go on", "end"}, Default: "go on", About: "What happens if the time has passed already: a reminder that comes too late should end."},
	},
	Sets: func(s *flow.Step) map[string]flow.Kind {
		if s.Flag("or_reply") {
			return map[string]flow.Kind{"replied": flow.AFlag}
		}
		return nil
	},
	Check: func(c *flow.Checking, s *flow.Step) {
		n := 0
		for _, name := range []string{"for", "until", "office_hours"} {
			if s.Has(name) {
				n++
			}
		}
		if n != 1 {
			c.Wrong(s.At, "say what is waited for, one of: for (how long), until (which time), office_hours (which)")
		}
	},
	Plain: func(s *flow.Step) string {
		reply := ""
		if s.Flag("or_reply") {
			reply = ", or until a reply comes"
		}
		switch {
		case s.Has("until"):
			return "Wait until " + s.Raw("until") + reply + "."
		case s.Has("office_hours"):
			return "Wait until the hours " + s.Raw("office_hours") + " are open" + reply + "."
		case !s.Has("for"):
			return "Wait" + reply + "."
		}
		return "Wait " + flow.Spoken(s.Duration("for", 0)) + reply + "."
	},
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		until := r.Now.Add(s.Duration("for", 0))
		switch {
		case s.Has("until"):
			v, err := r.Value(s.Args["until"])
			if err != nil {
				return flow.Fail(err)
			}
			t, ok := v.(time.Time)
			if text, is := v.(string); is {
				t, ok = flow.Moment(text, r.Now)
			}
			if !ok {
				return flow.Fail(fmt.Errorf("%s is no time: it is %s", s.Raw("until"), r.Show(v)))
			}
			until = t
		case s.Has("office_hours"):
			open, next, ok := r.Open(s.Raw("office_hours"), r.Now)
			if !ok {
				return flow.Fail(fmt.Errorf("the hours %s never open in the next year", s.Raw("office_hours")))
			}
			if until = next; open {
				until = r.Now
			}
		}
		const longest = 366 * 24 * time.Hour
		if until.Sub(r.Now) > longest {
			return flow.Fail(fmt.Errorf("%s is more than a year away", until.Format("2006-01-02")))
		}
		if until.Before(r.Now) && s.Raw("if_past") == "end" {
			return flow.Finish(flow.Done, "left out: "+r.Show(until)+" has passed already")
		}
		if s.Flag("or_reply") {
			r.Set("replied", false)
			if h, ok := r.Unheard(); ok {
				r.TookUp(h.ID)
				r.Set("replied", true)
				r.Did("a reply came before the wait")
				return flow.Next()
			}
		}
		if !until.After(r.Now) {
			return flow.Next()
		}
		r.Did("waits until %s", r.Show(until))
		w := flow.Wait{For: flow.ForTime, Until: until}
		if s.Flag("or_reply") {
			w.For = flow.ForReply
		}
		return flow.Pause(w)
	},
	Go: func(r *flow.Running, s *flow.Step, e flow.Event) flow.Move {
		if s.Flag("or_reply") {
			r.Set("replied", e.Kind == flow.Reply)
			if e.Kind == flow.Reply {
				r.TookUp(e.Heard.ID)
				r.Did("a reply ended the wait: %s", flow.Quote(e.Heard.Text))
			}
		}
		return flow.Next()
	},
}
