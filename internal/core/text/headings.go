package text

import (
	"regexp"
	"strings"
)

var numbering = regexp.MustCompile(`^(?:(?i:chapter|section|part|appendix)\s+)?(?:\d+(?:\.\d+)*[.):]?|[A-Z]\d*[.)]|[IVX]+\.)\s+`)

// Unnumbered returns a heading without the number before it: "Paying" of
// "3.2. Paying" and of "Chapter 3. Paying".
func Unnumbered(heading string) string {
	return numbering.ReplaceAllString(strings.TrimSpace(heading), "")
}
