package rehearsal

import (
	"fmt"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/dialogue"
)

// lookFor looks for what is to be said among what was said, from the first on.
func (p *play) lookFor(want Saying, line *Line) {
	if want.Silent {
		if len(p.said) > 0 {
			line.Happened, line.Wrong = p.said[0], true
		} else {
			line.Happened = "nothing"
		}
		return
	}
	for i, words := range p.said {
		if want.fits(words) {
			line.Happened = words
			p.said = p.said[i+1:]
			return
		}
	}
	line.Wrong = true
	if line.Happened = "nothing"; len(p.said) > 0 {
		line.Happened = p.said[0]
		p.said = p.said[1:]
	}
}

func (s Saying) fits(words string) bool {
	has := func(part string) bool { return strings.Contains(folded(words), folded(part)) }
	for _, part := range slices.Concat(s.Says, s.Asks) {
		if !has(part) {
			return false
		}
	}
	if len(s.Asks) > 0 && !strings.Contains(words, "?") {
		return false
	}
	if len(s.Any) > 0 && !slices.ContainsFunc(s.Any, has) {
		return false
	}
	return !slices.ContainsFunc(s.Not, has)
}

func folded(s string) string { return strings.ToLower(strings.Join(strings.Fields(s), " ")) }

// holds says what is otherwise than expected, "" if nothing is.
func (p *play) holds(x Expect) string {
	differs := func(want *bool, is bool, what string) string {
		if want == nil || *want == is {
			return ""
		}
		return fmt.Sprintf("%s: %s", what, map[bool]string{true: "yes", false: "no"}[is])
	}
	if x.Sheet != "" {
		if why := p.rowDiffers(x); why != "" {
			return why
		}
	}
	for _, one := range []struct{ want, kind, otherwise string }{
		{x.Notified, "notify ", "nobody was told that"}, {x.Called, "call ", "it was not called"}, {x.Counted, "count ", "it was not counted"}, {x.Ended, "end ", "no run ended so"},
	} {
		if one.want != "" && !slices.ContainsFunc(p.happened, func(h string) bool {
			rest, ok := strings.CutPrefix(h, one.kind)
			return ok && strings.Contains(folded(rest), folded(one.want))
		}) {
			return one.otherwise + p.told()
		}
	}
	if x.Tag != "" && !slices.Contains(p.tags, x.Tag) && !slices.Contains(p.talkTags, x.Tag) {
		return fmt.Sprintf("the tags are %v", slices.Concat(p.tags, p.talkTags))
	}
	if x.Stage != "" && p.stage != x.Stage {
		return fmt.Sprintf("the stage is %q", p.stage)
	}
	if x.Waits != "" && !slices.ContainsFunc(p.runs, func(r dialogue.Run) bool { return r.State.Wait != nil && string(r.State.Wait.For) == x.Waits }) {
		return "no run waits for that" + p.told()
	}
	for _, field := range sortedKeys(x.Field) {
		if got := p.memory[field].Value; got != x.Field[field] {
			return fmt.Sprintf("%s is %q", field, got)
		}
	}
	answered := p.answered != nil && *p.answered
	for _, why := range []string{differs(x.Answered, answered, "answered"), differs(x.Escalated, p.escalated, "a person is brought in"), differs(x.Closed, p.closed, "closed")} {
		if why != "" {
			return why
		}
	}
	return ""
}

// told lists what happened, for who wonders.
func (p *play) told() string {
	if len(p.happened) == 0 {
		return "; nothing happened since"
	}
	return "; what happened since: " + strings.Join(p.happened, ", ")
}

func (p *play) rowDiffers(x Expect) string {
	nearest := ""
	for _, row := range p.rows {
		if row.Sheet != x.Sheet {
			continue
		}
		wrong := ""
		for _, column := range sortedKeys(x.Row) {
			if row.Cells[column] != x.Row[column] {
				wrong = fmt.Sprintf("%s is %q", column, row.Cells[column])
				break
			}
		}
		if wrong == "" {
			return ""
		}
		nearest = wrong
	}
	if nearest != "" {
		return "in the row " + nearest
	}
	return "no row was written there" + p.told()
}
