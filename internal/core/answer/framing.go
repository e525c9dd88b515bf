package answer

import (
	"regexp"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/text"
)

// People put words around a question that say nothing of what they ask: "sorry to bother you,
// my friend wants to know ... thanks in advance". What consists of such words alone, up to
// where the question begins or from where it has ended, is taken off. The words are a closed
// list: one that is not in it keeps all around it.
var framing = wordSet(`a about actually advice advise afternoon again ahead all along already also am an and another any anybody anyone anyway anyways anywhere apologies
	appreciate appreciated are ask asked asking asks at be been before bit bother boss brother btw but by can cheers check checked checking clue colleague could couldn couldnt curious
	curiosity dad daughter day dear disturb disturbing do does doing dont double dumb easy else email enough evening everyone excuse explain faq far father fill find finding first folks
	following follow for forgive forward friend from girlfriend boyfriend fiance give glad going good got grandma grandpa gran great guys had happen happy has hear heard hearing hello help hey hi hiya hmm
	hold hope hoping husband i id idea if ill im in info information inquiry enquiry intend interest interested is it its ive just kind kindly know knowing last let lets like little
	look looked looking lot m ma mam many may maybe me mention might mind mine minute moment month more morning most mother mum mom my n name need nephew new newbie niece neighbour neighbor no not
	nothing now of off oh ok okay on one online only or other our out page pardon partner perhaps person please pls plz possible possibly problem quick quickly quite question questions
	randomly re read reach reaching really regarding regards right rush s same say search searched searching see seem seen should sibling sign silly simple simply since sir sister site small so somebody someone
	something son soon sorry still stupid suppose sure t ta talk team tell tells than thank thanks that the there thing things think this those though thought thx til time tiny to told
	tonight too took trouble troubling try trying ty ugh uh um unclear understand up urgent us very wait wants want wanted was wasn way we website web weird welcome well were whether wife will wish with
	abroad answered answering answers asap away back because basic basics bro browse browsed browsing buddy busy called calling came chat chatting come coming confused confusing considering correct differently dude
	fast frank frankly general generally gents google googled googling honest honestly ladies lads line lines literally love mate miss nobody none noone obvious obviously otherwise pal phoned phrase
	pick picked picking picks place plan planning poss rang random rephrase replied replies reply replying respond response ring ringing scrolled seriously speak strange tad thinking truly unsure urgently
	wonder wondered wonders wondering word wouldnt would write writing yeah yes yet yo you your yours youre`)

// Questions begin with these words: the first always, verbs where who does it comes behind
// them ("is it", and not "my son is four").
var (
	subjects = wordSet(`i you we they he she it there the my your our his her their a an any this that these those one someone anyone`)
	askers   = wordSet(`know tell ask asking me wondering wonder curious check checking question please`)
	starters = wordSet(`what whats when whens where wheres which who whose why how hows`)
	verbs    = wordSet(`do does did is are am can could may will would should shall has have must`)
	doers    = wordSet(`i you we they he she it who there that this these those and but or not boss brother colleague dad daughter father fiance friend girlfriend boyfriend guys husband mum mom mother nephew niece
		neighbour neighbor partner person sibling sister son team wife everyone everybody anyone anybody someone somebody im id ive youre`)
)

// leadsOn are the words that go with what a question begins with: "at what time".
var leadsOn = wordSet(`about at by for from in of on since than to until with and or not`)

func wordSet(words string) map[string]bool {
	set := map[string]bool{}
	for w := range strings.FieldsSeq(words) {
		set[w] = true
	}
	return set
}

var (
	breaks = regexp.MustCompile(`[,:;.!?…)]\s|\s[–—-]+\s|\s\(`)
	polite = regexp.MustCompile(`(?i)(?:[\s,]+(?:please|pls|plz|many thanks|thanks?|thank (?:you|u)|thx|ty|cheers|ta)(?: (?:a lot|so much|very much|in advance|again|you))*)+([\s.?!]*)$`)
)

// fewAfter is how many words behind a question are taken off at least, but for thanks.
const fewAfter = 3

var manyMarks = regexp.MustCompile(`[?!]*\?[?!]+\s*$`)

