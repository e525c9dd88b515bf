package reading

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
)

// A block is the lines between two blank ones of a plain text.
type block struct {
	lines  []string // trimmed
	indent int      // of the first line, in columns
	headed bool     // the first line is a heading
}

// The levels of headings in plain text that are not numbered: a title, one that
// is underlined doubly or singly, one that stands out, a question.
const (
	levelTitle = 1 + iota
	levelDouble
	levelSingle
	levelPlain
	levelQuestion = 9
)

// longestHeading is how many letters a heading in plain text has at most.
const longestHeading = 160

var (
	underline  = regexp.MustCompile(`^(?:={3,}|-{3,}|~{3,}|\^{3,}|#{3,}|\*{3,}|_{3,})$`)
	numbered   = regexp.MustCompile(`^(?:(?i:chapter|part|appendix)\s+[\dIVXA-Z]+\b|(\d+(?:\.\d+)*)[.):]?\s+\S)`)
	rule       = regexp.MustCompile(`^(?:_{3,}|[-=*~]{30,})$`)
	marked     = regexp.MustCompile(`^(?:[-*•·o]|\(?\d{1,2}(?:\.\d{1,2})*[.)]|\d{1,2}(?:\.\d{1,2})+|\(?[a-z]\))\s+`)
	asks       = regexp.MustCompile(`^(?:Q|Question)(?:\s?\d+)?\s?[.:)]\s*`)
	replies    = regexp.MustCompile(`^(?:A|Answer)(?:\s?\d+)?\s?[.:)]\s*`)
	startsWith = regexp.MustCompile(`^["'(]?[\p{Lu}\d]`)
)

// readText finds the headings of a plain text by how they are set: underlined,
// numbered, in capitals, with a colon, further out than the body, or a short line
// above a longer paragraph, with or without a blank line between. Lines marked Q
// and A are a heading and what is below it.
func readText(f *file) (knowledge.Document, error) {
	blocks := headedBlocks(blocksOf(strings.ReplaceAll(string(f.content), "\u00a0", " ")))
	body := bodyIndent(blocks)
	var o outline
	for i := range blocks {
		blk := &blocks[i]
		if blk.headed {
			if number := blk.subsection(); number != "" {
				o.heading(levelTitle+strings.Count(number, ".")+1, blk.lines[0])
			} else {
				o.heading(levelPlain, text.Unnumbered(strings.TrimSuffix(blk.lines[0], ":")))
			}
			o.lines(blk.lines[1:])
			continue
		}
		var next *block
		if i+1 < len(blocks) {
			next = &blocks[i+1]
		}
		o.text(blk, next, i == 0, body)
	}
	return o.done(), nil
}

// What is set as a heading is no longer than so many letters, and a line of a text that is broken
// into lines no longer than so many.
const (
	longestTitle   = 60
	longestWrapped = 100
)

// headedBlocks finds the headings that stand right above what they are about, with no blank line
// between, and parts blocks at them.
func headedBlocks(blocks []block) (parted []block) {
	for _, b := range blocks {
		from := 0
		heads := b.headsWithin()
		for i := 1; i < len(b.lines); i++ {
			if heads[i] {
				parted = append(parted, block{lines: b.lines[from:i], indent: b.indent, headed: heads[from]})
				from = i
			}
		}
		parted = append(parted, block{lines: b.lines[from:], indent: b.indent, headed: heads[from]})
	}
	mayBe := func(set func(*block) bool) (are bool) {
		n, several := 0, 0
		for i := range parted {
			if len(parted[i].lines) > 1 {
				several++
			}
			if set(&parted[i]) {
				n++
			}
		}
		return n >= 2 && 2*n >= several // it is how the text is set, and not where a line happens to be broken
	}
	above, colons := mayBe((*block).isHeaded), mayBe((*block).isTold)
	before := ""
	for i := range parted {
		b := &parted[i]
		section := b.subsection()
		within := section != "" && isNext(section, before)
		if within {
			before = section
		}
		b.headed = b.headed || b.isHeaded() && (above || len(b.lines[1]) > longestWrapped) || colons && b.isTold() || within
	}
	return parted
}

