// Package support holds sentences against what they claim to stand on: whether the
// numbers, times and names in them are there, whether they deny what is said or leave out
// what it depends on, whether they promise or add anything. It does not trust whoever
// wrote them.
package support

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/text"
)

// A Sentence is one of a reply, with the passages that it claims to stand on.
type Sentence struct {
	Says     string
	Language string   // that it is in, ISO 639-1; "": to be guessed
	Means    string   // what it says in the language of the passages, where it is in another; "" if it is not
	On       []string // ids of passages
}

// A Ground is a passage that sentences may stand on.
type Ground struct {
	ID    string
	Heads []string // the headings above it, or the question that it answers
	Text  string
}

// A Fault is what is wrong with a sentence.
type Fault string

// What may be wrong.
const (
	NoGround     Fault = "stands on nothing"
	WrongNumber  Fault = "a number that is not there"
	WrongTime    Fault = "a time that is not there"
	WrongName    Fault = "a name that is not there"
	WrongLink    Fault = "an address that is not there"
	Denies       Fault = "says the opposite"
	Unqualified  Fault = "leaves out a condition"
	Promises     Fault = "promises what is not said"
	Adds         Fault = "adds something"
	Unlike       Fault = "says something else"
	BadRendering Fault = "its translation differs"
)

// A Finding says whether a sentence is supported.
type Finding struct {
	Sentence
	Fault  Fault  // "": it is
	Why    string // what is not supported, in words for people
	Polite bool   // it says nothing that would need support
}

// A Checker holds sentences against passages. It is safe for concurrent use if its
// functions are.
type Checker struct {
	Analyzer *text.Analyzer                               // of the passages' language
	Language string                                       // of the passages, ISO 639-1
	Weight   func(t text.Term) float64                    // how much a term tells; nil: all the same
	Names    []string                                     // that may be used anywhere: the business, the bot, the customer
	Said     string                                       // what the customer said: it may be taken up
	Like     func(sentence string, ground Ground) float64 // likeness of meaning to the nearest sentence of a passage, 0 to 1; nil: not known
}

// Check holds a whole reply against the passages, and returns what it finds of each
// sentence, in order.
func (c Checker) Check(reply []Sentence, grounds []Ground) []Finding {
	findings := make([]Finding, len(reply))
	whole := make([]string, len(reply))
	for i, s := range reply {
		whole[i] = s.inKnowledge()
	}
	for i, s := range reply {
		findings[i] = c.check(s, on(s, grounds), strings.Join(whole, " "))
	}
	return findings
}

// inKnowledge is what a sentence says in the language of the passages.
func (s Sentence) inKnowledge() string {
	if s.Means != "" {
		return s.Means
	}
	return s.Says
}

func on(s Sentence, grounds []Ground) (list []Ground) {
	for _, g := range grounds {
		if slices.Contains(s.On, g.ID) {
			list = append(list, g)
		}
	}
	return list
}