// unframed is a question without what is put around it.
func unframed(s string) string {
	if m := polite.FindStringSubmatchIndex(s); m != nil && m[0] > 0 && len(text.Words(s[:m[0]])) > 1 {
		s = s[:m[0]] + strings.TrimSpace(s[m[2]:m[3]])
	}
	s = manyMarks.ReplaceAllString(s, "?")
	words := text.Words(s)
	begins, ends := 0, len(words)
	for i, w := range words {
		if i > 0 && begin(s, words, i) && len(words)-i > 1 {
			begins = i
		}
		if !framing[plainWord(w.Folded)] {
			break
		}
	}
	for i := len(words) - 1; i > begins+1 && framing[plainWord(words[i].Folded)]; i-- {
		if after := s[words[i].Start:]; len(words)-i >= fewAfter && (!asks.MatchString(after) || forHelp.MatchString(after)) && breaks.MatchString(s[words[i-1].End:words[i].Start]) {
			ends = i
		}
	}
	if begins == 0 && ends == len(words) {
		return s
	}
	rest := s[words[begins].Start:]
	if ends < len(words) {
		rest = s[words[begins].Start:words[ends-1].End]
		if strings.HasSuffix(strings.TrimSpace(s), "?") || strings.Contains(s[words[ends-1].End:words[ends].Start], "?") {
			rest += "?"
		}
	}
	return rest
}

// begin reports whether a question may begin at a word: after a break, at a word that
// questions begin with, or after one that leads to what is asked ("if").
func begin(s string, words []text.Word, i int) bool {
	before, word := words[i-1].Folded, plainWord(words[i].Folded)
	inverted := func() bool { // "is it open", and after "wondering" also "are dogs allowed"
		return askers[before] || i+1 < len(words) && subjects[words[i+1].Folded] && !doers[plainWord(before)]
	}
	asking := !leadsOn[before] && (starters[word] && !verbs[before] || i > 1 && verbs[word] && inverted())
	asking = asking || before == "also" && (starters[word] || verbs[word])
	return breaks.MatchString(s[words[i-1].End:words[i].Start]) || asking || i > 2 && (before == "if" || before == "whether") && !asksFirst(words, i) || i > 1 && before == "but" || opens(words[:i])
}

// asksFirst reports whether a question is asked before the one that begins behind "if": "could I
// come along to see whether I like it", and not "can I ask whether dogs are allowed".
func asksFirst(words []text.Word, i int) bool {
	first, who := plainWord(words[0].Folded), words[1].Folded
	return verbs[first] && (who == "i" || who == "we") && !askers[plainWord(words[i-2].Folded)]
}

var forHelp = regexp.MustCompile(`(?i)^(?:(?:can|could|will|would) (?:you|someone|somebody|anyone|anybody)(?: please)?\b.*\b(?:help|tell|answer|know|advi[sc]e|assist)|(?:any|anyone|anybody|does (?:anyone|anybody))(?: got)?(?: any)? (?:ideas?|knows?|help|clue))\b[\w\s]{0,20}[\s?.!]*$`)

var signature = regexp.MustCompile(`^(?i:(?:with )?(?:(?:best|kind|kindest|warm|warmest|many) )?(?:regards|wishes)|yours(?: sincerely| faithfully| truly)?|sincerely|all the best)\b[\s,.!-]*(?:[A-Z][\w.'’-]*\s*){0,4}$`)

// signs reports whether a sentence is how a letter ends: a greeting with a name, or once it has
// ended a name alone.
func signs(s string, ended bool) bool {
	s = strings.TrimSpace(s)
	return signature.MatchString(s) || ended && nameAlone.MatchString(s)
}

var nameAlone = regexp.MustCompile(`^\p{Lu}[\p{L}'’-]{1,20}(?: \p{Lu}[\p{L}'’.-]{0,20}){0,2}[.!]?$`)

// openers are what people call out before they ask.
var openers = wordSet(`yo hey hiya mate dude bro pal buddy um uh erm hm hmm ok okay so please pls plz`)

func opens(words []text.Word) bool {
	return !slices.ContainsFunc(words, func(w text.Word) bool { return !openers[w.Folded] })
}

// onlyFrames reports whether a sentence consists of such words alone.
func onlyFrames(s string) bool {
	words := text.Words(s)
	for _, w := range words {
		if !framing[plainWord(w.Folded)] {
			return false
		}
	}
	return len(words) > 0
}

func plainWord(folded string) string {
	return strings.NewReplacer("'", "", "’", "").Replace(folded)
}
