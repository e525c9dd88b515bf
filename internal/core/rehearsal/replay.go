package rehearsal

import (
	"context"
	"encoding/json"
	"strings"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/dialogue"
)

// Past is a real conversation, to be played again.
type Past struct {
	Title, Channel, Bot string
	Said                []Said
	Called              []dialogue.Result // what tools gave in it
	Known               contact.Memory    // of the contact before it began: what the channel vouches for
}

// Replay plays a real conversation again against the bots and flows as they are now, and says
// which replies would be others. What tools gave is given again. Nothing is changed by it.
func Replay(ctx context.Context, h House, past Past) (report Report) {
	report = Report{Title: past.Title, Passed: true}
	p := &play{ctx: ctx, House: h, script: Script{Channel: past.Channel, Bot: past.Bot}, answers: map[string]Answers{}, given: map[string]dialogue.Result{}}
	p.memory = contact.Memory{}
	for _, r := range past.Called {
		p.given[keyOf(r.Call)] = r
	}
	if len(past.Said) == 0 {
		return report
	}
	p.now = past.Said[0].At.In(h.Settings.Zone())
	if err := p.begin(); err != nil {
		return Report{Title: past.Title, Lines: []Line{{Kind: "start", Expected: "a stage to play on", Happened: err.Error(), Wrong: true}}}
	}
	for _, f := range past.Known {
		p.memory = p.memory.With(f)
	}
	byPerson := false
	for i := 0; i < len(past.Said) && p.failed == nil; {
		m := past.Said[i]
		if pause := m.At.Sub(p.now); pause > 0 {
			p.pass(pause)
		}
		switch m.By {
		case "customer":
			report.Lines = append(report.Lines, Line{Kind: "customer", Expected: m.Text, Happened: m.Text})
			if !p.begun || p.state.Lead == dialogue.Closed {
				p.open()
			}
			p.said, p.last = nil, p.now
			p.turn(m.Text)
			p.settle()
			i++
		case "person":
			if !byPerson {
				p.person("take")
			}
			byPerson = true
			i++
			continue
		}
		// All that the bot said up to the next line of somebody else, as one.
		var was []string
		for ; i < len(past.Said) && past.Said[i].By == "bot"; i++ {
			if pause := past.Said[i].At.Sub(p.now); pause > 0 {
				p.pass(pause)
			}
			if byPerson {
				p.person("return")
				byPerson = false
			}
			was = append(was, past.Said[i].Text)
		}
		before, now := strings.Join(was, "\n\n"), strings.Join(p.said, "\n\n")
		if before == "" && now == "" || byPerson {
			continue
		}
		line := Line{Kind: "bot", Expected: before, Happened: now, Wrong: folded(before) != folded(now)}
		if line.Happened == "" {
			line.Happened = "nothing"
		}
		if line.Wrong {
			report.Passed = false
		}
		report.Lines = append(report.Lines, line)
		p.said = nil
	}
	if p.failed != nil {
		report.Passed = false
		report.Lines = append(report.Lines, Line{Kind: "bot", Happened: p.failed.Error(), Wrong: true})
	}
	return report
}

func keyOf(c dialogue.Call) string {
	raw, _ := json.Marshal(c)
	return string(raw)
}
