package support

import (
	"regexp"
	"strings"

	"urgentparrot.example/internal/core/text"
)

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