func (c Checker) check(s Sentence, grounds []Ground, reply string) Finding {
	f := Finding{Sentence: s}
	wrong := func(fault Fault, format string, args ...any) Finding {
		f.Fault, f.Why = fault, fmt.Sprintf(format, args...)
		return f
	}
	if s.Means != "" {
		if why := c.renders(s); why != "" {
			return wrong(BadRendering, "%s", why)
		}
	}
	says := s.inKnowledge()
	if c.polite(says) {
		f.Polite = true
		return f
	}
	if len(grounds) == 0 {
		return wrong(NoGround, "it names no passage that it was given")
	}
	g := c.ground(grounds)
	if why := g.lacksLink(says); why != "" {
		return wrong(WrongLink, "%q is in no passage that it names", why)
	}
	if q, ok := g.lacksQuantity(says, c.Said); ok {
		fault := WrongNumber
		if q.kind == "clock" || q.kind == "day" || q.kind == "minutes" || q.kind == "days" || q.kind == "months" {
			fault = WrongTime
		}
		return wrong(fault, "%q is in no passage that it names", q.shown)
	}
	if day := g.lacksDay(says); day != "" {
		return wrong(WrongTime, "%q is in no passage that it names", day)
	}
	if name := c.lacksName(says, g); name != "" {
		return wrong(WrongName, "%q is in no passage that it names", name)
	}
	if what := c.promise(says, g); what != "" {
		return wrong(Promises, "%q is not said there", what)
	}
	h := c.hold(says, g)
	if h.share < leastShare && h.like < surelyAlike || h.share < hardlyAny {
		return wrong(Unlike, "the passages say little of it: %s", strings.Join(h.extra, ", "))
	}
	if len(h.extra) > 0 && (h.share < mostShare || h.adds) && h.like < surelyAlike {
		return wrong(Adds, "not said there: %s", strings.Join(h.extra, ", "))
	}
	if scattered := c.scattered(says, g); scattered != "" {
		return wrong(Unlike, "no sentence there says %q", scattered)
	}
	if why := c.denial(says, g, h); why != "" {
		return wrong(Denies, "%s", why)
	}
	if word := c.hedge(says, h); word != "" {
		return wrong(Unqualified, "it leaves out %q", word)
	}
	if lost := c.lost(says, g, h, reply); lost != "" {
		return wrong(Unqualified, "it leaves out %q", lost)
	}
	return f
}

// What share of a sentence's telling words, by weight, must be in its passages: so much in
// any case, so much where its meaning is not surely like theirs, and so much where the words
// that are added are the customer's own. Any other word that is not there is an addition.
const (
	hardlyAny   = 0.34
	leastShare  = 0.5
	mostShare   = 0.7
	surelyAlike = 0.86
)

// ground is what sentences are held against, taken apart.
type ground struct {
	text       string // headings and texts of all
	folded     string
	sentences  []string
	stems      map[string]bool
	quantities []quantity
	days       map[string]bool
	of         []Ground
}

func (c Checker) ground(grounds []Ground) *ground {
	g := &ground{stems: map[string]bool{}, of: grounds}
	var all []string
	for _, one := range grounds {
		all = append(all, strings.Join(one.Heads, ". "), one.Text)
		for _, span := range text.Sentences(one.Text) {
			g.sentences = append(g.sentences, one.Text[span.Start:span.End])
		}
	}
	g.text = strings.Join(all, "\n")
	g.folded = text.Fold(g.text)
	for _, form := range []string{g.text, turned(g.text)} {
		for _, t := range c.Analyzer.Terms(form) {
			g.stems[t.Stem], g.stems[c.stem(t.Word)] = true, true
		}
	}
	g.quantities = quantitiesOf(g.text)
	g.days = daysOf(g.text)
	return g
}

var links = regexp.MustCompile(`(?i)\b(?:https?://|www\.)\S+|\b[\w.+-]+@[\w-]+(?:\.[\w-]+)+|\b[\w-]+(?:\.[\w-]+)*\.(?:com|org|net|example|info|io|eu|uk|de|fr)\b(?:/\S*)?`)

func (g *ground) lacksLink(says string) string {
	for _, link := range links.FindAllString(says, -1) {
		if link = strings.TrimRight(link, ".,;:!?)"); !strings.Contains(strings.ToLower(g.text), strings.ToLower(link)) {
			return link
		}
	}
	return ""
}

func (g *ground) lacksQuantity(says, said string) (quantity, bool) {
	for _, q := range quantitiesOf(says) {
		if slices.ContainsFunc(g.quantities, q.same) || q.kind == "" && takenUp(q, says, said) {
			continue
		}
		return q, true
	}
	return quantity{}, false
}

// takenUp reports whether a bare number is the customer's own, told again with the same
// word beside it: "for your 34 pupils".
func takenUp(q quantity, says, said string) bool {
	return said != "" && strings.Contains(text.Fold(said), text.Fold(q.shown)) && len(text.Words(q.shown)) > 1
}

