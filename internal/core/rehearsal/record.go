package rehearsal

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"time"

	"urgentparrot.example/internal/core/text"
)

// Said is a message of a real conversation.
type Said struct {
	By   string // customer, bot, person
	Text string
	At   time.Time
}

// What stands for a customer's details in a rehearsal that was made of a real conversation.
const (
	someMail  = "ada@example.org"
	somePhone = "+447700900100"
	someName  = "Ada Example"
)

var (
	mails  = regexp.MustCompile(`[\w.+\-]+@[\w\-]+(?:\.[\w\-]+)+`)
	phones = regexp.MustCompile(`\+?\d[\d ()/\-]{7,}\d`)
)

// lookedFor is how much of what a bot said a rehearsal looks for, in words.
const lookedFor = 8

// Record makes a rehearsal of a real conversation, without the customer's details: names,
// addresses and numbers that are known of them, or look like such, are replaced. known are
// the values that are kept of the contact.
func Record(title, channel string, said []Said, known []string) string {
	clean := func(s string) string {
		for _, v := range known {
			if len(v) > 2 && !strings.Contains(v, "@") && strings.Trim(v, "+0123456789 ") != "" {
				s = regexp.MustCompile(`(?i)\b`+regexp.QuoteMeta(v)+`\b`).ReplaceAllString(s, someName)
				for _, part := range strings.Fields(v) {
					if len(part) > 2 {
						s = regexp.MustCompile(`(?i)\b`+regexp.QuoteMeta(part)+`\b`).ReplaceAllString(s, "Ada")
					}
				}
			}
		}
		s = mails.ReplaceAllString(s, someMail)
		return phones.ReplaceAllString(s, somePhone)
	}
	var b strings.Builder
	fmt.Fprintf(&b, "rehearsal: %s\nchannel: %s\nscript:\n", strconv.Quote(title), channel)
	var last time.Time
	byPerson := false
	for _, m := range said {
		if gap := m.At.Sub(last).Round(time.Minute); !last.IsZero() && gap >= 10*time.Minute {
			fmt.Fprintf(&b, "  - pass_time: %dm\n", int(min(gap, 300*24*time.Hour)/time.Minute))
		}
		last = m.At
		words := text.Squeeze(clean(m.Text))
		switch m.By {
		case "customer":
			fmt.Fprintf(&b, "  - customer: %s\n", strconv.Quote(words))
		case "bot":
			if byPerson {
				b.WriteString("  - person: return\n")
				byPerson = false
			}
			parts := strings.Fields(words)
			fmt.Fprintf(&b, "  - bot: { says: %s }\n", strconv.Quote(strings.Join(parts[:min(len(parts), lookedFor)], " ")))
		case "person":
			if !byPerson {
				b.WriteString("  - person: take\n")
				byPerson = true
			}
		}
	}
	return b.String()
}
