package flow

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/workspace"
)

// A Checked flow is one that was held against its workspace, with its expressions
// compiled. It does not change, and is safe for concurrent use.
type Checked struct {
	*Flow
	Settings workspace.Settings
	Mail     string // the only connection to a mail server; "" if there is none, or several
	env      *environment
	texts    map[*Arg]filling
	values   map[*Arg]*expression
	kinds    map[string]Kind // of what is saved
	event    map[string]Given
	asked    map[string]bool // values that are put to bots as questions
}

// TakesQuestions reports whether a value is put to a bot as a question: then what the customer
// asks where it is waited for is the value, and nothing in between.
func (c *Checked) TakesQuestions(name string) bool { return c.asked[name] }

// Checking is the work on one check: what the Check functions of steps and triggers are
// given.
type Checking struct {
	*Checked
	document.Directory
	findings []document.Finding
	implied  []string // what is known where replied holds: the question that stays open
	never    bool     // inside what was said to be never reached already
}

// Check holds a flow against its workspace. All that is wrong is found at once; only
// warnings leave a flow that can run.
func (f *Flow) Check(d document.Directory) (*Checked, []document.Finding) {
	settings, _ := d.Find("settings", "").(workspace.Settings)
	c := &Checking{Directory: d, Checked: &Checked{
		Flow: f, Settings: settings, texts: map[*Arg]filling{}, values: map[*Arg]*expression{}, kinds: map[string]Kind{}, event: map[string]Given{}, asked: map[string]bool{},
	}}
	c.Mail = c.onlyMail()
	for _, field := range head {
		arg := f.head[field.Name]
		switch {
		case arg == nil:
		case strings.Contains(arg.Text, "{{"):
			c.Wrong(arg.At, "%q holds for every run, so that nothing can be filled in here", field.Name)
		case arg.Field.Kind != "":
			c.name(arg)
		}
	}
	c.events()
	c.saved()
	c.infer()
	vars := c.variables()
	env, err := newEnvironment(vars, settings.Language, settings.Zone().String(), d.Names("hours"))
	if err != nil {
		c.Wrong(f.Body.At, "its expressions cannot be read: %v", err)
		return c.Checked, c.findings
	}
	c.env, env.among = env, c.domains()
	for _, t := range f.Triggers {
		c.trigger(t)
	}
	c.block(f.Body, scope{})
	c.whole()
	slices.SortStableFunc(c.findings, func(a, b document.Finding) int { return cmp.Or(a.Line-b.Line, a.Column-b.Column) })
	return c.Checked, c.findings
}

// onlyMail is the one connection to a mail server, "" if there is none, or several.
func (c *Checking) onlyMail() (only string) {
	for _, name := range c.Names("connection") {
		if conn, ok := c.Find("connection", name).(workspace.Connection); ok && conn.Kind == workspace.MailServer {
			if only != "" {
				return ""
			}
			only = name
		}
	}
	return only
}

// Wrong notes what is wrong at a place.
func (c *Checking) Wrong(at Place, format string, args ...any) { c.note(at, false, format, args...) }

// Doubt notes what may be wrong at a place: a warning.
func (c *Checking) Doubt(at Place, format string, args ...any) { c.note(at, true, format, args...) }

const mostFindings = 100

func (c *Checking) note(at Place, warning bool, format string, args ...any) {
	if c.unread[at] {
		return // why it could not be read is told already
	}
	if len(c.findings) < mostFindings {
		c.findings = append(c.findings, document.Finding{Problem: document.Problem{File: c.file, Line: at.Line, Column: at.Column, Message: fmt.Sprintf(format, args...)}, Warning: warning})
	}
}

// Fields are the fields of contacts.
func (c *Checking) Fields() contact.Fields { return c.Settings.Fields }

// events gathers what the event may hold: what every trigger brings is always there.
func (c *Checking) events() {
	for i, t := range c.Triggers {
		given := map[string]Given{"kind": {AText, true}}
		if t.Kind.Event != nil {
			for name, g := range t.Kind.Event(c, t) {
				given[name] = g
			}
		}
		for name, g := range given {
			before, ok := c.event[name]
			switch {
			case !ok:
				g.Always = g.Always && i == 0
			case before.Kind != g.Kind:
				g = Given{Any, g.Always && before.Always}
			default:
				g.Always = g.Always && before.Always
			}
			c.event[name] = g
		}
		for name, before := range c.event {
			if _, ok := given[name]; !ok {
				c.event[name] = Given{before.Kind, false}
			}
		}
	}
}