func (g *ground) lacksDay(says string) string {
	for day := range daysOf(says) {
		if !g.days[day] {
			return day
		}
	}
	return ""
}

// lacksName returns a name in a sentence that neither the passages nor the customer know.
func (c Checker) lacksName(says string, g *ground) string {
	for _, w := range text.Words(says) {
		if !text.IsNamed(says, w) && !coded(says[w.Start:w.End]) || len(w.Folded) < 2 || c.Analyzer.IsStop(says[w.Start:w.End], w.Folded) {
			continue
		}
		if strings.Contains(g.folded, w.Folded) || g.stems[c.Analyzer.Stem(w.Folded)] || isWeekday(w.Folded) {
			continue
		}
		if slices.ContainsFunc(c.Names, func(name string) bool { return strings.Contains(text.Fold(name), w.Folded) }) {
			continue
		}
		if months[w.Folded] != "" {
			continue // looked at with the times
		}
		return says[w.Start:w.End]
	}
	return ""
}

func isWeekday(folded string) bool {
	_, ok := weekdays[strings.TrimSuffix(folded, "s")]
	return ok
}

var code = regexp.MustCompile(`^(?:[A-Z]{2,}[0-9]*|[A-Za-z]+[0-9]+[A-Za-z0-9]*)$`)

func coded(word string) bool { return code.MatchString(word) }

// Promising is what somebody says who commits themselves; done what they say that they have
// done, which no passage can bear out.
var (
	promising = regexp.MustCompile(`(?i)\b(?:(?:i|we)(?:'|’)?(?:ll| will| shall) (?:\w+ )?(\w+)|(guarantee\w*|promise\w*|assure\w*|rest assured)|(?:i|we)(?:'|’)?(?:m| am|re| are) (?:now |just )?((?:\w+)ing)|you(?:'|’)?(?:ll| will) (?:\w+ )?(receive|get|be \w+))`)
	done      = regexp.MustCompile(`(?i)\b(?:i|we)(?:'|’)?(?:ve| have) (?:just |now |already |also )*(\w+ed|sent|made|done|given|paid|put|set|taken|found|told|got|written|spoken|left|chosen)\b`)
)

// harmless are verbs by which nobody commits themselves.
var harmless = text.Set("be glad happy pleased hear see let know need want try have help tell ask find look forward afraid sorry able only not")

// promise returns a promise, or a deed, that the passages do not hold.
func (c Checker) promise(says string, g *ground) string {
	for _, m := range done.FindAllString(says, -1) {
		if !strings.Contains(g.folded, text.Fold(m)) {
			return m
		}
	}
	for _, m := range promising.FindAllStringSubmatch(says, -1) {
		verb := strings.TrimPrefix(strings.ToLower(m[1]+m[2]+m[3]+m[4]), "be ")
		if verb == "" || harmless[verb] && m[2] == "" && m[4] == "" {
			continue
		}
		if !g.holds(c.Analyzer, c.stem(text.Fold(verb))) {
			return m[0]
		}
	}
	for _, w := range text.Words(says) {
		if absolute[w.Folded] && !g.stems[c.Analyzer.Stem(w.Folded)] {
			return says[w.Start:w.End]
		}
	}
	return ""
}

// absolute are words that say more than passages mostly do.
var absolute = text.Set("always never guaranteed unlimited instantly immediately definitely certainly lifetime")

