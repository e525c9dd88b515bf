package text

import (
	"regexp"
	"strings"
)

var numbering = regexp.MustCompile(`^(?:(?i:chapter|section|part|appendix|step)\s+)?(?:\d+(?:\.\d+)*[.):]?|[A-Z]\d*[.)]|[IVX]+\.)\s+`)

// mostNumber is where a heading's number has begun to be seen, in bytes.
const mostNumber = 16

// Unnumbered returns a heading without the number before it: "Paying" of
// "3.2. Paying" and of "Chapter 3. Paying".
func Unnumbered(heading string) string {
	heading = strings.TrimSpace(heading)
	if !strings.ContainsAny(heading[:min(len(heading), mostNumber)], "0123456789.)") {
		return heading
	}
	return numbering.ReplaceAllString(heading, "")
}
