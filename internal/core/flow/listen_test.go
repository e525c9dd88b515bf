package flow

import (
	"fmt"
	"testing"
	"time"

	"urgentparrot.example/internal/core/text"
)

// What people reply, and what is taken out of it; "-" is nothing clear.
func TestValuesAreTakenOutOfWhatPeopleSay(t *testing.T) {
	now := time.Date(2026, 11, 26, 15, 0, 0, 0, time.UTC) // a Thursday
	colours := []string{"Little Sorrel", "Hallow Point", "Gannet Holm"}
	for _, c := range []struct {
		as, said, want string
	}{
		{"integer", "30", "30"}, {"integer", "about thirty", "30"}, {"integer", "there will be thirty-four of us", "34"}, {"integer", "1,200 people", "1200"},
		{"integer", "two hundred and ten", "210"}, {"integer", "a dozen", "12"}, {"integer", "30, no wait, 32", "32"}, {"integer", "32 not 30", "32"},
		{"integer", "2 adults and 3 children", "-"}, {"integer", "on 12 June", "-"}, {"integer", "at 15:30", "-"}, {"integer", "it costs £40", "-"}, {"integer", "call 07700 900123", "-"},
		{"integer", "nobody knows", "-"}, {"integer", "30ish", "30"}, {"integer", "5 on friday", "5"}, {"number", "2.5", "2.5"}, {"integer", "2.5", "-"},
		{"boolean", "yes please", "true"}, {"boolean", "No, thank you", "false"}, {"boolean", "that's right", "true"}, {"boolean", "maybe", "-"}, {"boolean", "yeah no", "-"},
		{"email", "my mail is ada@example.org, thanks", "ada@example.org"}, {"email", "ada at example.org", "ada@example.org"}, {"email", "ada at example dot org", "ada@example.org"},
		{"email", "write to my wife, her address is bo@example.org", "-"}, {"email", "I have none", "-"},
		{"phone", "07700 900123", "+447700900123"}, {"phone", "no phone", "-"},
		{"date", "tomorrow", "2026-11-27"}, {"date", "day after tomorrow", "2026-11-28"}, {"date", "in two weeks", "2026-12-10"}, {"date", "in 3 days", "2026-11-29"},
		{"date", "on the 3rd of June", "2027-06-03"}, {"date", "12/05/2027", "2027-05-12"}, {"date", "next thursday", "2026-12-03"}, {"date", "31 February", "-"}, {"date", "soon", "-"},
		{"time", "at 3pm", "15:00"}, {"time", "around 9", "09:00"}, {"time", "around 4", "16:00"}, {"time", "about 4ish", "16:00"}, {"time", "half past four please", "16:30"}, {"time", "quarter to nine in the evening", "20:45"}, {"time", "seven o'clock", "07:00"}, {"time", "at eight tonight", "20:00"}, {"time", "noon", "12:00"}, {"time", "midnight", "00:00"}, {"time", "four in the morning", "04:00"}, {"time", "half 5", "17:30"}, {"time", "a quarter to one", "12:45"}, {"time", "25", "-"}, {"time", "in the evening", "-"}, {"datetime", "tomorrow at half past four", "2026-11-27 16:30"}, {"time", "04:00", "04:00"}, {"time", "4 am", "04:00"}, {"time", "half past", "-"}, {"datetime", "tomorrow at 15.30", "2026-11-27 15:30"}, {"datetime", "tomorrow", "-"},
		{"choice", "hallow point please", "Hallow Point"}, {"choice", "the second one", "Hallow Point"}, {"choice", "3", "Gannet Holm"}, {"choice", "halow", "Hallow Point"},
		{"choice", "anywhere", "-"}, {"choice", "Hallow Point or Gannet Holm", "-"},
		{"name", "I'm Ada Quill", "Ada Quill"}, {"name", "it's ada", "ada"}, {"name", "my name is Ada Quill, thanks", "Ada Quill"}, {"name", "Ada", "Ada"}, {"name", "why do you ask?", "-"},
		{"list", "bikes, two dogs and a pram", "[bikes two dogs a pram]"}, {"text", "  a red   hat ", "a red hat"}, {"text", "", "-"},
	} {
		v, ok := Read{As: c.as, Choices: colours}.Hear(c.said, Hearing{Speech: text.SpeechOf("en"), Region: "GB", Now: now, Asked: true})
		got := "-"
		if ok {
			switch v := v.(type) {
			case time.Time:
				if got = v.Format("2006-01-02 15:04"); v.Hour() == 0 && v.Minute() == 0 {
					got = v.Format(time.DateOnly)
				}
			default:
				got = fmt.Sprint(v)
			}
		}
		if got != c.want {
			t.Errorf("as %s, %q gives %s, not %s", c.as, c.said, got, c.want)
		}
	}
	for _, c := range []struct{ code, yes, no, stop string }{{"es", "sí, claro", "no", "baja"}, {"fr", "oui", "non merci", "STOP"}, {"sv", "Ja", "nej", "sluta"}, {"no", "ja", "nei", "stopp"}, {"ru", "Да", "нет", "отписаться"}, {"hu", "Igen", "nem", "leiratkozás"}} {
		s := text.SpeechOf(c.code)
		yes, ok := s.YesOrNo(c.yes)
		no, ok2 := s.YesOrNo(c.no)
		if !yes || !ok || no || !ok2 || !s.OptsOut(c.stop) || s.OptsOut(c.yes) || s.StopDone == "" || s.StopDone == text.SpeechOf("en").StopDone {
			t.Errorf("%s: yes %v %v, no %v %v, stop %v", c.code, yes, ok, no, ok2, s.OptsOut(c.stop))
		}
	}
	if s := text.SpeechOf("en").With(map[string][]string{"stop": {"Enough already!"}, "not_clear": {"Eh?"}}); !s.OptsOut("enough already") || s.NotClear != "Eh?" || text.SpeechOf("en").OptsOut("enough already") {
		t.Error("a workspace's own phrases do not count, or count elsewhere")
	}
}

func TestDurationsReadAndSpeak(t *testing.T) {
	for said, want := range map[string]string{"30m": "30 minutes", "1h30m": "1 hour and 30 minutes", "4d": "4 days", "2w": "14 days", "90s": "1 minute and 30 seconds", "0s": "no time", "1.5h": "1 hour and 30 minutes", "soon": "", "": "", "-3d": "", "99999999d": "", "3": ""} {
		d, err := ParseDuration(said)
		if got := Spoken(d); err == nil && got != want || err != nil && want != "" {
			t.Errorf("%q is %q, %v", said, got, err)
		}
	}
}
