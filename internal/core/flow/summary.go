package flow

import (
	"fmt"
	"strconv"
	"strings"

	"urgentparrot.example/internal/core/text"
)

// Sums are what a summary of a conversation is made from beside its messages.
type Sums struct {
	Answered []string // questions that have an answer
	Open     []string // and that have none
	Angry    bool
	Waited   bool // for a person
}

// What a summary holds of one thing at most.
const (
	mostListed = 10
	listedText = 200
)

// Summarise sums a conversation up in fixed parts, each made of what the conversation
// shows. The grade begins at 5 and loses a point for each measure that speaks against how
// it went: something stays open, a question had to be put again, a person was waited for,
// an angry customer (two). What had to be left out is in left_out.
func Summarise(talk *Talk, stage Stage) map[string]any {
	sum := map[string]any{}
	if talk == nil {
		talk = &Talk{}
	}
	asked, leftOut := []string{}, 0
	seen, repeated := map[string]bool{}, 0
	for _, l := range talk.Lines {
		if l.By != "customer" {
			continue
		}
		for _, span := range text.Typed(l.Text) {
			s := text.Squeeze(l.Text[span.Start:span.End])
			if !strings.HasSuffix(s, "?") {
				continue
			}
			if key := spaced(s); seen[key] {
				repeated++
				continue
			} else {
				seen[key] = true
			}
			if len(asked) == mostListed {
				leftOut++
				continue
			}
			asked = append(asked, text.Short(s, listedText))
		}
	}
	if missing := talk.Messages - len(talk.Lines); missing > 0 {
		leftOut += missing
	}
	measures, grade := []string{}, 5
	against := func(points int, format string, args ...any) {
		grade = max(1, grade-points)
		measures = append(measures, fmt.Sprintf(format, args...))
	}
	if n := len(talk.Sums.Open); n > 0 {
		against(1, "%s not answered", plural(n, "question"))
	}
	if repeated > 0 {
		against(1, "%s put again", plural(repeated, "question"))
	}
	if talk.Sums.Waited {
		against(1, "a person was waited for")
	}
	mood := "calm"
	if talk.Sums.Angry {
		mood = "angry"
		against(2, "the customer was angry")
	}
	if len(measures) == 0 {
		measures = append(measures, "nothing speaks against it")
	}
	known := []any{}
	for _, f := range stage.Fields {
		if v := stage.Contact[f.Name].Value; v != "" {
			known = append(known, f.Label+": "+f.Shown(v))
		}
	}
	sum["asked"], sum["answered"], sum["open"] = anyList(asked), anyList(clip(talk.Sums.Answered)), anyList(clip(talk.Sums.Open))
	sum["mood"], sum["known"], sum["grade"], sum["measures"] = mood, known, float64(grade), anyList(measures)
	sum["left_out"] = float64(leftOut)
	var b strings.Builder
	if len(asked) > 0 {
		fmt.Fprintf(&b, "Asked: %s ", strings.Join(asked, " "))
	} else if last := lastOf(talk.Lines, "customer"); last != "" {
		fmt.Fprintf(&b, "Said: %s ", text.Short(last, listedText))
	}
	if open := talk.Sums.Open; len(open) > 0 {
		fmt.Fprintf(&b, "Open: %s ", strings.Join(clip(open), " "))
	}
	fmt.Fprintf(&b, "Mood: %s. Grade: %d of 5 (%s).", mood, grade, strings.Join(measures, ", "))
	if leftOut > 0 {
		fmt.Fprintf(&b, " %s left out.", plural(leftOut, "older message or question"))
	}
	sum["text"] = b.String()
	return sum
}

// A Part is one of a summary that a builder asks for beside the fixed ones.
type Part struct {
	Name, About string
	As          string   // text, list, number, choice
	Choices     []string // of a choice
	Least, Most float64  // of a number
}

// Words say what the part is, for a model.
func (p Part) Words() string {
	switch p.As {
	case "number":
		return fmt.Sprintf("a number from %v to %v", p.Least, p.Most)
	case "choice":
		return "one of: " + strings.Join(p.Choices, ", ")
	case "list":
		return "a list of short texts"
	}
	return "a short text"
}

// Nothing is the part where nobody fills it in: an empty text or list, no number.
func (p Part) Nothing() any {
	switch p.As {
	case "number":
		return nil
	case "list":
		return []any{}
	}
	return ""
}

// Take makes the part of what a model said for it, lists a line each: a number within the
// bounds, a choice that there is, and of texts what stands in what was said.
func (p Part) Take(said string, stands func(words string) string) any {
	switch p.As {
	case "number":
		if n, err := strconv.ParseFloat(strings.TrimSpace(said), 64); err == nil && n >= p.Least && n <= p.Most {
			return n
		}
	case "choice":
		for _, c := range p.Choices {
			if strings.EqualFold(c, strings.TrimSpace(said)) {
				return c
			}
		}
	case "list":
		list := []any{}
		for line := range strings.Lines(said) {
			if words := stands(text.Squeeze(line)); words != "" && len(list) < mostListed {
				list = append(list, text.Short(words, listedText))
			}
		}
		return list
	default:
		return stands(said)
	}
	return p.Nothing()
}

func clip(list []string) []string {
	out := []string{}
	for _, s := range list[:min(len(list), mostListed)] {
		out = append(out, text.Short(s, listedText))
	}
	return out
}

func plural(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	if before, after, ok := strings.Cut(what, " or "); ok {
		return fmt.Sprintf("%d %ss or %ss", n, before, after)
	}
	return fmt.Sprintf("%d %ss", n, what)
}

func lastOf(lines []Line, by string) (last string) {
	for _, l := range lines {
		if l.By == by {
			last = text.Squeeze(l.Text)
		}
	}
	return last
}
