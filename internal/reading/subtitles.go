package reading

import (
	"regexp"
	"strings"

	"urgentparrot.example/internal/core/knowledge"
)

var (
	cueTime = regexp.MustCompile(`^\s*((?:\d+:)?\d{1,2}:\d{2})[.,]\d{3}\s+-->`)
	cueTag  = regexp.MustCompile(`<[^>]{0,200}>|\{\\[^}]{0,200}\}`)
)

// cuesTogether is about how many bytes of speech stand under one time.
const cuesTogether = 700

// readSubtitles reads SRT and WebVTT: what is said, under the time at which it
// begins.
func readSubtitles(f *file) (knowledge.Document, error) {
	o := outline{}
	var said strings.Builder
	flush := func() {
		o.paragraph(said.String(), false)
		said.Reset()
	}
	started, inCue := false, false
	for line := range strings.Lines(string(f.content)) {
		line = strings.TrimSpace(line)
		switch at := cueTime.FindStringSubmatch(line); {
		case at != nil:
			ends := strings.HasSuffix(said.String(), ". ") || strings.HasSuffix(said.String(), "? ")
			if !started || said.Len() > cuesTogether && ends || said.Len() > 2*cuesTogether {
				flush()
				o.heading(1, "At "+at[1])
				started = true
			}
			inCue = true
		case line == "":
			inCue = false
		case inCue:
			said.WriteString(strings.TrimSpace(cueTag.ReplaceAllString(line, "")) + " ")
		}
	}
	flush()
	d := o.done()
	d.Title = titleOf(f.name)
	return d, nil
}