// courtesy is what may be said without support.
var courtesy = regexp.MustCompile(`(?i)^\W*(?:(?:yes|no|of course|certainly|sure|absolutely|hello|hi|dear|good (?:morning|day|afternoon|evening|question)|thank(?:s| you)(?: (?:very|so) much)?(?: for (?:your|writing|asking|telling|letting|getting|the)` + few + `)?|you(?:'|’)?re (?:very )?welcome|great|lovely|welcome|i(?:'|’)?m (?:happy|glad) to help|(?:i(?:'|’)?m )?(?:so |very |really )?sorry(?: (?:to hear|for|about|that happened|you had)` + few + `)?|i hope (?:this|that) helps|let me know` + few + `|(?:please )?(?:just |feel free to )?(?:ask|tell|let) (?:me|us)` + few + `|if you have (?:any )?(?:other|more|further) questions` + few + `|have a (?:\w+ )?(?:day|trip|journey|crossing|time|evening|weekend)|enjoy your \w+|happy to help|glad to help|safe travels|best wishes|kind regards|here(?: is|'s|’s) what i (?:found|know)|that sounds \w+)[\s,.!–—-]*)+$`)

// few words, which do not begin something new.
const few = `[^,.!?;:0-9–—]{0,60}`

// asking is a question back, which states nothing.
var asking = regexp.MustCompile(`(?i)^\W*(?:(?:and|so|may i ask,?|to be sure,?) )?(?:is there anything|can i|could i|may i|shall i|would you|could you|can you|do you|did you|are you|which|what|when|where|who|how|is it|is that|was it|have you|anything)\b[^.!]*\?$`)

// polite reports whether a sentence states nothing that would need support.
func (c Checker) polite(says string) bool {
	if says = strings.TrimSpace(says); says == "" {
		return true
	}
	if len(quantitiesOf(says)) > 0 || links.MatchString(says) {
		return false
	}
	return courtesy.MatchString(says) || asking.MatchString(says)
}

// A holding is how well passages hold a sentence.
type holding struct {
	share   float64  // of its telling words, by weight
	extra   []string // words that they do not hold
	adds    bool     // one of these is neither the customer's own, nor does it only carry others
	like    float64  // likeness of meaning, 0 if it is not known
	nearest []string // the sentences of the passages that hold most of it, best first
}

// frame are words that reply to somebody, or carry others, and state nothing by themselves.
var frame = text.Set(`yes no please sure course certainly indeed absolutely happy glad sorry thank thanks welcome hello hi note remember kindly simply just also too well right actually fine both half back beside near next behind
	youll well ill theyll youve weve ive theyve im youre were theyre thats theres heres whats its dont doesnt cant wont isnt arent pound pounds euro euros pence dollar dollars am pm past oclock quarter
	hold holds held last lasts lasting take takes taken taking join joins arrive arrives arriving come comes coming bring brings drop drops put puts leave leaves stay stays staying keep keeps kept
	use uses used using user users serve serves served visit visits visitor visitors look looks check checks see sees read start starts begin begins end ends run runs running work works show shows turn turns
	give gives given set sets stand stands lie lies sit sits move moves meet meets become becomes seem seems offer offers call called name named contain contains consist consists apply applies live lives rent hire
	small smaller smallest large larger largest big bigger new old whole entire full various several certain different same similar usual normal regular typical main good great nice short long early late first
	usually normally generally often sometimes mostly nearly almost unfortunately sadly luckily directly straight quickly easily together separately again already soon later first
	inside within between among around about during since because therefore such example instance across along per each every any all some many much more most few one ones other others another
	space spaces spot spots place places area part parts home person people piece pieces kind kinds sort type amount number total side day days time pay
	find found know tell told say says said mean means ask asked question answer information info detail details according passage happen happens happened way ways thing things case
	you your yours we our us i my me it its that this there here able possible let like want need wish can could i may might will would shall should go goes going get gets make makes do does done have has`)

// everyday is how often the list of English has a word that says little by itself, and
// everydayWeight what such a word counts.
const (
	everyday       = 60
	everydayWeight = 0.5
)

