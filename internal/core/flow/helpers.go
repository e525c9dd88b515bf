package flow

import (
	"slices"
	"strconv"
	"strings"
	"time"
)

// OneOf notes a word that is not one of the known ones, with that which may be meant.
func (c *Checking) OneOf(at Place, format, word string, known []string) {
	if !slices.Contains(known, word) {
		c.unknown(at, format, word, known, "")
	}
}

// InTalk reports whether a trigger of the flow brings a conversation, or the flow talks.
func (c *Checking) InTalk() bool {
	return c.Talks() || slices.ContainsFunc(c.Triggers, func(t *Trigger) bool { return t.Kind.Talks })
}

// NoSuchField notes a field that contacts do not have.
func (c *Checking) NoSuchField(arg *Arg, name string) {
	c.unknown(arg.At, "contacts have no field %q", name, c.fieldNames(), "; fields are declared in the settings")
}

// IsVariable reports whether a value can be saved under a name.
func IsVariable(name string) bool { return isVariable(name) }

// IsTaken reports whether a name means something in expressions already.
func IsTaken(name string) bool { return reserved[name] || words[name] }

// IsPart reports whether something can be found under a name in an event: event.number.
func IsPart(name string) bool {
	return variableRule.MatchString(name) && !strings.Contains(name, ".") && !words[name]
}

// Within returns the steps of a list and of all lists in it.
func Within(b *Block) (list []*Step) {
	b.each(func(s *Step, _ int) { list = append(list, s) }, 0)
	return list
}

// Moment reads a time as JSON and sheets hold it, in the zone of now.
func Moment(s string, now time.Time) (time.Time, bool) {
	for _, layout := range []string{time.RFC3339Nano, "2006-01-02 15:04", "2006-01-02T15:04", time.DateOnly} {
		if t, err := time.ParseInLocation(layout, strings.TrimSpace(s), now.Location()); err == nil {
			return t, true
		}
	}
	return time.Time{}, false
}

// Stand sets the contact's stage.
func (r *Running) Stand(stage string) {
	if r.Stands != stage {
		r.Stage = r.Stage.With(Stand{stage})
		r.Emit(Stand{stage})
	}
}

// Mark marks the contact, or the conversation, with a tag, or takes it away.
func (r *Running) Mark(tag Tag) {
	r.Stage = r.Stage.With(tag)
	r.Emit(tag)
}

// With is the stage after something that was decided on it.
func (s Stage) With(e Effect) Stage {
	switch e := e.(type) {
	case Tag:
		if !e.OnTalk {
			s.Tags = e.on(s.Tags)
		} else if s.Talk != nil {
			talk := *s.Talk
			talk.Tags = e.on(talk.Tags)
			s.Talk = &talk
		}
	case Stand:
		s.Stands = e.Stage
	}
	return s
}

// on are the tags with the mark, or without it.
func (e Tag) on(tags []string) []string {
	tags = slices.DeleteFunc(slices.Clone(tags), func(tag string) bool { return tag == e.Tag })
	if !e.Off {
		tags = append(tags, e.Tag)
	}
	return tags
}

// Same reports whether two texts have the same words.
func Same(a, b string) bool { return spaced(a) == spaced(b) }

// Dig returns what stands at a path such as body.customer.mail or body.items.0 in decoded
// JSON.
func Dig(value any, path string) (any, bool) {
	for _, part := range strings.Split(path, ".") {
		switch v := value.(type) {
		case map[string]any:
			next, ok := v[part]
			if !ok {
				return nil, false
			}
			value = next
		case []any:
			i, err := strconv.Atoi(part)
			if err != nil || i < 0 || i >= len(v) {
				return nil, false
			}
			value = v[i]
		default:
			return nil, false
		}
	}
	return value, value != nil
}
