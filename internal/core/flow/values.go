package flow

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/text"
)

// Text fills a text with values.
func (r *Running) Text(arg *Arg) (string, error) {
	if arg == nil {
		return "", nil
	}
	var b strings.Builder
	for _, p := range r.Flow.texts[arg].pieces {
		if p.expression == nil {
			b.WriteString(p.text)
			continue
		}
		v, err := r.eval(p.expression)
		if err != nil {
			return "", err
		}
		b.WriteString(r.Show(v))
		if b.Len() > 4*mostValue {
			return "", fmt.Errorf("the text grows beyond %d characters", mostValue)
		}
	}
	return b.String(), nil
}

// Value evaluates an expression.
func (r *Running) Value(arg *Arg) (any, error) {
	x := r.Flow.values[arg]
	if x == nil {
		return nil, fmt.Errorf("%q could not be read", clipped(arg.Text))
	}
	return r.eval(x)
}

// Holds evaluates a condition.
func (r *Running) Holds(arg *Arg) (bool, error) {
	v, err := r.Value(arg)
	if err != nil {
		return false, err
	}
	holds, ok := v.(bool)
	if !ok {
		return false, fmt.Errorf("%q is no condition: it gives %s", clipped(arg.Text), r.Show(v))
	}
	return holds, nil
}

// Weighs evaluates a condition, and says it in words with the values that decide: "people is
// more than 60 (people is 12)". Values that others may not see are not told.
func (r *Running) Weighs(arg *Arg) (holds bool, words string, err error) {
	if holds, err = r.Holds(arg); err != nil {
		return false, "", err
	}
	var values []string
	for _, name := range r.Flow.values[arg].uses {
		v, known := r.Lookup(name)
		said := r.Show(v)
		switch field, ofContact := strings.CutPrefix(name, "contact."); {
		case name == "now":
			continue
		case !known || said == "":
			said = "not known"
		case ofContact:
			if f, ok := r.Flow.Settings.Fields.Named(field); ok {
				said = f.Shown(said)
			}
		}
		values = append(values, name+" is "+text.Short(text.Squeeze(said), 60))
	}
	if words = r.Flow.values[arg].inWords(); len(values) > 0 {
		words += " (" + strings.Join(values, ", ") + ")"
	}
	return holds, words, nil
}

// Cells fills the texts under their keys.
func (r *Running) Cells(arg *Arg) (map[string]string, error) {
	cells := map[string]string{}
	if arg == nil {
		return cells, nil
	}
	for _, cell := range arg.Cells {
		filled, err := r.Text(cell.Arg)
		if err != nil {
			return nil, err
		}
		cells[cell.Key] = filled
	}
	return cells, nil
}

// Single evaluates a text that may be one expression alone, or a bare number; then its value
// keeps its kind.
func (r *Running) Single(arg *Arg) (any, error) {
	if n, bare := arg.Bare(); bare {
		return n, nil
	}
	if pieces := r.Flow.texts[arg].pieces; len(pieces) == 1 && pieces[0].expression != nil {
		return r.eval(pieces[0].expression)
	}
	return r.Text(arg)
}

func (r *Running) eval(x *expression) (any, error) {
	values := map[string]any{}
	for _, name := range x.uses {
		v, known := r.Lookup(name)
		switch {
		case r.Flow.env.vars[name].optional && known:
			values[name] = types.OptionalOf(types.DefaultTypeAdapter.NativeToValue(v))
		case r.Flow.env.vars[name].optional:
			values[name] = types.OptionalNone
		case !known:
			return nil, fmt.Errorf("%s is not set", name)
		default:
			values[name] = v
		}
	}
	values["conversation"], values["workspace"] = r.said(), r.openNow(x.hours)
	return x.eval(values)
}

// openNow says of hours whether people are there.
func (r *Running) openNow(hours []string) map[string]bool {
	open := map[string]bool{}
	for _, name := range hours {
		if r.Open != nil {
			open[name], _, _ = r.Open(name, r.Now)
		}
	}
	return open
}

