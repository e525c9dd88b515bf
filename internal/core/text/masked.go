package text

import (
	"regexp"
	"strings"
)

var (
	// cardNumber is 13 to 19 digits, parted by spaces or hyphens (ISO/IEC 7812).
	cardNumber = regexp.MustCompile(`(?:\d[ \-]?){12,18}\d`)
	// saidSecret is a word that announces a secret, and the secret.
	saidSecret = regexp.MustCompile(`(?i)\b(pass ?word|passwd|pass ?code|pass ?phrase|pwd|pin(?: ?(?:code|number))?|cvv2?|cvc2?|security code|one[- ]time (?:code|password)|otp|verification code)\b(\s*(?:is|was|:|=|-|–)+\s*)(["'“”‘’]?)(\S{3,})`)
	// plainWords are what may follow "is" and is no secret.
	plainWords = Set("not wrong lost gone the a an it that this invalid incorrect expired required needed being blocked correct missing too my your no forgotten refused rejected ok okay fine working changed reset unknown asked where what when there")
)

// What stands in place of what was masked.
const (
	MaskedCard   = "[card number]"
	MaskedSecret = "[password]"
)

// Masked blanks what nobody must keep: numbers of payment cards that pass their check digit,
// and passwords, PINs and codes that are announced as such. All else stays as it is.
func Masked(s string) string {
	if !strings.ContainsAny(s, "0123456789:=") && !strings.Contains(strings.ToLower(s), " is ") {
		return s
	}
	s = cardNumber.ReplaceAllStringFunc(s, func(found string) string {
		if passesLuhn(found) {
			return MaskedCard
		}
		return found
	})
	return saidSecret.ReplaceAllStringFunc(s, func(found string) string {
		m := saidSecret.FindStringSubmatch(found)
		word := strings.ToLower(strings.Trim(m[4], `.,;:!?"'`))
		if plainWords[word] || strings.HasPrefix(m[4], "[") {
			return found
		}
		end := m[4][len(strings.TrimRight(m[4], `.,;!?"'”’`)):]
		return m[1] + m[2] + MaskedSecret + end
	})
}

// passesLuhn reports whether digits end in the check digit of ISO/IEC 7812-1, and begin as
// those of payment cards do.
func passesLuhn(number string) bool {
	sum, n, first := 0, 0, byte(0)
	for i := len(number) - 1; i >= 0; i-- {
		if number[i] < '0' || number[i] > '9' {
			continue
		}
		d := int(number[i] - '0')
		if n%2 == 1 {
			if d *= 2; d > 9 {
				d -= 9
			}
		}
		sum += d
		n++
		first = number[i]
	}
	return sum%10 == 0 && n >= 13 && n <= 19 && strings.IndexByte("23456", first) >= 0
}
