package steps

import (
	"cmp"
	"maps"
	"slices"

	"urgentparrot.example/internal/core/flow"
)

// What a question for a record does otherwise than one for a single value: each reply may
// bring some of the parts, and what is still open is asked for.

// checkRecord checks the fields of a record, and what cannot be asked for yet.
func checkRecord(c *flow.Checking, s *flow.Step, rd flow.Read) {
	switch {
	case rd.As == "file":
		c.Wrong(s.Args["as"].At, "a file cannot be asked for yet: no channel that is there carries files")
	case (rd.As == "record") != (len(rd.Parts) > 0):
		c.Wrong(s.At, "a question as record, and no other, lists its fields")
	}
	seen := map[string]bool{}
	for i, p := range rd.Parts {
		at := s.Args["fields"].Places[i]
		if seen[p.Name] {
			c.Wrong(at, "the record has a part %s already", p.Name)
		}
		if (p.As.As == "choice") != (len(p.As.Choices) > 0) {
			c.Wrong(at, "a part as choice, and no other, lists its choices")
		}
		seen[p.Name] = true
	}
}

// parts are those of the record that are there.
func parts(r *flow.Running) map[string]any {
	have, _ := r.Memory("parts").(map[string]any)
	return have
}

// gathers takes parts of the record that are still open out of what was said, and reports
// whether it brought any.
func gathers(r *flow.Running, rd flow.Read, said string, asked bool) bool {
	before := parts(r)
	return remembers(r, before, rd.Gather(said, before, hearing(r, asked)))
}

// mends takes parts of the record out of a correction, in place of those that are there.
func mends(r *flow.Running, rd flow.Read, rest string) bool {
	return remembers(r, nil, rd.Gather(rest, nil, hearing(r, false)))
}

// remembers keeps the parts that are new, as JSON holds them.
func remembers(r *flow.Running, before, now map[string]any) bool {
	kept := maps.Clone(parts(r))
	if kept == nil {
		kept = map[string]any{}
	}
	more := false
	for _, name := range slices.Sorted(maps.Keys(now)) {
		if _, there := before[name]; there {
			continue
		}
		if kept[name] = now[name]; !isNumber(now[name]) {
			kept[name] = r.Show(now[name])
		}
		r.Did("heard %s: %s", name, flow.Quote(r.Spoken(now[name])))
		more = true
	}
	if more {
		r.Remember("parts", kept)
	}
	return more
}

func isNumber(v any) bool { _, is := v.(float64); return is }

// whole is the record, once all of it is there.
func whole(r *flow.Running, rd flow.Read) (any, bool) {
	have := parts(r)
	return have, have != nil && len(rd.Open(have)) == 0
}

// gathered reports whether the customer said all of the record before it was asked for.
func gathered(r *flow.Running, s *flow.Step, rd flow.Read) bool {
	last := ""
	r.EachHeard(func(h *flow.Heard) bool {
		if gathers(r, rd, h.Text, false) {
			last = h.ID
		}
		return false
	})
	value, ok := whole(r, rd)
	if !ok {
		return false
	}
	fits, err := keep(r, s, value, last)
	if err != nil || !fits {
		r.Remember("parts", nil)
		return false
	}
	return true
}

// question is what is asked: of a record that is there in part, the rest.
func question(r *flow.Running, s *flow.Step) (words string, choices []string, err error) {
	rd, err := reads(r, s)
	if err != nil {
		return "", nil, err
	}
	if have := parts(r); len(have) > 0 {
		open := rd.Open(have)
		var names []string
		for _, p := range open {
			names = append(names, cmp.Or(p.Label, p.Name))
		}
		if len(open) == 1 {
			choices = open[0].As.Choices
		}
		if len(open) > 0 {
			return speech(r).Needs(names), choices, nil
		}
	}
	words, err = wording(r, s, "text")
	return words, rd.Choices, err
}