func (r *Running) said() map[string]string {
	if r.Talk == nil {
		return map[string]string{}
	}
	var b strings.Builder
	for _, l := range r.Talk.Lines {
		if l.By == "customer" {
			b.WriteString(l.Text + "\n")
		}
	}
	return map[string]string{"customer": b.String()}
}

// contains reports whether words stand in a text, as whole words; one and several of a thing
// are the same word: a van, two vans.
func contains(said, words string) bool {
	spoken, phrase := spaced(said), spaced(words)
	if strings.Contains(spoken, phrase) {
		return true
	}
	in, of := strings.Fields(spoken), strings.Fields(phrase)
	for i := 0; i+len(of) <= len(in); i++ {
		if slices.EqualFunc(in[i:i+len(of)], of, sameWord) {
			return true
		}
	}
	return false
}

// sameWord reports whether two folded words are the same, in the singular or the plural.
func sameWord(a, b string) bool {
	if len(a) < len(b) {
		a, b = b, a
	}
	return a == b || len(b) >= 3 && (a == b+"s" || a == b+"es")
}

func spaced(s string) string {
	var b strings.Builder
	b.WriteByte(' ')
	for w := range text.EachWord(s) {
		b.WriteString(w.Folded)
		b.WriteByte(' ')
	}
	return b.String()
}

// Contains reports whether any of some words or phrases stands in a text, and which.
func Contains(said string, phrases []string) (string, bool) {
	for _, phrase := range phrases {
		if strings.TrimSpace(spaced(phrase)) != "" && contains(said, phrase) {
			return phrase, true
		}
	}
	return "", false
}

// Lookup returns the value of a name, and whether it has one.
func (r *Running) Lookup(name string) (any, bool) {
	group, rest, dotted := strings.Cut(name, ".")
	if !dotted {
		switch name {
		case "now":
			return r.Now, true
		case "round", "item", "number":
			return r.loopValue(name)
		}
		v, ok := r.state.Values[name]
		if s, text := v.(string); text && r.Flow.kinds[name] == ATime {
			t, err := time.Parse(time.RFC3339Nano, s)
			return t.In(r.Now.Location()), err == nil
		}
		return v, ok
	}
	switch group {
	case "contact", "memory":
		switch rest {
		case "stage":
			return r.Stands, true
		case "tags":
			return anyList(r.Tags), true
		}
		values := r.Flow.Settings.Fields.Values(r.Contact)
		v, ok := values[rest]
		if field, there := r.Flow.Settings.Fields.Named(rest); ok && there && field.Type == contact.Number {
			n, err := strconv.ParseFloat(v, 64)
			return n, err == nil
		}
		return v, ok
	case "workspace":
		return r.Flow.Settings.Title, true
	case "run":
		if rest == "started" {
			return r.Started, true
		}
		return r.Run, true
	case "event":
		v, ok := r.state.Event[rest]
		if s, text := v.(string); text && r.Flow.event[rest].Kind == ATime {
			t, err := time.Parse(time.RFC3339Nano, s)
			return t.In(r.Now.Location()), err == nil
		}
		return v, ok && v != nil
	case "message":
		if len(r.state.Heard) == 0 {
			return map[string]any{"text": "", "at": r.Now}[rest], true
		}
		last := r.state.Heard[len(r.state.Heard)-1]
		return map[string]any{"text": last.Text, "at": last.At.In(r.Now.Location())}[rest], true
	case "conversation":
		return r.ofTalk(rest), true
	}
	return nil, false
}

func anyList(list []string) []any {
	out := make([]any, len(list))
	for i, s := range list {
		out[i] = s
	}
	return out
}

const transcribed = 25