func (c Checker) hold(says string, g *ground) (h holding) {
	var all, held float64
	english := c.Analyzer.English()
	for _, t := range c.Analyzer.Telling(turned(says)) {
		if _, isUnit := units[t.Word]; isUnit || frame[t.Word] || text.IsTime(t.Word) || numberWords[t.Word] != "" || isWeekday(t.Word) {
			continue // numbers and times have been looked at
		}
		weight := 1.0
		if t.Light || english && text.English().Times(t.Word) >= everyday {
			weight = everydayWeight
		}
		all += weight
		switch {
		case g.holds(c.Analyzer, c.stem(t.Word)) || g.implies(t.Word):
			held += weight
		case t.Light:
			all -= weight / 2
		default:
			if c.tookUp(t.Stem) {
				all -= weight / 2
			}
			h.extra = append(h.extra, t.Word)
			h.adds = h.adds || english && !c.tookUp(t.Stem)
		}
	}
	if h.share = 1; all > 0 {
		h.share = held / all
	}
	if c.Like != nil && len(h.extra) > 0 {
		for _, one := range g.of {
			h.like = max(h.like, c.Like(says, one))
		}
	}
	h.nearest = c.nearest(says, g)
	return h
}

// stem is a word's, of irregular forms that of the plain one.
func (c Checker) stem(folded string) string {
	if base, ok := irregular[folded]; ok {
		folded = base
	}
	return c.Analyzer.Stem(folded)
}

// irregular forms of verbs and nouns, with the plain one.
var irregular = func() map[string]string {
	forms := map[string]string{}
	for _, list := range strings.Fields(`keep:kept pay:paid send:sent buy:bought bring:brought leave:left lose:lost find:found take:took,taken give:gave,given make:made say:said sell:sold hold:held meet:met
		go:went,gone choose:chose,chosen write:wrote,written know:knew,known catch:caught teach:taught build:built spend:spent lend:lent tell:told think:thought drive:drove,driven ride:rode,ridden
		fly:flew,flown wear:wore,worn break:broke,broken steal:stole,stolen forget:forgot,forgotten begin:began,begun run:ran lay:laid get:got see:saw,seen sleep:slept eat:ate,eaten feed:fed speak:spoke,spoken
		child:children person:people foot:feet man:men woman:women`) {
		base, others, _ := strings.Cut(list, ":")
		for _, form := range strings.Split(others, ",") {
			forms[form] = base
		}
	}
	return forms
}()

// implied are words that a kind of quantity in a passage says without saying it.
var implied = map[string]map[string]bool{
	"money": text.Set("cost costs price priced fee fees charge charged charges pay pays paid fare"),
	"share": text.Set("discount off reduction reduced less cheaper"),
	"call":  text.Set("ring call phone telephone number reach contact"),
}

func (g *ground) implies(word string) bool {
	return slices.ContainsFunc(g.quantities, func(q quantity) bool { return implied[q.kind][word] })
}

// holds reports whether a passage holds a stem, or a word that means nearly the same.
func (g *ground) holds(a *text.Analyzer, stem string) bool {
	if g.stems[stem] {
		return true
	}
	for _, alike := range a.Alike(stem) {
		if g.stems[alike] {
			return true
		}
	}
	word := a.Means(stem)
	return word != "" && g.stems[a.Stem(text.Fold(word))]
}

// tookUp reports whether the customer said a word.
func (c Checker) tookUp(stem string) bool {
	return slices.ContainsFunc(c.Analyzer.Terms(c.Said), func(t text.Term) bool { return t.Stem == stem })
}

// nearest returns the sentences of the passages that share telling words with a sentence,
// those that share most first.
func (c Checker) nearest(says string, g *ground) []string {
	terms := c.Analyzer.Telling(turned(says))
	type near struct {
		sentence string
		shared   float64
	}
	var list []near
	for _, s := range g.sentences {
		shared := c.shared(terms, turned(s))
		if shared > 0 {
			list = append(list, near{s, shared})
		}
	}
	slices.SortStableFunc(list, func(a, b near) int {
		switch {
		case a.shared > b.shared:
			return -1
		case a.shared < b.shared:
			return 1
		}
		return 0
	})
	nearest := make([]string, len(list))
	for i, n := range list {
		nearest[i] = n.sentence
	}
	return nearest
}