// headsWithin finds the lines of a block that are headings for certain, by their place: those in
// capitals, and numbered ones that all stand above sentences.
func (b *block) headsWithin() map[int]bool {
	heads, counted, above := map[int]bool{}, []int{}, 0
	for i, line := range b.lines[:len(b.lines)-1] {
		below := b.lines[i+1]
		switch {
		case utf8.RuneCountInString(line) > longestTitle:
		case isCapitals(line) && !isCapitals(below) && !underline.MatchString(below) && !strings.ContainsAny(line[len(line)-1:], ".,;!") && (i > 0 || len(below) > len(line)):
			heads[i] = true
		case numberedTitle.MatchString(line):
			counted = append(counted, i)
			if startsWith.MatchString(below) && !numberedTitle.MatchString(below) && strings.HasSuffix(below, ".") {
				above++
			}
		}
	}
	if above >= 2 && above == len(counted) {
		for _, i := range counted {
			heads[i] = true
		}
	}
	return heads
}

// numberedTitle is a line such as "2. Dogs", and subsection one such as "2.1 Small dogs".
var (
	numberedTitle = regexp.MustCompile(`^\d{1,2}[.)]\s+\p{Lu}[^.;]*$`)
	subsection    = regexp.MustCompile(`^(\d{1,2}(?:\.\d{1,2})+)[.)]?\s+\p{Lu}[^.;:,]*$`)
)

// subsection returns the number of the section within another whose heading a block begins
// with, "" if it does not: "2.1" of "2.1 Small dogs", above what is said of them.
func (b *block) subsection() string {
	m := subsection.FindStringSubmatch(b.lines[0])
	if m == nil || len(b.lines) < 2 || utf8.RuneCountInString(b.lines[0]) > longestTitle ||
		!startsWith.MatchString(b.lines[1]) || numbered.MatchString(b.lines[1]) || marked.MatchString(b.lines[1]) {
		return ""
	}
	return m[1]
}

// isNext reports whether a numbered section is the first within another, or follows the one before
// it: "8.30 Breakfast" is a time.
func isNext(section, before string) bool {
	point := strings.LastIndexByte(section, '.')
	n, _ := strconv.Atoi(section[point+1:])
	return n == 1 || section[:point+1]+strconv.Itoa(n-1) == before
}

// aTimeOrPrice is what the lines below a heading hold that are hours or prices.
var aTimeOrPrice = regexp.MustCompile(`(?i)\d[.:]\d\d|\d\s*[-–]\s*\d|[£$€]|\d\s?[ap]\.?m\b`)

// isHeaded reports whether a block may begin with a heading: a short line that ends no sentence,
// above one that begins a longer one, or above hours or prices, or a list.
func (b *block) isHeaded() bool {
	if len(b.lines) < 2 {
		return false
	}
	title, below := b.lines[0], b.lines[1]
	short := utf8.RuneCountInString(title) <= longestTitle && len(strings.Fields(title)) <= 10
	told := func() bool { from, to := labelledAmong(b.lines); return from == 1 && to > from }
	hours := len(b.lines) > 2 && !digits.MatchString(title) && aTimeOrPrice.MatchString(below) && (areEntries(b.lines) || told())
	listed := len(b.lines) > 2 && (all(b.lines[1:], marked.MatchString) || areEntries(b.lines) && all(b.lines[1:], dashed.MatchString))
	prose := hours || listed || strings.HasSuffix(title, "?") || len(below) > len(title) && (len(below) > 40 || strings.HasSuffix(below, "."))
	return short && prose && startsWith.MatchString(title) && (listed || startsWith.MatchString(below)) && !strings.ContainsAny(title[len(title)-1:], ".,;:!") &&
		!marked.MatchString(title) && (listed || !marked.MatchString(below)) && !underline.MatchString(below) && !asks.MatchString(title) && !numbered.MatchString(title)
}

