package contact

import (
	"strings"
	"testing"
	"time"
)

var (
	now  = time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC)
	port = Fields{
		{Name: "called", Label: "Called", Type: Name},
		{Name: "mail", Label: "Mail", Type: Email},
		{Name: "second_mail", Label: "Second mail", Type: Email},
		{Name: "mobile", Label: "Mobile", Type: Phone},
		{Name: "people", Label: "People", Type: Number},
		{Name: "travels", Label: "Travels on", Type: Date},
		{Name: "island", Label: "Island", Type: Choice, Choices: []string{"Little Sorrel", "Gannet Holm"}},
		{Name: "notes", Label: "Notes", Type: Text, Sensitive: true},
		{Name: "lives", Label: "Lives", Type: Zone},
	}
)

func TestValuesAreKeptAsTheirFieldSays(t *testing.T) {
	for _, c := range []struct{ field, typed, kept, says string }{
		{"called", "  Ada   Brill ", "Ada Brill", ""},
		{"mail", "Ada@Example.org", "ada@example.org", ""},
		{"mail", "ada at home", "", "not an e-mail address"},
		{"mobile", "07700 900 123", "+447700900123", ""},
		{"mobile", "0044 7700 900123", "+447700900123", ""},
		{"mobile", "seven", "", "not a telephone number"},
		{"people", "30", "30", ""},
		{"people", "2,5", "2.5", ""},
		{"people", "nan", "", "not a number"},
		{"people", "inf", "", "not a number"},
		{"people", "1e300", "", "not a number"},
		{"people", "a lot", "", "not a number"},
		{"travels", "2026-12-24", "2026-12-24", ""},
		{"travels", "tomorrow", "2026-11-25", ""},
		{"travels", "the other day", "", "not a date"},
		{"island", "gannet holm", "Gannet Holm", ""},
		{"island", "Atlantis", "", "Little Sorrel, Gannet Holm"},
		{"lives", "Europe/Madrid", "Europe/Madrid", ""},
		{"lives", "Local", "", "write one like Europe/London"},
		{"lives", "../../etc/passwd", "", "not a time zone"},
		{"notes", " \t", "", "Notes is empty"},
		{"notes", strings.Repeat("x", 501), "", "500 characters"},
		{"notes", "a\nb", "a b", ""},
	} {
		field, ok := port.Named(c.field)
		if !ok {
			t.Fatalf("no field %s", c.field)
		}
		kept, err := field.Read(c.typed, "GB", now)
		if kept != c.kept || (err == nil) != (c.says == "") || err != nil && !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s of %.20q: %q, %v; want %q, %q", c.field, c.typed, kept, err, c.kept, c.says)
		}
	}
}

// What customers say of themselves is heard by the first field of its type, however
// the fields are called.
func TestFactsAreHeardByType(t *testing.T) {
	heard := port.Hear("Hi, I'm Ada Brill, ada@example.org or 07700 900123", "GB")
	got := map[string]string{}
	for _, f := range heard {
		if f.Verified {
			t.Errorf("a claim is verified: %+v", f)
		}
		got[f.Field] = f.Value
	}
	if len(got) != 3 || got["called"] != "Ada Brill" || got["mail"] != "ada@example.org" || got["mobile"] != "+447700900123" {
		t.Errorf("heard %v", got)
	}
	if heard := port.Hear("is there food on board for 30 people on 24.12.2026?", "GB"); len(heard) != 0 {
		t.Errorf("heard %v", heard)
	}
	if heard := (Fields{{Name: "notes", Type: Text}}).Hear("I'm Ada, ada@example.org", "GB"); len(heard) != 0 {
		t.Errorf("without such fields heard is %v", heard)
	}
}

// What is said of somebody else is not the customer's own.
func TestOthersDetailsAreNotHeard(t *testing.T) {
	for said, want := range map[string]string{
		"tell my wife, her address is jane@example.org":                          "",
		"Please also write to my husband at tom@example.org":                     "",
		"my brother's number is 07700 900123":                                    "",
		"could you ring him on 07700 900123":                                     "",
		"07700 900123 is my daughter's":                                          "",
		"I wrote to office@example.org last week and heard nothing":              "",
		"I got a mail from office@example.org":                                   "",
		"her name is Jane":                                                       "",
		"my wife's name is Jane Moss":                                            "",
		"this is Jane's booking":                                                 "",
		"I'm Tom's mother":                                                       "",
		"our travel agent gave the number 07700 900123":                          "",
		"the crew answered from office@example.org":                              "",
		"I am writing from ada@example.org":                                      "ada@example.org",
		"I booked with ada@example.org":                                          "ada@example.org",
		"ada@example.org":                                                        "ada@example.org",
		"my wife is ill, so write to me: ada@example.org":                        "ada@example.org",
		"ask my son to call me on 07700 900123":                                  "+447700900123",
		"Her boat is late. My number is 07700 900123":                            "+447700900123",
		"her mail is jane@example.org, mine is ada@example.org":                  "ada@example.org",
		"Can you tell my husband when it leaves? ada@example.org":                "ada@example.org",
		"I'm Ada Moss and this is my mail ada@example.org":                       "Ada Moss ada@example.org",
		"please send the receipt to ada@example.org":                             "ada@example.org",
		"my e-mail address is ada@example.org and hers is jane@example.org":      "ada@example.org",
		"My name is Ada, his name is Tom":                                        "Ada",
		"Ada Moss here, my mobile number 07700 900123 (not my partner's number)": "Ada Moss +447700900123",
	} {
		var got []string
		for _, f := range Standard().Hear(said, "GB") {
			got = append(got, f.Value)
		}
		if strings.Join(got, " ") != want {
			t.Errorf("%q: heard %q, want %q", said, strings.Join(got, " "), want)
		}
	}
}

func TestAClaimNeverReplacesWhatIsVerified(t *testing.T) {
	var stranger Memory
	claimed := stranger.With(Fact{Field: "mail", Value: "ada@example.org"})
	verified := claimed.With(Fact{Field: "mail", Value: "ada@work.example", Verified: true})
	after := verified.With(Fact{Field: "mail", Value: "eve@example.net"}).With(Fact{Field: "called", Value: "Ada Brill"})
	switch {
	case len(stranger) != 0 || claimed["mail"].Value != "ada@example.org" || len(claimed) != 1:
		t.Error("a memory was changed in place")
	case after["mail"].Value != "ada@work.example" || !after["mail"].Verified:
		t.Errorf("a claim replaced what was verified: %+v", after)
	}
	if again := after.With(Fact{Field: "mail", Value: "ada@new.example", Verified: true}); again["mail"].Value != "ada@new.example" {
		t.Errorf("a newer verified value does not hold: %+v", again)
	}
	values := port.Values(after)
	if values["called"] != "Ada Brill" || values[FirstName] != "Ada" || values["mail"] != "ada@work.example" || len(values) != 3 {
		t.Errorf("texts may use %v", values)
	}
	if values := port.Values(stranger); len(values) != 0 {
		t.Errorf("of a stranger texts may use %v", values)
	}
	// A fact of a field that is no longer declared is not used in texts.
	if values := Standard().Values(after); values["mail"] != "" || values["called"] != "" {
		t.Errorf("texts may use %v", values)
	}
	notes, _ := port.Named("notes")
	mail, _ := port.Named("mail")
	if notes.Shown("allergic to nuts") != "known" || mail.Shown("a@example.org") != "a@example.org" {
		t.Error("a sensitive value is shown, or another one is not")
	}
}