// shared is the weight of the terms that a text holds.
func (c Checker) shared(terms []text.Term, s string) (sum float64) {
	stems := map[string]bool{}
	for _, t := range c.Analyzer.Terms(s) {
		stems[t.Stem] = true
	}
	for _, t := range terms {
		if stems[t.Stem] || slices.ContainsFunc(c.Analyzer.Alike(t.Stem), func(a string) bool { return stems[a] }) {
			if t.Light {
				sum += 0.3
			} else {
				sum++
			}
		}
	}
	return sum
}

// gathered is how much of a clause's telling words, by weight, one sentence of the passages
// must hold, with the headings above: words that are there may be put together into what
// nobody says.
const gathered = 0.55

// scattered returns a clause of a sentence that no single sentence of the passages says, ""
// if there is none.
func (c Checker) scattered(says string, g *ground) string {
	for _, clause := range clauses(turned(says)) {
		var terms []text.Term
		weight := 0.0
		for _, t := range c.Analyzer.Telling(clause) {
			if !frame[t.Word] && !t.Light && g.holds(c.Analyzer, c.stem(t.Word)) {
				terms = append(terms, t)
				weight++
			}
		}
		if weight < 2 {
			continue
		}
		best := 0.0
		for _, one := range g.of {
			for i, span := range text.Sentences(one.Text) {
				sentence := one.Text[span.Start:span.End]
				if i > 0 { // what it speaks of may have been named just before
					sentence = one.Text[text.Sentences(one.Text)[i-1].Start:span.End]
				}
				best = max(best, c.shared(terms, turned(strings.Join(one.Heads, " ")+" "+sentence))/weight)
			}
		}
		if best < gathered {
			return strings.TrimSpace(clause)
		}
	}
	return ""
}

// hedged are words that say that something does not hold of all, or not always.
var hedged = text.Set("nearly almost most mostly some usually normally generally often sometimes typically")

// hedge returns a word by which the nearest sentence says that something does not hold of
// all, or not always, where a sentence has none.
func (c Checker) hedge(says string, h holding) string {
	for _, w := range text.Words(says) {
		if hedged[w.Folded] {
			return ""
		}
	}
	if len(h.nearest) > 0 {
		before := ""
		for _, w := range text.Words(h.nearest[0]) {
			atMost := before == "at"
			before = w.Folded
			if hedged[w.Folded] && !atMost {
				return w.Folded
			}
		}
	}
	return ""
}

// denial says where a sentence says the opposite of what its passages say, "" if it does
// not.
func (c Checker) denial(says string, g *ground, h holding) string {
	answer, rest := yesOrNo(says)
	if first := clauses(rest); answer != "" && c.Said != "" && len(first) > 0 && denied(first[0], c.Language) == (answer == "yes") && (answer == "yes" || !denied(rest, c.Language)) && !denied(c.Said, c.Language) && len(text.Words(rest)) > 2 && !strings.Contains(text.Fold(c.Said), " or ") {
		return fmt.Sprintf("it says %q to a question, and behind it the opposite", answer)
	}
	sides := g.sentences
	for _, clause := range clauses(turned(rest)) {
		terms := c.Analyzer.Telling(clause)
		weight := 0.0
		for _, t := range terms {
			if t.Light {
				weight += 0.3
			} else {
				weight++
			}
		}
		if weight < 1 {
			continue
		}
		same, other, against := 0.0, 0.0, ""
		is := denied(clause, c.Language)
		for _, s := range sides {
			for _, theirs := range clauses(turned(s)) {
				shared := c.shared(terms, theirs) / weight
				if denied(theirs, c.Language) == is {
					same = max(same, shared)
				} else if shared > other {
					other, against = shared, theirs
				}
			}
			// What a sentence says as a whole counts too: its clauses may share a subject.
			if turnedWhole := turned(s); denied(turnedWhole, c.Language) == is {
				same = max(same, 0.9*c.shared(terms, turnedWhole)/weight)
			}
		}
		if other > same && other >= 0.5 {
			return fmt.Sprintf("the passage says: %s", strings.TrimSpace(against))
		}
	}
	if len(h.nearest) > 0 {
		ours, theirs := c.stemsOf(says), c.stemsOf(strings.Join(h.nearest[:min(2, len(h.nearest))], " "))
		for _, pair := range opposites {
			one, other := c.stem(pair[0]), c.stem(pair[1])
			if ours[one] && !ours[other] && theirs[other] && !c.stemsOf(g.text)[one] {
				return fmt.Sprintf("it says %q where the passage says %q", pair[0], pair[1])
			}
		}
	}
	return ""
}

