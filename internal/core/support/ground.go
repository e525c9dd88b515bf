package support

import (
	"cmp"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/text"
)

// A statement is something that is said, taken apart.
type statement struct {
	words  string
	turned string          // with turns of phrase that deny written in one way
	stems  map[string]bool // of both
	denies bool
	parts  []statement // its clauses
}

// state takes a sentence apart.
func (c Checker) state(words string) statement {
	s := c.part(words, turned(words))
	for _, clause := range clauses(s.turned) {
		s.parts = append(s.parts, c.part(clause, clause))
	}
	return s
}

func (c Checker) part(words, turned string) statement {
	s := statement{words: words, turned: turned, stems: map[string]bool{}, denies: deniesOdd(turned, c.Language)}
	for _, w := range text.Words(turned) {
		s.stems[c.stem(w.Folded)] = true
	}
	for _, t := range c.Analyzer.Terms(words) { // what stands in a group of synonyms too
		s.stems[t.Stem] = true
	}
	return s
}

// ground is what sentences are held against, taken apart.
type ground struct {
	text       string // headings and texts of all
	folded     string
	stems      map[string]bool
	quantities []quantity
	days       map[string]bool
	sentences  []standing
}

// A standing statement is a sentence of a passage, where it stands.
type standing struct {
	statement
	around map[string]bool // its stems, with those of the headings and of the sentence before
	after  string          // the sentence behind it, where it takes some of it back
	counts []quantity      // in it, and in the headings above
}

func (c Checker) ground(grounds []Ground) *ground {
	g := &ground{stems: map[string]bool{}}
	var all []string
	for _, one := range grounds {
		heads := c.part(strings.Join(one.Heads, ". "), turned(strings.Join(one.Heads, ". "))).stems
		headCounts := quantitiesOf(strings.Join(one.Heads, ". "))
		all = append(all, strings.Join(one.Heads, ". "), one.Text)
		spans := text.Sentences(one.Text)
		before := heads
		for i, span := range spans {
			s := standing{statement: c.state(one.Text[span.Start:span.End]), around: map[string]bool{}}
			for _, stems := range []map[string]bool{heads, before, s.stems} {
				for stem := range stems {
					s.around[stem], g.stems[stem] = true, true
				}
			}
			s.counts = append(quantitiesOf(s.words), headCounts...)
			if i+1 < len(spans) && takesBack.MatchString(one.Text[spans[i+1].Start:]) {
				s.after = one.Text[spans[i+1].Start:spans[i+1].End]
			}
			before = s.stems
			g.sentences = append(g.sentences, s)
		}
		for stem := range heads {
			g.stems[stem] = true
		}
	}
	g.text = strings.Join(all, "\n")
	g.folded = text.Fold(g.text)
	g.quantities = quantitiesOf(g.text)
	g.days = daysOf(g.text)
	return g
}

// A holding is how well passages hold a sentence.
type holding struct {
	share   float64  // of its telling words, by weight
	extra   []string // words that they do not hold
	adds    bool     // one of these is neither the customer's own, nor does it only carry others
	nearest []near   // the sentences of the passages that hold most of it, best first
}

// nearestStems are those of the two sentences that hold most.
func (h holding) nearestStems() map[string]bool {
	stems := map[string]bool{}
	for _, n := range h.nearest[:min(2, len(h.nearest))] {
		for stem := range n.stems {
			stems[stem] = true
		}
	}
	return stems
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

func (c Checker) hold(says statement, g *ground) (h holding) {
	var all, held float64
	english := c.Analyzer.English()
	for _, t := range c.Analyzer.Telling(says.turned) {
		if _, isUnit := text.UnitOf(t.Word); isUnit || frame[t.Word] || text.IsTime(t.Word) || numberWords[t.Word] != "" || isWeekday(t.Word) {
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
	for _, alike := range a.Synonyms(stem) {
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
// those that share most first, each with what it shares.
func (c Checker) nearest(says statement, g *ground) (list []near) {
	terms := c.Analyzer.Telling(says.turned)
	for i := range g.sentences {
		if shared := c.shared(terms, g.sentences[i].stems); shared > 0 {
			list = append(list, near{&g.sentences[i], shared})
		}
	}
	slices.SortStableFunc(list, func(a, b near) int { return cmp.Compare(b.shared, a.shared) })
	return list
}

type near struct {
	*standing
	shared float64
}

// lightWeight is what a light word counts beside a telling one.
const lightWeight = 0.3

// weight is that of terms.
func weight(terms []text.Term) (sum float64) {
	for _, t := range terms {
		if t.Light {
			sum += lightWeight
		} else {
			sum++
		}
	}
	return sum
}

// shared is the weight of the terms that are among stems, or words like them.
func (c Checker) shared(terms []text.Term, stems map[string]bool) float64 {
	var held []text.Term
	for _, t := range terms {
		if stems[t.Stem] || slices.ContainsFunc(c.Analyzer.Synonyms(t.Stem), func(a string) bool { return stems[a] }) {
			held = append(held, t)
		}
	}
	return weight(held)
}

// bound is how much of a clause's telling words, by weight, must stand where its numbers
// stand: a number that is there of something else is none.
const bound = 0.4

// unbound returns a quantity of a sentence that the passages hold of other things only.
func (c Checker) unbound(says statement, g *ground) (quantity, bool) {
	for _, clause := range says.parts {
		var terms []text.Term
		for _, t := range c.Analyzer.Telling(clause.turned) {
			if _, unit := text.UnitOf(t.Word); !frame[t.Word] && !t.Light && !unit && !text.IsTime(t.Word) && numberWords[t.Word] == "" && g.holds(c.Analyzer, c.stem(t.Word)) {
				terms = append(terms, t)
			}
		}
		all := weight(terms)
		if all < 1 {
			continue
		}
		for _, q := range quantitiesOf(clause.words) {
			best := -1.0
			for _, s := range g.sentences {
				if slices.ContainsFunc(s.counts, q.same) {
					best = max(best, c.shared(terms, s.around)/all)
				}
			}
			if best >= 0 && best < bound {
				return q, true
			}
		}
	}
	return quantity{}, false
}

// gathered is how much of a clause's telling words, by weight, one sentence of the passages
// must hold, with the headings above and what stands just before: words that are there may
// be put together into what nobody says.
const gathered = 0.55

// scattered returns a clause of a sentence that no single sentence of the passages says, ""
// if there is none.
func (c Checker) scattered(says statement, g *ground) string {
	for _, clause := range says.parts {
		var terms []text.Term
		for _, t := range c.Analyzer.Telling(clause.turned) {
			if !frame[t.Word] && !t.Light && g.holds(c.Analyzer, c.stem(t.Word)) {
				terms = append(terms, t)
			}
		}
		all := weight(terms)
		if all < 2 {
			continue
		}
		best := 0.0
		for _, s := range g.sentences {
			best = max(best, c.shared(terms, s.around)/all)
		}
		if best < gathered {
			return strings.TrimSpace(clause.words)
		}
	}
	return ""
}
