package support

import (
	"fmt"
	"regexp"
	"strings"

	"urgentparrot.example/internal/core/text"
)

// Turns of phrase that deny, or look as if they did, written in one way, so that "dogs are
// forbidden" and "dogs are not allowed" are the same, and "no charge" is "free".
var turns = []struct {
	form *regexp.Regexp
	to   string
}{
	{regexp.MustCompile(`(?i)\b(?:not only|no later than|not later than|no more than|not more than|no fewer than|no less than|not less than)\b`), "within"},
	{regexp.MustCompile(`(?i)\b(?:no problem|not a problem|no matter|no doubt|not to worry|no worries)\b`), "sure"},
	{regexp.MustCompile(`(?i)\b(?:free of charge|free of cost|at no (?:extra |additional )?(?:cost|charge)|(?:there (?:is|are) |carr(?:y|ies) |with )?no (?:extra |additional |further )?(?:charge|fee|cost)s?|without (?:extra |additional )?(?:charge|cost)|cost(?:s|ing)? (?:you )?nothing|(?:do|does|will|is|are) not (?:cost|charged)(?: (?:anything|extra))?|(?:do|does|is|are)n['’]t (?:cost|charged)(?: (?:anything|extra))?|nothing to pay|(?:do|does) not (?:have to |need to )?pay|(?:do|does)n['’]t (?:have to |need to )?pay)\b`), "free"},
	{regexp.MustCompile(`(?i)\b(?:(?:is|are|was|were) )?(?:not (?:needed|necessary|required|compulsory|obligatory)|optional)\b|\b(?:(?:do|does) not|(?:do|does)n['’]t) (?:need|have)(?: to)?\b|\bneed not\b|\bneedn['’]t\b|\bno need (?:to|for)\b|\bwithout (?:having to|needing to|needing)\b`), "optional"},
	{regexp.MustCompile(`(?i)\b(?:(?:is|are|be) )?(?:forbidden|prohibited|banned|barred|disallowed)\b|\bmust not\b|\bmustn['’]t\b|\bmay not\b|\bcannot be allowed\b`), "not allowed"},
	{regexp.MustCompile(`(?i)\b(?:is|are|stays?|remains?) (?:closed|shut)\b`), "is not open"},
	{regexp.MustCompile(`(?i)\bclosed\b`), "not open"},
	{regexp.MustCompile(`(?i)\b(?:exclud(?:e|es|ed|ing))\b`), "not include"},
	{regexp.MustCompile(`(?i)\b(?:refus(?:e|es|ed|ing)|declin(?:e|es|ed|ing)|reject(?:s|ed)?|turn(?:s|ed)? (?:away|down))\b`), "not accept"},
	{regexp.MustCompile(`(?i)\b(un|in|non-?|im)(available|valid|refundable|transferable|possible|able|limited|suitable|safe|complete|supported)\b`), "not $2"},
	{regexp.MustCompile(`(?i),?\s*\b(?:except(?: for| on)?|apart from|other than)\b`), ", not"},
	{regexp.MustCompile(`(?i)\b(?:lacks?|lacking|fails? to|stops?|ceases?)\b`), "not"},
}

// What denies, by language.
var denies = map[string]map[string]bool{
	"en": text.Set("not no never nobody none neither nor nothing nowhere without cannot cant wont isnt arent dont doesnt didnt wasnt werent hasnt havent hadnt couldnt shouldnt wouldnt mustnt neednt aint hardly"),
	"de": text.Set("nicht kein keine keinen keinem keiner keines nie niemals ohne weder nichts nirgends niemand"),
	"fr": text.Set("pas jamais aucun aucune sans ni rien personne nulle"),
	"es": text.Set("no nunca jamas ningun ninguna ninguno sin ni nada nadie tampoco"),
	"it": text.Set("non mai nessun nessuno nessuna senza ne niente nulla"),
	"nl": text.Set("niet geen nooit zonder noch niets niemand"),
	"pt": text.Set("nao nunca jamais nenhum nenhuma sem nem nada ninguem"),
	"sv": text.Set("inte ej ingen inget inga aldrig utan varken"),
	"da": text.Set("ikke ingen intet aldrig uden hverken"),
	"no": text.Set("ikke ingen intet aldri uten verken"),
	"pl": text.Set("nie nigdy bez zaden zadna zadne ani nic nikt"),
}

// deniesOdd reports whether a text, with its turns of phrase written in one way, denies more
// often than it takes back.
func deniesOdd(s, language string) bool {
	set, ok := denies[language]
	if !ok {
		set = denies["en"]
	}
	n := 0
	for _, w := range text.Words(s) {
		if set[w.Folded] {
			n++
		}
	}
	return n%2 == 1
}

