package support

import (
	"fmt"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/text"
)

// renders says what a sentence in another language lost or added beside what it is said
// to mean, "" if nothing.
func (c Checker) renders(s Sentence) string {
	ours, theirs := quantitiesOf(s.Says), quantitiesOf(s.Means)
	for _, q := range ours {
		if !slices.ContainsFunc(theirs, q.close) {
			return fmt.Sprintf("%q stands in one of them only", q.shown)
		}
	}
	for _, q := range theirs {
		if !slices.ContainsFunc(ours, q.close) {
			return fmt.Sprintf("%q stands in one of them only", q.shown)
		}
	}
	if deniesPlainly(s.Says, s.Language) != deniesPlainly(s.Means, c.Language) {
		return "one of them denies what the other says"
	}
	for _, link := range links.FindAllString(s.Says, -1) {
		if link = strings.TrimRight(link, ".,;:!?)"); !strings.Contains(s.Means, link) {
			return fmt.Sprintf("%q stands in one of them only", link)
		}
	}
	said := text.Fold(s.Says)
	for _, w := range text.Words(s.Means) {
		if text.IsNamed(s.Means, w) && !isWeekday(w.Folded) && months[w.Folded] == "" && !isFeast(w.Folded) && !strings.Contains(said, w.Folded) && text.English().Times(w.Folded) == 0 {
			return fmt.Sprintf("the name %q is not in it", s.Means[w.Start:w.End])
		}
	}
	days, meant := daysOf(s.Says), daysOf(s.Means)
	for day := range meant {
		if slices.Contains(dayNames, day) && !days[day] && len(days) > 0 {
			return fmt.Sprintf("%q stands in one of them only", day)
		}
	}
	return ""
}

// close is same for translations, in which units may have other words.
func (q quantity) close(o quantity) bool {
	return q.value == o.value && (q.kind == o.kind || q.kind == "" || o.kind == "")
}