// saved gathers what the steps save, and its kinds.
func (c *Checking) saved() {
	where := map[string]*Step{}
	c.Each(func(s *Step, _ int) {
		for name, kind := range s.sets() {
			if field, ok := strings.CutPrefix(name, "contact."); ok {
				c.contactField(s.Args["save"], field, kind)
				continue
			}
			if before, ok := c.kinds[name]; ok && before != kind && before != Any && kind != Any {
				c.Wrong(s.At, "%s is %s here, and %s in line %d; save it under another name", name, spoken(kind), spoken(before), where[name].At.Line)
				continue
			}
			if where[name] == nil {
				where[name] = s
			}
			c.kinds[name] = kind
		}
	})
}

func spoken(k Kind) string {
	switch k {
	case ANumber, AText, ATime, AList, ARecord:
		return "a " + string(k)
	}
	return string(k)
}

// sets returns the values that a step sets, with their kinds.
func (s *Step) sets() map[string]Kind {
	sets := map[string]Kind{}
	if s.Kind.Sets != nil {
		for name, kind := range s.Kind.Sets(s) {
			sets[name] = kind
		}
	}
	if s.Has("save") && s.Kind.Saves != nil {
		sets[s.Raw("save")] = s.Kind.Saves(s)
	}
	return sets
}

// contactField notes a field of the contact that is not there, or of another kind.
func (c *Checking) contactField(arg *Arg, name string, kind Kind) {
	field, ok := c.Fields().Named(name)
	switch {
	case arg == nil:
	case !ok:
		c.unknown(arg.At, "contacts have no field %q", name, c.fieldNames(), "; fields are declared in the settings")
	case kind != Any && kind != fieldKind(field):
		c.Wrong(arg.At, "contact.%s is %s; this saves %s", name, spoken(fieldKind(field)), spoken(kind))
	}
}

func (c *Checking) fieldNames() (names []string) {
	for _, f := range c.Fields() {
		names = append(names, f.Name)
	}
	return names
}

func fieldKind(f contact.Field) Kind {
	if f.Type == contact.Number {
		return ANumber
	}
	return AText
}

// variables are the names that the flow's expressions may use.
func (c *Checking) variables() map[string]variable {
	vars := map[string]variable{
		"now": {ATime, false}, "workspace.title": {AText, false}, "run.id": {AText, false}, "run.started": {ATime, false},
		"contact.first_name": {AText, true}, "contact.stage": {AText, false}, "contact.tags": {AList, false},
		"conversation.id": {AText, false}, "conversation.channel": {AText, false}, "conversation.transcript": {AText, false}, "conversation.whole_transcript": {AText, false},
		"conversation.last_customer": {AText, false}, "conversation.last_bot": {AText, false}, "conversation.messages": {ANumber, false},
		"conversation.opened": {ATime, false}, "conversation.reason": {AText, false}, "conversation.outcome": {AText, false}, "conversation.complaints": {ANumber, false}, "conversation.tags": {AList, false},
		"message.text": {AText, false}, "message.at": {ATime, false},
		"round": {ANumber, false}, "item": {Any, false}, "number": {ANumber, false},
	}
	for _, f := range c.Fields() {
		vars["contact."+f.Name] = variable{fieldKind(f), true}
		vars["memory."+f.Name] = variable{fieldKind(f), true}
	}
	for name, g := range c.event {
		vars["event."+name] = variable{g.Kind, !g.Always}
	}
	for name, kind := range c.kinds {
		vars[name] = variable{kind, false}
	}
	return vars
}

// always are the names that are there everywhere.
var always = []string{"now"}

func (c *Checking) trigger(t *Trigger) {
	brings := slices.Clone(always)
	if t.Kind.Event != nil {
		for name, g := range t.Kind.Event(c, t) {
			if g.Always { // whatever other triggers bring
				brings = append(brings, "event."+name)
			}
		}
	}
	c.args(t.Args, scope{}.with(brings...))
	if t.Kind.Missing != "" {
		c.Wrong(t.At, "the trigger %s cannot fire yet: %s", t.Kind.Name, t.Kind.Missing)
	}
	if t.Kind.Check != nil {
		t.Kind.Check(c, t)
	}
}