// deniesPlainly reports whether a text has a word that denies, in a language; in any that is
// known, if that is not known.
func deniesPlainly(s, language string) bool {
	set := denies[language]
	if set == nil {
		set = denies[text.LanguageOf(s)]
	}
	for _, w := range text.Words(s) {
		if set[w.Folded] {
			return true
		}
		if set == nil {
			for of, words := range denies {
				if of != "en" && words[w.Folded] && len(w.Folded) > 2 {
					return true
				}
			}
		}
	}
	return false
}

// turned writes turns of phrase that deny in one way.
func turned(s string) string {
	for _, t := range turns {
		s = t.form.ReplaceAllString(s, t.to)
	}
	return s
}

var parted = regexp.MustCompile(`(?i)[;:.!?()]|\s[–—-]\s|,|\b(?:but|however|although|though|whereas|while|except|unless|and)\b`)

// clauses parts a sentence where what it says may turn.
func clauses(sentence string) (parts []string) {
	start := 0
	for _, at := range parted.FindAllStringIndex(sentence, -1) {
		if c := sentence[at[0]]; (c == '.' || c == ':' || c == ',') && at[0] > 0 && at[1] < len(sentence) && isDigit(sentence[at[0]-1]) && isDigit(sentence[at[1]]) {
			continue // 14:30
		}
		parts = append(parts, sentence[start:at[0]])
		start = at[0]
		if !isLetter(sentence[at[0]]) {
			start = at[1]
		}
	}
	parts = append(parts, sentence[start:])
	kept := parts[:0]
	for _, p := range parts {
		if len(text.Words(p)) > 0 {
			kept = append(kept, p)
		}
	}
	return kept
}

func isDigit(c byte) bool  { return c >= '0' && c <= '9' }
func isLetter(c byte) bool { return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' }

// opposites are pairs of words of which one must not stand for the other.
var opposites = func() (pairs [][2]string) {
	for _, pair := range []string{
		"before after", "before later", "earlier later", "early late", "arrive leave", "arrive depart", "more less", "more fewer", "under over", "below above", "minimum maximum",
		"least most", "cheaper dearer", "cheaper pricier", "inside outside", "indoors outdoors", "upstairs downstairs", "left right", "within outside", "inside outside", "first last", "free charge", "free cost", "free fee", "free surcharge",
		"include extra", "optional must", "optional require", "optional compulsory", "optional need", "optional necessary", "recommend require", "recommend must", "should must", "return single",
		"summer winter", "morning afternoon", "morning evening", "afternoon evening", "north south", "east west", "refund exchange", "credit cash", "young old", "small large", "short long",
		"weekday weekend", "start end", "begin end", "push pull", "hot cold", "wet dry", "front back", "landlord tenant", "adult child", "lend sell", "rent sell", "buy sell",
	} {
		a, b, _ := strings.Cut(pair, " ")
		pairs = append(pairs, [2]string{a, b}, [2]string{b, a})
	}
	return pairs
}()

// denial says where a sentence says the opposite of what its passages say, "" if it does
// not.
func (c Checker) denial(says statement, g *ground, h holding) string {
	answer, rest := yesOrNo(says.words)
	said := says
	if answer != "" {
		said = c.state(rest)
		if c.contradicts(answer, said) {
			return fmt.Sprintf("it says %q to a question, and behind it the opposite", answer)
		}
	}
	for _, clause := range said.parts {
		terms := c.Analyzer.Telling(clause.turned)
		all := weight(terms)
		if all < 1 {
			continue
		}
		same, other, against := 0.0, 0.0, ""
		for _, s := range g.sentences {
			for _, theirs := range s.parts {
				shared := c.shared(terms, theirs.stems) / all
				if theirs.denies == clause.denies {
					same = max(same, shared)
				} else if shared > other {
					other, against = shared, theirs.words
				}
			}
			// What a sentence says as a whole counts too: its clauses may share a subject.
			if s.denies == clause.denies {
				same = max(same, byTheWhole*c.shared(terms, s.stems)/all)
			}
		}
		if other > same && other >= opposed {
			return "the passage says: " + strings.TrimSpace(against)
		}
	}
	for _, pair := range opposites {
		one, other := c.stem(pair[0]), c.stem(pair[1])
		if !says.stems[one] || says.stems[other] {
			continue
		}
		if theirs := h.nearestStems(); theirs[other] && !g.stems[one] {
			return fmt.Sprintf("it says %q where the passage says %q", pair[0], pair[1])
		}
	}
	return ""
}

// What a whole sentence counts beside its clauses, and the share of a clause that must stand
// in one that says the opposite.
const (
	byTheWhole = 0.9
	opposed    = 0.5
)

// contradicts reports whether a yes or no to what the customer asked goes on with the
// opposite.
func (c Checker) contradicts(answer string, rest statement) bool {
	if c.Said == "" || len(rest.parts) == 0 || len(text.Words(rest.words)) < 3 || strings.Contains(text.Fold(c.Said), " or ") || deniesOdd(turned(c.Said), c.Language) {
		return false
	}
	if answer == "yes" {
		return rest.parts[0].denies
	}
	return !rest.parts[0].denies && !rest.denies
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
