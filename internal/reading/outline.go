package reading

import (
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/net/html"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
)

// outline gathers text under the headings it stands below.
type outline struct {
	document knowledge.Document
	trail    []string
	levels   []int
	body     strings.Builder
	lead     string // a term whose description follows
	terms    bool   // the terms of the list that is read are headings

	labelled *html.Node // the last paragraph that bold words with a colon head
}

func (o *outline) heading(level int, title string) {
	o.leave(level)
	o.flush()
	if title = clip(strings.Join(strings.Fields(title), " ")); title != "" {
		o.levels, o.trail = append(o.levels, level), append(o.trail, title)
		if o.document.Title == "" {
			o.document.Title = title
		}
	}
}

// leave ends the sections of a level and those within them.
func (o *outline) leave(level int) {
	for len(o.levels) > 0 && o.levels[len(o.levels)-1] >= level {
		o.flush()
		o.levels, o.trail = o.levels[:len(o.levels)-1], o.trail[:len(o.trail)-1]
	}
}

// term notes a term that the next paragraph describes, and begins with.
func (o *outline) term(s string) {
	if o.lead != "" {
		s = o.lead + ", " + s
	}
	o.lead = s
}

// paragraph adds a block of text; close blocks, such as the items of a list,
// stand on the next line of the one before.
func (o *outline) paragraph(s string, closely bool) {
	if s = strings.TrimSpace(s); s == "" {
		return
	}
	if o.lead != "" {
		s, o.lead, closely = o.lead+": "+s, "", true
	}
	if o.body.Len() > 0 {
		if closely {
			o.body.WriteString("\n")
		} else {
			o.body.WriteString("\n\n")
		}
	}
	o.body.WriteString(s)
}

// table adds rows that keep their column headings: "Adult, single: Little Sorrel
// £6.20; Hallow Point £9.80."
func (o *outline) table(rows [][]string) {
	rows = slices.DeleteFunc(rows, func(row []string) bool { return strings.Join(row, "") == "" })
	// What stands in one cell above the columns is said of the table.
	for len(rows) > 2 && filled(rows[0][:1]) == 1 && filled(rows[0]) == 1 && filled(rows[1]) > 1 && filled(rows[2]) > 1 {
		o.paragraph(strings.Join(rows[0], ""), false)
		rows = rows[1:]
	}
	if len(rows) < 2 {
		for _, row := range rows {
			o.paragraph(strings.Join(row, "; "), false)
		}
		return
	}
	var head []string
	if namesColumns(rows) {
		for _, title := range rows[0] {
			head = append(head, text.Short(title, 80)) // it is said with each row
		}
		rows = rows[1:]
	}
	for i, row := range rows {
		var cells []string
		for j, cell := range row {
			cell = strings.ReplaceAll(cell, "; ", ", ") // what parts the cells
			switch {
			case j == 0 || cell == "":
			case j >= len(head) || len(head) == 2 && len(strings.Fields(head[j])) > 2:
				cells = append(cells, cell) // what the one column holds need not be said each time
			default:
				cells = append(cells, strings.TrimSpace(head[j]+" "+cell))
			}
		}
		if said := strings.Join(cells, "; "); row[0] == "" {
			o.paragraph(said, i > 0)
		} else {
			o.paragraph(row[0]+": "+said+".", i > 0)
		}
	}
}

// namesColumns reports whether the first row of a table names its columns. Of two columns it may
// be the first of what is listed: "Telephone | 01632 960 444".
func namesColumns(rows [][]string) bool {
	if len(rows[0]) != 2 {
		return true
	}
	title, about := strings.TrimSpace(rows[0][0]), strings.TrimSpace(rows[0][1])
	return title == "" || !strings.ContainsAny(about, "0123456789£$€@.") && len(strings.Fields(about)) <= longestTerm/3 && !strings.HasSuffix(title, ":") && !text.IsTime(text.Fold(title))
}

// filled is how many cells of a row hold something.
func filled(row []string) (n int) {
	for _, cell := range row {
		if strings.TrimSpace(cell) != "" {
			n++
		}
	}
	return n
}

func (o *outline) flush() {
	if o.lead != "" {
		lead := o.lead
		o.lead = ""
		o.paragraph(lead, false)
	}
	if o.body.Len() > 0 {
		o.document.Sections = append(o.document.Sections, knowledge.Section{Trail: slices.Clone(o.trail), Text: o.body.String()})
		o.body.Reset()
	}
}