// args compiles the expressions of fields.
func (c *Checking) args(args Args, known scope) {
	for _, name := range sortedKeys(args) {
		c.arg(args[name], known)
	}
}

func (c *Checking) arg(arg *Arg, known scope) {
	if arg.Unread {
		return
	}
	switch arg.Field.Type {
	case Text:
		c.text(arg, known)
	case Condition:
		c.expression(arg, known, AFlag)
	case Value:
		c.expression(arg, known, "")
	case Cells:
		for _, cell := range arg.Cells {
			c.text(cell.Arg, known)
		}
	case Texts:
		for _, t := range arg.Texts {
			c.text(t, known)
		}
	case Object:
		c.args(arg.Object, known)
	case Objects:
		for _, item := range arg.Objects {
			c.args(item, known)
		}
	case Name:
		c.name(arg)
	case Words:
		c.secrets(arg)
	}
}

// secretLike is what a secret looks like that somebody wrote into a text.
var secretLike = regexp.MustCompile(`(?i)\b(?:api[-_ ]?key|secret|token|password|passwd|bearer)\b\s*[:=]?\s*["']?[a-z0-9+/_\-]{12,}|\b(?:whsec|sk|pk|ghp|xox[a-z])[_-][a-z0-9_\-]{12,}|\beyJ[a-zA-Z0-9_\-]{10,}\.[a-zA-Z0-9_\-]{10,}`)

func (c *Checking) secrets(arg *Arg) {
	if secretLike.MatchString(arg.Text) {
		c.Wrong(arg.At, "a secret seems to stand in the text; keep it with a connection: parrot connection secret NAME")
	}
}

// place is where a byte of an argument's text stands.
func (a *Arg) place(offset int) Place {
	before := a.Text[:min(offset, len(a.Text))]
	if strings.Contains(a.Text, "\n") {
		return Place{a.At.Line + strings.Count(before, "\n"), a.At.Column}
	}
	return Place{a.At.Line, a.At.Column + a.offset + len([]rune(before))}
}

// text compiles a text with expressions in it.
func (c *Checking) text(arg *Arg, known scope) {
	c.secrets(arg)
	var f filling
	rest, offset := arg.Text, 0
	for rest != "" {
		before, after, found := strings.Cut(rest, "{{")
		if before != "" {
			f.pieces = append(f.pieces, piece{text: before})
		}
		if !found {
			break
		}
		offset += len(before) + 2
		inner, next, closed := strings.Cut(after, "}}")
		if !closed {
			c.Wrong(arg.place(offset-2), "%v", errUnclosed)
			break
		}
		source := strings.TrimSpace(inner)
		lead := len(inner) - len(strings.TrimLeft(inner, " \t\n"))
		if source == "" {
			c.Wrong(arg.place(offset), "nothing stands between {{ and }}")
		} else if x, wrong := c.env.compile(source, known); wrong != nil {
			c.Wrong(arg.place(offset+lead+wrong.offset), "%s", wrong.words)
		} else {
			f.pieces = append(f.pieces, piece{expression: x})
			for _, d := range x.doubts {
				c.Doubt(arg.place(offset+lead+d.offset), "%s", d.words)
			}
			for _, name := range x.uses {
				c.asked[name] = c.asked[name] || arg.Field.Question
			}
		}
		offset += len(inner) + 2
		rest = next
	}
	c.texts[arg] = f
}

// expression compiles an expression of a kind, "" for any.
func (c *Checking) expression(arg *Arg, known scope, want Kind) {
	x, wrong := c.env.compile(arg.Text, known)
	if wrong != nil {
		c.Wrong(arg.place(wrong.offset), "%s", wrong.words)
		return
	}
	if want == AFlag && x.kind != AFlag && x.kind != Any {
		c.Wrong(arg.At, "%q must be true or false; this is %s", arg.Field.Name, spoken(x.kind))
		return
	}
	for _, d := range x.doubts {
		c.Doubt(arg.place(d.offset), "%s", d.words)
	}
	c.values[arg] = x
}

