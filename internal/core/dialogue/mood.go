package dialogue

import (
	"regexp"
	"strings"
	"unicode"

	"urgentparrot.example/internal/core/text"
)

var (
	wish = regexp.MustCompile(`(?i)\b(?:(?:talk|speak|chat|write|get through|connect(?: me)?|transfer(?: me)?|put me through|pass me(?: on)?) (?:to|with) (?:a |an |the |your |another |some ?)?(?:real |actual |live |human )*(?:person|human|being|someone|somebody|one|people|agent|operator|colleague|manager|supervisor|staff|member of staff|team|employee|adviser|advisor|representative|customer service|boss|owner|director|(?:person|someone|somebody|whoever is|one) in charge|one of you)|(?:real|actual|live) (?:person|human)|human (?:please|being|agent|help)|(?:a|an) (?:person|human|agent|operator)[, ]+please|(?:i )?(?:want|need|would like|'d like) (?:a|an|some) (?:real )?(?:human|person|agent|operator)(?: to (?:help|answer|talk))?|(?:call|ring|phone) me(?: back)?|let me (?:talk|speak) to)\b`)
	// A question about persons in general is not a wish for one.
	notWish = regexp.MustCompile(`(?i)\b(?:how many|per|each|one|another|disabled) person\b`)

	negated   = regexp.MustCompile(`(?i)\b(?:not|never|isn'?t|wasn'?t|no|aren'?t|don'?t be) (?:\w+ )?$`)
	complaint = regexp.MustCompile(`(?i)\b(?:how (?:do|can|to)|where (?:do|can)) (?:i |we |to )?(?:make a )?complain`)
)

// wishWords are those that every wish for a person holds one of; without, the
// pattern need not be tried.
var wishWords = map[string]bool{
	"talk": true, "speak": true, "chat": true, "write": true, "get": true, "connect": true, "transfer": true, "put": true, "pass": true,
	"person": true, "human": true, "agent": true, "operator": true, "call": true, "ring": true, "phone": true,
}

func holdsOne(words []text.Word, of map[string]bool) bool {
	for _, w := range words {
		if of[w.Folded] {
			return true
		}
	}
	return false
}

// WantsPerson reports whether the customer asks for a person.
func WantsPerson(message string) bool {
	message = willCall.ReplaceAllString(message, "")
	return holdsOne(text.Words(message), wishWords) && wish.MatchString(message) && !notWish.MatchString(wish.FindString(message))
}

// willCall is the question whether somebody calls when something comes about, and no wish for it.
var willCall = regexp.MustCompile(`(?i)\b(?:will|do) (?:you|they|somebody|someone) (?:call|ring|phone) me (?:before|when|if|once|in case|as soon as)\b`)

// callMe is the wish to be called, which a flow may foresee.
var callMe = regexp.MustCompile(`(?i)\b(?:call|ring|phone) me(?: back)?\b`)

// onlyACall reports whether what a customer wishes of people is a call.
func onlyACall(message string) bool {
	return callMe.MatchString(message) && !wish.MatchString(callMe.ReplaceAllString(message, ""))
}

// angryWords are strong words; of those of two words the first stands here.
var angryWords = func() map[string]bool {
	words := map[string]bool{}
	for _, w := range strings.Fields(`ridiculous unacceptable disgrace disgraceful disgusting outrage outrageous outraged furious
livid appalling appalled fuming scandal scandalous pathetic useless incompetent terrible awful horrible worst rubbish shambles
sick fed enough ruined lied ripoff rip scam never complain complaint complaining lawyer sue idiot idiots wtf damn bloody stupid angry dare
rude joke disappointed disappointing dreadful shameful insulting insulted unhelpful unprofessional disgusted cared cares`) {
		words[w] = true
	}
	return words
}()

// inPhrase are angry words that are so only in company.
var inPhrase = map[string]*regexp.Regexp{
	"sick": regexp.MustCompile(`(?i)^sick of`), "fed": regexp.MustCompile(`(?i)^fed up`), "enough": regexp.MustCompile(`(?i)had enough$`),
	"rip": regexp.MustCompile(`(?i)^rip ?-?off`), "never": regexp.MustCompile(`(?i)^never again`), "lied": regexp.MustCompile(`(?i)^lied to`),
	"dare": regexp.MustCompile(`(?i)how dare$`),
	"rude": regexp.MustCompile(`(?i)\b(?:was|were|is|are|so|very|been|being|extremely|really) rude$`), "joke": regexp.MustCompile(`(?i)\b(?:what a|is a|was a) joke$`),
	"cared": regexp.MustCompile(`(?i)(?:nobody|no one|no-one) cared$`), "cares": regexp.MustCompile(`(?i)(?:nobody|no one|no-one) cares$`),
}

// suffered is what is terrible without anybody's fault.
var suffered = regexp.MustCompile(`(?i)^(?:terrible|awful|horrible|dreadful|worst)(?: \w+)? (?:pains?|\w*aches?|cramps?|cough|cold|fever|rash|migraines?|weather|storms?|accident|allerg(?:y|ies)|back|knee|tooth)\b`)

// angryAt reports whether the word of a message is an angry one.
func angryAt(message string, w text.Word) bool {
	if !angryWords[w.Folded] || suffered.MatchString(message[w.Start:]) {
		return false
	}
	pattern := inPhrase[w.Folded]
	return pattern == nil || pattern.MatchString(message[w.Start:]) || pattern.MatchString(message[:w.End])
}

// isAngry reports whether the customer is angry: strong words that are not
// denied, or a mild one with shouting.
func isAngry(message string) bool {
	score := 0
	for _, w := range text.Words(message) {
		if angryAt(message, w) && !negated.MatchString(message[:w.Start]) {
			score += 2
		}
	}
	if score > 0 && complaint.MatchString(message) {
		return false
	}
	if score == 0 {
		// Without a strong word only loud capitals in a whole sentence are anger.
		return shouts(message) && strings.Count(message, "!") >= 2
	}
	if strings.Contains(message, "!") || shouts(message) {
		score++
	}
	// "Is the ride awful?" is a question; anger states.
	if strings.HasSuffix(strings.TrimSpace(message), "?") && score < 4 {
		return false
	}
	return score >= 2
}

// shouts reports whether most of a message of some length is in capitals.
func shouts(message string) bool {
	loud, words := 0, 0
	for _, w := range text.Words(message) {
		raw := message[w.Start:w.End]
		if len(raw) < 3 || !unicode.IsLetter(rune(raw[0])) {
			continue
		}
		words++
		if raw == strings.ToUpper(raw) {
			loud++
		}
	}
	return words >= 4 && loud*10 >= words*7
}
