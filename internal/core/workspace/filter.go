package workspace

import (
	"fmt"
	"strings"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/text"
)

// A Filter says which messages that begin something deserve an answer. The zero Filter lets
// all through.
type Filter struct {
	Only  []Case `yaml:"only"`  // if there are some, one of them must fit
	Never []Case `yaml:"never"` // none of them may fit
}

// A Case is a kind of message: all that is given must fit, and of each list one.
type Case struct {
	From    []string `yaml:"from"`    // the sender's address or name contains it
	Subject []string `yaml:"subject"` // the subject contains it
	Text    []string `yaml:"text"`    // the text contains it
	About   []string `yaml:"about"`   // it says something like these examples
}

// A Letter is what a filter looks at.
type Letter struct{ From, Subject, Text string }

// aboutLike is how like one of the examples something must be that is said, as for flows.
const aboutLike = 0.62

// read is how many sentences of a message are held against examples.
const read = 20

// Silent returns why a message is not answered, "" if it deserves an answer. like tells how
// like the likest of some examples something is that was said, 0 to 1.
func (f Filter) Silent(l Letter, like func(said string, examples []string) float64) string {
	for _, c := range f.Never {
		if c.fits(l, like) {
			return "the channel never answers what " + c.words()
		}
	}
	if len(f.Only) == 0 {
		return ""
	}
	var wanted []string
	for _, c := range f.Only {
		if c.fits(l, like) {
			return ""
		}
		wanted = append(wanted, c.words())
	}
	return "the channel only answers what " + strings.Join(wanted, ", or what ")
}

func (c Case) fits(l Letter, like func(string, []string) float64) bool {
	for _, part := range []struct {
		words []string
		in    string
	}{{c.From, l.From}, {c.Subject, l.Subject}, {c.Text, l.Text}} {
		if len(part.words) > 0 && !containsAny(part.in, part.words) {
			return false
		}
	}
	if len(c.About) == 0 {
		return true
	}
	if like(l.Subject, c.About) >= aboutLike {
		return true
	}
	for i, span := range text.Sentences(l.Text) {
		if i == read {
			break
		}
		if like(l.Text[span.Start:span.End], c.About) >= aboutLike {
			return true
		}
	}
	return false
}

func containsAny(in string, words []string) bool {
	in = text.Fold(in)
	for _, w := range words {
		if strings.Contains(in, text.Fold(w)) {
			return true
		}
	}
	return false
}

// words tell a case in words.
func (c Case) words() string {
	var parts []string
	add := func(what string, list []string) {
		if len(list) > 0 {
			parts = append(parts, what+` "`+strings.Join(list, `" or "`)+`"`)
		}
	}
	add("comes from", c.From)
	add("has in its subject", c.Subject)
	add("has in its text", c.Text)
	add("says something like", c.About)
	return strings.Join(parts, " and ")
}

// check notes cases that say nothing.
func (f Filter) check(c *document.Checker, path string) {
	for what, list := range map[string][]Case{"only": f.Only, "never": f.Never} {
		for i, one := range list {
			if one.words() == "" {
				c.Wrong(fmt.Sprintf("%s.%s[%d]", path, what, i), "say which messages: from, subject, text or about")
			}
		}
	}
}