// name checks that what is named is there.
func (c *Checking) name(arg *Arg) {
	kind, name := arg.Field.Kind, arg.Text
	if strings.Contains(name, "{{") {
		c.text(arg, scope{}.with(always...))
		return
	}
	missing := func(known []string, hint string) {
		c.unknown(arg.At, "there is no "+strings.ReplaceAll(kind, "_", " ")+" called %q", name, known, hint)
	}
	switch kind {
	case "", "any":
	case "stage":
		var known []string
		for _, s := range c.Settings.Stages {
			known = append(known, s.Name)
		}
		if !slices.Contains(known, name) {
			missing(known, "; stages are declared in the settings")
		}
	case "tag":
		if !slices.Contains(c.Settings.Tags, name) {
			missing(c.Settings.Tags, "; tags are declared in the settings")
		}
	case "field":
		if _, ok := c.Fields().Named(name); !ok {
			missing(c.fieldNames(), "; fields are declared in the settings")
		}
	case "zone":
		if _, err := time.LoadLocation(name); err != nil {
			c.Wrong(arg.At, "%q is not a time zone; write one like Europe/London", name)
		}
	case "people":
		of, who, ok := strings.Cut(name, "/")
		if !ok && strings.Contains(name, "@") {
			return // a mail address
		}
		if !ok || of != "person" && of != "team" && of != "bot" {
			c.Wrong(arg.At, "%q is nobody; write team/NAME, person/NAME or bot/NAME", clipped(name))
		} else if c.Find(of, who) == nil {
			c.unknown(arg.At, "there is no "+of+" called %q", who, c.Names(of), "")
		}
	default:
		if c.Find(kind, name) == nil {
			missing(c.Names(kind), "")
		}
	}
}

// unknown notes a name that is not known, with the one that may be meant or all that are.
func (c *Checking) unknown(at Place, format, word string, known []string, hint string) {
	said := fmt.Sprintf(format, clipped(word))
	known = slices.Sorted(slices.Values(known))
	switch nearest := document.Nearest(word, known); {
	case nearest != "":
		c.Wrong(at, "%s; did you mean %q?", said, nearest)
	case len(known) == 0:
		c.Wrong(at, "%s: there is none yet%s", said, hint)
	case len(known) > 20:
		c.Wrong(at, "%s%s", said, hint)
	default:
		c.Wrong(at, "%s; there are: %s%s", said, strings.Join(known, ", "), hint)
	}
}

// whole looks at what can be seen only of the whole flow.
func (c *Checking) whole() {
	for _, t := range c.Triggers {
		if !c.Talks() || t.Kind.Talks {
			continue
		}
		speaks := c.SpeakOn != ""
		switch {
		case t.Kind.NoContact && !c.eachTalks():
			c.Wrong(t.At, "the trigger %s brings nobody to talk to, and the flow says something; say it in a loop over contacts, or start another flow for each", t.Kind.Name)
		case !speaks:
			c.Doubt(t.At, "the trigger %s brings no conversation: the flow speaks on the channel that the contact used last; set speak_on for those who have used none", t.Kind.Name)
		}
	}
	c.Each(func(s *Step, _ int) {
		for _, t := range c.Triggers {
			if t.Kind.FiredBy == nil || !t.Kind.FiredBy(t, s) {
				continue
			}
			if t.Has("if") {
				c.Doubt(s.At, "this starts the flow again, by its trigger %s in line %d, if that one's condition holds then", t.Kind.Name, t.At.Line)
			} else {
				c.Wrong(s.At, "this starts the flow again, by its trigger %s in line %d", t.Kind.Name, t.At.Line)
			}
		}
	})
	for _, name := range c.Names("flow") {
		other, ok := c.Find("flow", name).(*Flow)
		if !ok || name == c.Name {
			continue
		}
		for _, mine := range c.Triggers {
			for _, theirs := range other.Triggers {
				if mine.Kind == theirs.Kind && mine.Kind.Overlaps != nil {
					if both := mine.Kind.Overlaps(mine, theirs); both != "" {
						c.Doubt(mine.At, "the flow %s starts by the same (%s); whichever stands first in the alphabet takes it", name, both)
					}
				}
			}
		}
	}
}

// eachTalks reports whether every step that talks stands in a loop over a list.
func (c *Checking) eachTalks() bool {
	inside := map[*Step]bool{}
	c.Each(func(s *Step, _ int) {
		if s.Kind.Leads == LeadsLoop && s.overList() {
			s.Block("steps").each(func(inner *Step, _ int) { inside[inner] = true }, 0)
		}
	})
	all := true
	c.Each(func(s *Step, _ int) { all = all && (!s.Kind.Talks || inside[s]) })
	return all
}