func (c Checker) stemsOf(s string) map[string]bool {
	stems := map[string]bool{}
	for _, w := range text.Words(turned(s)) {
		stems[c.stem(w.Folded)] = true
	}
	return stems
}

var leading = regexp.MustCompile(`(?i)^\W*(yes|yep|no|nope|ja|nein|oui|non|sí|si|nee)\s*[,.!–—:;-][\s,.!–—:-]*`)

// yesOrNo takes a yes or no from the beginning of a sentence.
func yesOrNo(says string) (answer, rest string) {
	m := leading.FindStringSubmatch(says)
	if m == nil {
		return "", says
	}
	answer = "no"
	switch strings.ToLower(m[1]) {
	case "yes", "yep", "ja", "oui", "sí", "si":
		answer = "yes"
	}
	return answer, says[len(m[0]):]
}

// lost returns a condition of the passage that neither the sentence nor the rest of the
// reply tells, "" if there is none.
func (c Checker) lost(says string, g *ground, h holding, reply string) string {
	if len(h.nearest) == 0 {
		return ""
	}
	terms := c.Analyzer.Telling(turned(says))
	most := c.shared(terms, turned(h.nearest[0]))
	told := map[string]bool{}
	for _, t := range c.Analyzer.Terms(reply) {
		told[t.Stem] = true
	}
	for _, near := range h.nearest {
		if c.shared(terms, turned(near)) < most {
			break
		}
		list := conditions(near)
		if at := slices.Index(g.sentences, near); at >= 0 && at+1 < len(g.sentences) && takesBack.MatchString(g.sentences[at+1]) {
			list = append(list, g.sentences[at+1])
		}
		for _, condition := range list {
			if !c.tells(told, reply, condition) {
				return condition
			}
		}
	}
	return ""
}

// supposes begins a condition that may be said in many words, and supposed is how.
var (
	supposes = regexp.MustCompile(`(?i)^(?:if|provided|as long as|so long as)\b`)
	supposed = regexp.MustCompile(`(?i)\b(?:if|when|should|in case|provided|as long as|so long as|where|once|without|who)\b`)
)

// tells reports whether a reply holds a condition: enough of its telling words.
func (c Checker) tells(told map[string]bool, reply, condition string) bool {
	var all, held float64
	for _, t := range c.Analyzer.Telling(condition) {
		w := 1.0
		if t.Light {
			w = 0.3
		}
		all += w
		if told[t.Stem] || slices.ContainsFunc(c.Analyzer.Alike(t.Stem), func(a string) bool { return told[a] }) {
			held += w
		}
	}
	theirs := quantitiesOf(reply)
	for _, q := range quantitiesOf(condition) {
		if !slices.ContainsFunc(theirs, q.same) {
			return false
		}
	}
	if supposes.MatchString(condition) && supposed.MatchString(reply) {
		return true // in other words
	}
	return all == 0 || held >= all/2
}

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