// dashed is a line that says first what it is about, with a dash behind it: "Small room - 16".
var dashed = regexp.MustCompile(`^\p{Lu}[^.;?!]{1,40}? [-–—] \S`)

func all(lines []string, so func(string) bool) bool {
	return !slices.ContainsFunc(lines, func(line string) bool { return !so(line) })
}

// isTold reports whether a block may begin with a heading that has a colon: "Opening hours:".
func (b *block) isTold() bool {
	title := b.lines[0]
	return len(b.lines) > 1 && strings.HasSuffix(title, ":") && utf8.RuneCountInString(title) <= longestTitle && len(strings.Fields(title)) <= 5 && startsWith.MatchString(title)
}

// text adds one block of a plain text, which next follows.
func (o *outline) text(b, next *block, first bool, body int) {
	lines := b.lines
	if isContents(lines[0]) || len(lines) == 1 && underline.MatchString(lines[0]) {
		return
	}
	if asks.MatchString(lines[0]) {
		n := 1
		for n < len(lines) && !replies.MatchString(lines[n]) {
			n++
		}
		o.heading(levelQuestion, asks.ReplaceAllString(strings.Join(lines[:n], " "), ""))
		lines = lines[n:]
	} else if level, n := headingOf(b, next, first, body); level > 0 {
		o.heading(level, strings.Join(lines[:n], " "))
		if lines = lines[n:]; len(lines) > 0 && underline.MatchString(lines[0]) {
			lines = lines[1:]
		}
	}
	if len(lines) > 0 {
		lines[0] = replies.ReplaceAllString(lines[0], "")
	}
	o.lines(lines)
}

// lines adds the lines of a block: as one paragraph, or as the items of a list,
// with those that go on below them.
func (o *outline) lines(lines []string) {
	if areEntries(lines) || areLabelled(lines) {
		for i, line := range lines {
			o.paragraph(knowledge.ItemMark+strings.Join(strings.Fields(line), " "), i > 0)
		}
		return
	}
	if from, to := labelledAmong(lines); to > from {
		o.lines(lines[:from])
		o.lines(lines[from:to])
		o.lines(lines[to:])
		return
	}
	var said strings.Builder
	item := false
	flush := func() {
		o.paragraph(said.String(), item)
		said.Reset()
	}
	for _, line := range lines {
		if mark := marked.FindString(line); mark != "" {
			flush()
			item = true
			if !strings.ContainsAny(mark, "0123456789") {
				line = line[len(mark):]
			}
			said.WriteString(knowledge.ItemMark)
		} else if said.Len() > 0 {
			said.WriteByte(' ')
		}
		said.WriteString(strings.Join(strings.Fields(line), " "))
	}
	flush()
}

// areEntries reports whether lines are entries of a list without marks, such as hours, prices or an
// address: short, each begun anew, none the end of a sentence.
func areEntries(lines []string) bool {
	for _, line := range lines {
		if utf8.RuneCountInString(line) > longestTitle || !begunAnew.MatchString(line) || strings.ContainsAny(line[len(line)-1:], ".,;:?!") || marked.MatchString(line) {
			return false
		}
	}
	return len(lines) > 1
}

// areLabelled reports whether each of several lines says first what it is about: "Silver: as bronze,
// and the wheels trued."
func areLabelled(lines []string) bool {
	for _, line := range lines {
		if !labelled.MatchString(line) {
			return false
		}
	}
	return len(lines) > 1
}

// labelledAmong finds several lines in a block that say first what they are about, between others
// that do not: hours, and below them when all is closed. None go on in the next line.
func labelledAmong(lines []string) (from, to int) {
	for from = 0; from < len(lines); from = max(to, from+1) {
		for to = from; to < len(lines) && labelled.MatchString(lines[to]); to++ {
		}
		if to-from > 1 && (to == len(lines) || begunAnew.MatchString(lines[to])) {
			return from, to
		}
	}
	return 0, 0
}

var labelled = regexp.MustCompile(`^\p{Lu}[^.:;?!]{1,40}: \S`)