func (r *Running) ofTalk(name string) any {
	talk := r.Talk
	if talk == nil {
		talk = &Talk{Opened: r.Now}
	}
	last := func(by string) string {
		for _, l := range slices.Backward(talk.Lines) {
			if l.By == by {
				return l.Text
			}
		}
		return ""
	}
	transcript := func(lines []Line) string {
		var b strings.Builder
		for _, l := range lines {
			fmt.Fprintf(&b, "%s: %s\n", l.By, text.Squeeze(l.Text))
		}
		return b.String()
	}
	switch name {
	case "id":
		return talk.ID
	case "channel":
		return talk.Channel
	case "last_customer":
		return last("customer")
	case "last_bot":
		return last("bot")
	case "messages":
		return float64(talk.Messages)
	case "opened":
		return talk.Opened.In(r.Now.Location())
	case "reason":
		return talk.Reason
	case "outcome":
		return talk.Outcome
	case "complaints":
		if talk.Complaints == nil {
			return 0.0
		}
		return float64(talk.Complaints())
	case "tags":
		return anyList(talk.Tags)
	case "whole_transcript":
		return transcript(talk.Lines)
	}
	return transcript(talk.Lines[max(0, len(talk.Lines)-transcribed):])
}

// loopValue is a value of the innermost loop that the run is in.
func (r *Running) loopValue(name string) (any, bool) {
	for i := len(r.state.Frames) - 1; i >= 0; i-- {
		f := r.state.Frames[i]
		if _, in := f.Memory["round"]; in {
			v, ok := f.Memory[name]
			if n, whole := v.(int); whole {
				return float64(n), true
			}
			return v, ok
		}
	}
	return nil, false
}

// Save keeps a value under a name: a field of the contact, or a value of the run. What a
// customer said is a claim: it never takes the place of what was verified.
func (r *Running) Save(name string, value any, heard string) error {
	if t, ok := value.(time.Time); ok {
		if strings.HasPrefix(name, "contact.") {
			value = t.Format(time.DateOnly)
		} else {
			value = t.Format(time.RFC3339Nano)
		}
	}
	raw, err := json.Marshal(value)
	if err != nil {
		return fmt.Errorf("the value of %s cannot be kept: %w", name, err)
	}
	if len(raw) > 4*mostValue {
		return fmt.Errorf("the value of %s is longer than %d characters", name, mostValue)
	}
	field, ofContact := strings.CutPrefix(name, "contact.")
	if !ofContact {
		if _, there := r.state.Values[name]; !there && len(r.state.Values) >= mostValues {
			return fmt.Errorf("a run keeps at most %d values", mostValues)
		}
		r.state.Values[name] = value
		return nil
	}
	fact := contact.Fact{Field: field, Value: r.Show(value)}
	if declared, ok := r.Flow.Settings.Fields.Named(field); ok {
		read, err := declared.Read(fact.Value, r.Flow.Settings.Region, r.Now)
		if err != nil {
			return err
		}
		fact.Value = read
	}
	if before := r.Contact[field]; before.Value == fact.Value || before.Verified {
		return nil
	}
	r.Contact = r.Contact.With(fact)
	r.Emit(Keep{Fact: fact, MessageID: heard})
	return nil
}

// Show is how a value reads in a text.
func (r *Running) Show(v any) string {
	switch v := v.(type) {
	case nil:
		return ""
	case string:
		return v
	case bool:
		if v {
			return "yes"
		}
		return "no"
	case float64:
		return strconv.FormatFloat(v, 'f', -1, 64)
	case int:
		return strconv.Itoa(v)
	case time.Time:
		if v = v.In(r.Now.Location()); v.Hour() == 0 && v.Minute() == 0 && v.Second() == 0 {
			return v.Format(time.DateOnly)
		}
		return v.Format("2006-01-02 15:04")
	case ref.Val:
		return r.Show(plain(v))
	case []any:
		parts := make([]string, len(v))
		for i, item := range v {
			parts[i] = r.Show(item)
		}
		return strings.Join(parts, ", ")
	case map[string]any:
		var parts []string
		for _, key := range slices.Sorted(maps.Keys(v)) {
			parts = append(parts, key+": "+r.Show(v[key]))
		}
		return strings.Join(parts, ", ")
	}
	return fmt.Sprint(v)
}

// Spoken is how a value reads to a customer: days as people say them.
func (r *Running) Spoken(v any) string {
	if t, ok := v.(time.Time); ok {
		return text.SpokenDay(r.Flow.Settings.Language, t.In(r.Now.Location()), r.Now)
	}
	return r.Show(v)
}

// Set keeps a value of the run.
func (r *Running) Set(name string, value any) { r.state.Values[name] = value }
