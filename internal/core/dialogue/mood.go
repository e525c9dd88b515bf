package dialogue

import (
	"regexp"
	"strings"
	"unicode"

	"urgentparrot.example/internal/core/text"
)

var (
	wish = regexp.MustCompile(`(?i)\b(?:(?:talk|speak|chat|write|get through|connect(?: me)?|transfer(?: me)?|put me through|pass me(?: on)?) (?:to|with) (?:a |an |the |your |another |some ?)?(?:real |actual |live |human )*(?:person|human|being|someone|somebody|one|people|agent|operator|colleague|manager|supervisor|staff|member of staff|team|employee|adviser|advisor|representative|customer service|boss|one of you)|(?:real|actual|live) (?:person|human)|human (?:please|being|agent|help)|(?:a|an) (?:person|human|agent|operator)[, ]+please|(?:i )?(?:want|need|would like|'d like) (?:a|an|some) (?:real )?(?:human|person|agent|operator)(?: to (?:help|answer|talk))?|(?:call|ring|phone) me(?: back)?|let me (?:talk|speak) to)\b`)
	// A question about persons in general is not a wish for one.
	notWish = regexp.MustCompile(`(?i)\b(?:how many|per|each|one|another|disabled) person\b`)

	angryWords = regexp.MustCompile(`(?i)\b(?:ridiculous|unacceptable|disgrace(?:ful)?|disgusting|outrage(?:ous|d)?|furious|livid|appalling|appalled|fuming|scandal(?:ous)?|pathetic|useless|incompetent|terrible|awful|horrible|worst|rubbish|shambles|joke of a|sick of|fed up|had enough|ruined|lied to|rip ?off|scam|never again|complain(?:t|ing)?|lawyer|sue|idiots?|wtf|damn|bloody|stupid|angry|how dare)\b`)
	negated    = regexp.MustCompile(`(?i)\b(?:not|never|isn'?t|wasn'?t|no|aren'?t|don'?t be) (?:\w+ )?$`)
	complaint  = regexp.MustCompile(`(?i)\b(?:how (?:do|can|to)|where (?:do|can)) (?:i |we |to )?(?:make a )?complain`)
)

// wantsPerson reports whether the customer asks for a person.
func wantsPerson(message string) bool {
	return wish.MatchString(message) && !notWish.MatchString(wish.FindString(message))
}

// isAngry reports whether the customer is angry: strong words that are not
// denied, or a mild one with shouting.
func isAngry(message string) bool {
	if complaint.MatchString(message) {
		return false
	}
	score := 0
	for _, at := range angryWords.FindAllStringIndex(message, 8) {
		if !negated.MatchString(message[:at[0]]) {
			score += 2
		}
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