// begunAnew is how an entry begins.
var begunAnew = regexp.MustCompile(`^["'(]?[\p{Lu}\d£$€+]`)

// headingOf returns the level of the heading that a block begins with, and of how
// many lines it is; 0 if there is none.
func headingOf(b, next *block, first bool, body int) (level, lines int) {
	title := b.lines[0]
	if len(b.lines) > 1 && underline.MatchString(b.lines[1]) && utf8.RuneCountInString(title) <= longestHeading {
		if b.lines[1][0] == '=' || b.lines[1][0] == '#' || b.lines[1][0] == '*' {
			return levelDouble, 1
		}
		return levelSingle, 1
	}
	if m := numbered.FindStringSubmatch(title); len(b.lines) > 1 && m != nil && strings.Contains(m[1], ".") && strings.HasSuffix(title, "?") {
		return levelTitle + strings.Count(m[1], ".") + 1, 1 // the answer begins on the next line
	}
	whole := strings.Join(b.lines, " ")
	outside := next != nil && b.indent < body && len(b.lines) == 1
	if len(b.lines) > 3 || utf8.RuneCountInString(whole) > longestHeading || next == nil || !outside && !startsWith.MatchString(whole) {
		return 0, 0
	}
	for _, line := range b.lines[1:] {
		if marked.MatchString(line) {
			return 0, 0 // the items of a list
		}
	}
	closed := strings.ContainsAny(whole[len(whole)-1:], ".,;:")
	prose := len(next.lines) > 1 || strings.ContainsAny(next.lines[0][len(next.lines[0])-1:], ".:!")
	if m := numbered.FindStringSubmatch(whole); m != nil && !closed {
		switch depth := strings.Count(m[1], ".") + 1; {
		case m[1] == "":
			return levelDouble, len(b.lines)
		case depth > 1 || !numbered.MatchString(next.lines[0]) || strings.HasPrefix(next.lines[0], m[1]+"."):
			return levelTitle + depth, len(b.lines)
		}
		return 0, 0
	}
	switch {
	case closed || marked.MatchString(whole):
		return 0, 0
	case first && len(b.lines) == 1 && len(title) < 80:
		return levelTitle, 1
	case outside && next.indent < body:
		return levelSingle, 1
	case outside:
		return levelPlain, 1
	case len(b.lines) == 1 && isCapitals(title):
		return levelSingle, 1
	case strings.HasSuffix(whole, "?") && prose:
		return levelPlain, len(b.lines)
	case len(b.lines) == 1 && len(title) <= 60 && prose && len(strings.Join(next.lines, " ")) > len(title):
		return levelPlain, 1
	}
	return 0, 0
}

func isCapitals(s string) bool {
	letters := 0
	for _, r := range s {
		if unicode.IsLower(r) {
			return false
		}
		if unicode.IsLetter(r) {
			letters++
		}
	}
	return letters >= 4
}

func blocksOf(s string) (blocks []block) {
	var b block
	for line := range strings.Lines(s + "\n\n") {
		line = strings.ReplaceAll(strings.TrimRight(line, " \t\r\n\f"), "\t", "        ")
		trimmed := strings.TrimSpace(line)
		if trimmed == "" || rule.MatchString(trimmed) && (len(b.lines) != 1 || len(trimmed) > len(b.lines[0])+3) {
			if len(b.lines) > 0 {
				blocks = append(blocks, b)
			}
			b = block{}
			continue
		}
		if len(b.lines) == 0 {
			b.indent = len(line) - len(strings.TrimLeft(line, " "))
		}
		b.lines = append(b.lines, trimmed)
	}
	return blocks
}

// bodyIndent is where most of the longer blocks begin.
func bodyIndent(blocks []block) (body int) {
	times := map[int]int{}
	for _, b := range blocks {
		if len(b.lines) < 2 {
			continue
		}
		if times[b.indent]++; times[b.indent] > times[body] || times[b.indent] == times[body] && b.indent < body {
			body = b.indent
		}
	}
	return body
}
