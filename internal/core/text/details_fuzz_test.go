package text

import (
	"strings"
	"testing"
	"time"
	"unicode/utf8"
)

// FuzzDetails takes details out of whatever somebody writes: each is of its form, and
// what belongs to others is not among them.
func FuzzDetails(f *testing.F) {
	for _, seed := range []string{"I'm Ada, ada@example.org, 07700 900123", "her mail is a@b.co and mine c@d.org", "Robert' here", "my name is \xff", "on 31 february at 25:61", "e.g. Mr. A. B.", "a@b.c@d.e", "İ'm İ"} {
		f.Add(seed)
	}
	now := time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC)
	f.Fuzz(func(t *testing.T, said string) {
		if len(said) > 2_000 {
			return
		}
		begun := time.Now()
		own := WithoutOthers(said)
		if len(own) != len(said) {
			t.Errorf("%q became %q", said, own)
		}
		if email := Email(own); email != "" && (strings.Count(email, "@") != 1 || Email(email) != email) {
			t.Errorf("%q is no address", email)
		}
		if phone := Phone(own, "GB"); phone != "" && (phone[0] != '+' || strings.Trim(phone[1:], "0123456789") != "") {
			t.Errorf("%q is no number", phone)
		}
		if name := Name(own); strings.ContainsAny(name, "\n\t@") || strings.HasSuffix(name, "'") {
			t.Errorf("%q is no name", name)
		}
		Date(said, now)
		Clock(said)
		if plain := Plain(said); !utf8.ValidString(plain) || Plain(plain) != plain {
			t.Errorf("%q is not plain", plain)
		}
		for _, s := range Typed(said) {
			if s.Start < 0 || s.End > len(said) || s.Start >= s.End {
				t.Errorf("a sentence of %q stands at %v", said, s)
			}
		}
		if took := time.Since(begun); took > time.Second {
			t.Errorf("%q took %s", said, took)
		}
	})
}
