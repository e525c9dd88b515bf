package text

import "testing"

// Card numbers and announced secrets are blanked; order numbers, telephone numbers, dates and
// talk about passwords are not.
func TestWhatNobodyMustKeepIsMasked(t *testing.T) {
	for said, want := range map[string]string{
		"my card is 4111 1111 1111 1111 thanks":                 "my card is [card number] thanks",
		"5500-0000-0000-0004":                                   "[card number]",
		"378282246310005.":                                      "[card number].",
		"4111 1111 1111 1112":                                   "4111 1111 1111 1112",
		"order 20261127000123456":                               "order 20261127000123456",
		"ring +44 7700 900 150 or 07700900151":                  "ring +44 7700 900 150 or 07700900151",
		"password: hunter2!":                                    "password: [password]!",
		"My password is Tr0ub4dor&3, can you log in?":           "My password is [password], can you log in?",
		"PIN = 4821 and CVV: 123":                               "PIN = [password] and CVV: [password]",
		"the one-time code is 993112":                           "the one-time code is [password]",
		"my password is not working":                            "my password is not working",
		"is the password required?":                             "is the password required?",
		"the pin is wrong":                                      "the pin is wrong",
		"Ada Moss, ada@example.org, 12 November 2026 at 14:30.": "Ada Moss, ada@example.org, 12 November 2026 at 14:30.",
	} {
		if got := Masked(said); got != want {
			t.Errorf("%q is masked as %q, want %q", said, got, want)
		}
		if again := Masked(Masked(said)); again != Masked(said) {
			t.Errorf("%q is masked again as %q", said, again)
		}
	}
}