func (o *outline) done() knowledge.Document {
	o.flush()
	o.removeContents()
	for i := range o.document.Sections {
		section := &o.document.Sections[i]
		section.Text = dotted.ReplaceAllString(section.Text, "$1: $2")
	}
	o.liftQuestions()
	return o.document
}

// liftQuestions makes headings of paragraphs that are a question, with what answers it below: a
// page may set them apart by nothing but its style.
func (o *outline) liftQuestions() {
	var lifted []knowledge.Section
	for _, section := range o.document.Sections {
		paragraphs := strings.Split(section.Text, "\n\n")
		trail, from := section.Trail, 0
		add := func(to int) {
			if from < to {
				lifted = append(lifted, knowledge.Section{Trail: trail, Text: strings.Join(paragraphs[from:to], "\n\n")})
			}
			from = to
		}
		for i, p := range paragraphs[:len(paragraphs)-1] {
			if isQuestion(p) && !isQuestion(paragraphs[i+1]) {
				add(i)
				trail, from = append(slices.Clone(section.Trail), p), i+1
			}
		}
		add(len(paragraphs))
	}
	o.document.Sections = lifted
}

// isQuestion reports whether a paragraph is one question, and no item of a list.
func isQuestion(p string) bool {
	return strings.HasSuffix(p, "?") && utf8.RuneCountInString(p) <= longestHeading && startsWith.MatchString(p) && !strings.ContainsAny(p, "\n") && len(text.Sentences(p)) == 1
}

// mostRepeated is how many headings a section may repeat before it is taken for
// a table of contents.
const mostRepeated = 3

// removeContents takes tables of contents out: lines that only repeat the
// headings of the document, and lines that lead to pages by a row of dots. They
// hold the words of every question and answer none.
func (o *outline) removeContents() {
	headings, lastWords := map[string]bool{}, map[string]bool{}
	for _, section := range o.document.Sections {
		for _, heading := range section.Trail {
			heading = bare(heading)
			headings[heading], lastWords[lastWord(heading)] = true, true
		}
	}
	repeats := func(line string) bool {
		last := lastWord(line)
		endsInNumber := last != "" && last[len(last)-1] >= '0' && last[len(last)-1] <= '9'
		return (endsInNumber || lastWords[last]) && headings[bare(line)] || isLead(line)
	}
	for i := range o.document.Sections {
		section := &o.document.Sections[i]
		lead := isLead(section.Text)
		if !lead && strings.Count(section.Text, "\n")+1 < mostRepeated {
			continue
		}
		lines := strings.Split(section.Text, "\n")
		n := 0
		for _, line := range lines {
			if repeats(line) {
				n++
			}
		}
		if n >= mostRepeated || n > 0 && lead {
			lines = slices.DeleteFunc(lines, func(line string) bool { return repeats(line) || isContents(line) })
			section.Text = strings.TrimSpace(manyBreaks.ReplaceAllString(strings.Join(lines, "\n"), "\n\n"))
		}
	}
	o.document.Sections = slices.DeleteFunc(o.document.Sections, func(s knowledge.Section) bool { return s.Text == "" })
}

var (
	leads      = regexp.MustCompile(`(?:\.{4,}|(?:\. ){4,}|…{2,})\s*\d+`)
	dotted     = regexp.MustCompile(`(?m)^(.{2,80}?[^\s.…])\s*(?:\.{4,}|(?:\. ){4,}|…{2,})\s*(\S.{0,60})$`) // a price list: "Lamb ...... £12"
	manyBreaks = regexp.MustCompile(`\n{3,}`)
	pageNumber = regexp.MustCompile(`[\s.…]+\d+$`)
	contents   = regexp.MustCompile(`(?i)^(?:table of )?contents:?$`)
)

// bare is a heading without its number, for comparing.
func bare(heading string) string {
	heading = strings.TrimPrefix(strings.TrimSpace(heading), knowledge.ItemMark)
	heading = text.Unnumbered(heading)
	return strings.ToLower(strings.TrimSpace(pageNumber.ReplaceAllString(heading, "")))
}

// lastWord is the last word of a line in small letters; most lines are told from
// headings by it.
func lastWord(line string) string {
	line = strings.TrimSpace(line)
	return strings.ToLower(line[strings.LastIndexByte(line, ' ')+1:])
}

// isLead reports whether a text leads to a page by a row of dots.
func isLead(s string) bool {
	return (strings.Contains(s, "....") || strings.Contains(s, ". . .") || strings.Contains(s, "……")) && leads.MatchString(s)
}

func isContents(line string) bool { return contents.MatchString(strings.TrimSpace(line)) }
