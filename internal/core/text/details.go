package text

import (
	"regexp"
	"strings"
	"unicode"

	"github.com/nyaruka/phonenumbers"
)

var (
	emailPattern = regexp.MustCompile(`(?i)[a-z0-9][a-z0-9._%+\-]{0,63}@(?:[a-z0-9](?:[a-z0-9\-]{0,61}[a-z0-9])?\.)+[a-z]{2,24}`)
	phonePattern = regexp.MustCompile(`(?:\+|\(0|\b0|\b\d)[\d\s().\-/]{5,20}\d`)
	namePattern  = regexp.MustCompile(`(?i)(?:\bmy name(?:'s| is)|\bname is|\bmy name:|\bi am|\bi['’]?m|\bthis is|\bcall me|^name:)\s+(\p{L}[\p{L}'’\-]*(?: \p{L}[\p{L}'’\-]*){0,3})`)
	herePattern  = regexp.MustCompile(`^(?:(?i:hi|hello|hey)[,!]? )?([\p{Lu}][\p{L}'’\-]+(?: [\p{Lu}][\p{L}'’\-]+){0,2}) here\b`)
)

// Email returns the first e-mail address in s, in lower case, or "".
func Email(s string) string {
	if !strings.Contains(s, "@") {
		return ""
	}
	return strings.ToLower(strings.TrimRight(emailPattern.FindString(s), ".-"))
}

// Phone returns the first telephone number in s in E.164 form ("+447700900123"),
// or "". A number without a country code is read as one of the region, an ISO
// 3166 code such as "GB". Dates, amounts and times are not numbers to call.
func Phone(s, region string) string {
	if countDigits(s) < phoneDigits {
		return ""
	}
	for _, candidate := range phonePattern.FindAllString(s, 8) {
		if countDigits(candidate) < phoneDigits || isDateLike(candidate) {
			continue
		}
		number, err := phonenumbers.Parse(candidate, region)
		if err == nil && phonenumbers.IsPossibleNumber(number) {
			return phonenumbers.Format(number, phonenumbers.E164)
		}
	}
	return ""
}

// ZonesOf returns the names of the time zones in which a telephone number in E.164 form may
// be, as its country and area tell; none for what is not such a number.
func ZonesOf(phone string) []string {
	if !strings.HasPrefix(phone, "+") {
		return nil
	}
	zones, err := phonenumbers.GetTimezonesForPrefix(phone)
	if err != nil {
		return nil
	}
	return zones
}

// phoneDigits is how many digits a telephone number has at least.
const phoneDigits = 8

func countDigits(s string) (n int) {
	for i := range len(s) {
		if s[i] >= '0' && s[i] <= '9' {
			n++
		}
	}
	return n
}

var datePattern = regexp.MustCompile(`\d{1,4}[./\-]\d{1,2}[./\-]\d{1,4}`)

func isDateLike(s string) bool { return datePattern.MatchString(s) && !strings.HasPrefix(s, "+") }

// Name returns what the writer of s calls themselves ("I'm Ada", "my name is
// Ada Example", "Ada here"), or "". A name in small letters counts only where
// nothing else can be meant: after "my name is", or when the e-mail address in
// the same text begins with it.
func Name(s string) string {
	introduced := false
	for _, w := range Words(s) {
		introduced = introduced || introductions[w.Folded]
	}
	if !introduced {
		return ""
	}
	if m := herePattern.FindStringSubmatch(s); m != nil && !notNames[Fold(m[1])] {
		return strings.TrimRight(m[1], "'’-")
	}
	for _, m := range namePattern.FindAllStringSubmatchIndex(s, 8) {
		words := strings.Fields(s[m[2]:m[3]])
		first := Fold(words[0])
		if len(first) < 2 || notNames[first] || stopWords[first] || possessive.MatchString(s[:m[0]]) || ownsSomething(words) {
			continue
		}
		intro := strings.ToLower(s[m[0]:m[2]])
		capital := isCapital(words[0])
		if !capital && !strings.Contains(intro, "name") && !strings.HasPrefix(Email(s), first) {
			continue
		}
		// A name goes on while its words are written alike, and are no others.
		n := 1
		for n < len(words) && isCapital(words[n]) == capital && !stopWords[Fold(words[n])] && !notNames[Fold(words[n])] && (capital || n < 2) {
			n++
		}
		for i, w := range words[:n] {
			if !capital || w == strings.ToUpper(w) {
				r := []rune(strings.ToLower(w))
				r[0] = unicode.ToUpper(r[0])
				words[i] = string(r)
			}
		}
		return strings.TrimRight(strings.Join(words[:n], " "), "'’-")
	}
	return ""
}

// ownsSomething reports whether words speak of what somebody has: "Jane's number".
func ownsSomething(words []string) bool {
	for _, w := range words {
		if strings.HasSuffix(w, "'s") || strings.HasSuffix(w, "’s") {
			return true
		}
	}
	return false
}

func isCapital(word string) bool {
	for _, r := range word {
		return unicode.IsUpper(r)
	}
	return false
}

// introductions are the words that every way of giving one's name holds one of.
var introductions = Set(`name names am im this call here`)

// notNames are the words that follow "I'm" or "this is" without being a name.
var notNames = Set(`afraid angry annoyed at awful back coming confused curious deaf delighted disabled
disappointed disgusted done driving early fed fine furious getting glad going good great happy having here
hoping hungry in interested just late leaving looking lost mad new not off on planning pleased pregnant
ready really ridiculous sad sick so sorry still stranded stuck sure taking terrible thinking tired travelling
trying unable unhappy upset urgent very vegan vegetarian waiting wondering worried writing absolutely
unacceptable my our your his her their the a an about also english french german spanish
monday tuesday wednesday thursday friday saturday sunday`)
