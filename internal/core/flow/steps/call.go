package steps

import (
	"fmt"
	"time"

	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/tool"
)

// longestCall is how long a run waits for a tool at most.
const longestCall = 10 * time.Minute

var call = &flow.StepKind{
	Name: "call", Group: do, Waits: true,
	About:   "Calls a tool and waits for its result.",
	Example: "- call: { tool: timetable, with: { to: \"{{ island }}\" } }\n  save: next_boat",
	Fields: []flow.Field{
		{Name: "tool", Label: "Which tool", Type: flow.Name, Kind: "tool", Required: true, About: "The tool."},
		{Name: "with", Label: "With these values", Type: flow.Cells, Kind: "tool", Keys: "tool", About: "Its arguments, by name. A bare number, and a text that is one expression alone, keep their kind."},
	},
	Saves: fixed(flow.Any),
	Check: func(c *flow.Checking, s *flow.Step) {
		tool, ok := c.Find("tool", s.Raw("tool")).(tool.Tool)
		if !ok {
			return
		}
		var known []string
		given := map[string]bool{}
		if s.Has("with") {
			for _, cell := range s.Args["with"].Cells {
				given[cell.Key] = true
			}
		}
		for _, a := range tool.ArgumentList() {
			known = append(known, a.Name)
			if a.Required && !given[a.Name] {
				c.Wrong(s.At, "the tool %s needs %q", tool.Name, a.Name)
			}
		}
		if s.Has("with") {
			for _, cell := range s.Args["with"].Cells {
				c.OneOf(cell.At, "the tool "+tool.Name+" takes no %q", cell.Key, known)
			}
		}
	},
	Plain: func(s *flow.Step) string { return "Call the tool " + s.Raw("tool") + "." },
	Run: func(r *flow.Running, s *flow.Step) flow.Move {
		arguments := map[string]any{}
		if s.Has("with") {
			for _, cell := range s.Args["with"].Cells {
				v, err := r.Single(cell.Arg)
				if err != nil {
					return flow.Fail(err)
				}
				if v != nil && v != "" {
					arguments[cell.Key] = v
				}
			}
		}
		key := r.Key()
		r.Emit(flow.Call{Tool: s.Raw("tool"), Arguments: arguments, Key: key})
		r.Did("called %s with %s", s.Raw("tool"), r.Show(arguments))
		return flow.Pause(flow.Wait{For: flow.ForResult, Effect: key, Until: r.Now.Add(longestCall)})
	},
	Go: func(r *flow.Running, s *flow.Step, e flow.Event) flow.Move {
		if e.Kind != flow.Result {
			return flow.Fail(fmt.Errorf("the tool %s did not answer within %s", s.Raw("tool"), flow.Spoken(longestCall)))
		}
		if e.Error != "" {
			return flow.Fail(fmt.Errorf("the tool %s failed: %s", s.Raw("tool"), e.Error))
		}
		if s.Has("save") {
			if err := r.Save(s.Raw("save"), e.Value, ""); err != nil {
				return flow.Fail(err)
			}
		}
		r.Did("%s gave %s", s.Raw("tool"), flow.Quote(r.Show(e.Value)))
		return flow.Next()
	},
}
