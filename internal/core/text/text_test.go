package text

import (
	"slices"
	"strings"
	"testing"
	"time"
	"unicode/utf8"
)

func TestWordsAreFoldedAndPlaced(t *testing.T) {
	for said, want := range map[string]string{
		"Can't I take my CAFÉ-table?":  "cant i take my cafe table",
		"the dogs' bowl, o’clock 6.20": "the dogs bowl oclock 6 20",
		"Größe «42» naïve":             "große 42 naive",
		"Пёс и кошка":                  "пес и кошка",
		" — ":                          "",
	} {
		var folded []string
		for _, w := range Words(said) {
			folded = append(folded, w.Folded)
			if Fold(said[w.Start:w.End]) != w.Folded {
				t.Errorf("%q: %q stands at %q", said, w.Folded, said[w.Start:w.End])
			}
		}
		if got := strings.Join(folded, " "); got != want {
			t.Errorf("%q: got %q, want %q", said, got, want)
		}
	}
	for range EachWord("one two") {
		break // whoever has enough may leave
	}
}

func TestSentencesEndWhereTheyEnd(t *testing.T) {
	for _, sentences := range [][]string{
		{"The boat leaves at 6 p.m. from pier 2.", "Be early!"},
		{"Ask Mr. Brill, e.g. on deck.", "He knows."},
		{"Is it 3.5 m long?", "(Yes.)", "Good."},
		{"By card:", "- at the pier", "- on board"},
		{"J. Smith signs it.", "No. 4 is free"},
	} {
		said := strings.Join(sentences, " ")
		if strings.HasSuffix(sentences[0], ":") {
			said = strings.Join(sentences, "\n")
		}
		var got []string
		for _, span := range Sentences(said) {
			got = append(got, said[span.Start:span.End])
		}
		if !slices.Equal(got, sentences) {
			t.Errorf("got %q, want %q", got, sentences)
		}
	}
	const long = "First it says this. Then it goes on for longer. And on."
	for limit, want := range map[int]string{0: long, 200: long, 30: "First it says this.", 5: "First it says this."} {
		if got := Fit(long, limit, false); got != want {
			t.Errorf("within %d: %q", limit, got)
		}
	}
	if got := Fit(long, 12, true); got != "First it…" {
		t.Errorf("cut hard: %q", got)
	}
}

// The forms of a word are one term, in each language with a stemmer; other
// languages are only folded.
func TestFormsOfAWordAreOneTerm(t *testing.T) {
	for language, forms := range map[string][2]string{
		"en": {"bicycles", "bicycle"}, "es": {"barcos", "barco"}, "fr": {"chevaux", "cheval"}, "sv": {"båtarna", "båtar"},
		"no": {"båtene", "båten"}, "ru": {"собаки", "собака"}, "hu": {"hajók", "hajó"},
	} {
		a := NewAnalyzer(language, nil)
		if one, other := a.Stem(Fold(forms[0])), a.Stem(Fold(forms[1])); one != other {
			t.Errorf("%s: %s and %s are %s and %s", language, forms[0], forms[1], one, other)
		}
	}
	if a := NewAnalyzer("fi", nil); a.Stem("laivat") == a.Stem("laiva") {
		t.Error("a language without a stemmer has one")
	}
	a := NewAnalyzer("en", [][]string{{"ferry", "boat", "vessel"}})
	if a.Stem("vessels") != a.Stem("ferries") {
		t.Error("synonyms of the workspace are not one term")
	}
	var telling []string
	for _, term := range a.Telling("How do I get the boat and the boats?") {
		if !term.Light {
			telling = append(telling, term.Word)
		}
	}
	if got := strings.Join(telling, " "); got != "boat" {
		t.Errorf("telling words are %q", got)
	}
}

func TestALanguageIsToldByItsGrammar(t *testing.T) {
	for said, want := range map[string]string{
		"¿Puedo llevar mi perro en el barco?": "es", "est-ce que les chiens sont admis ?": "fr", "Можно ли мне взять собаку с собой?": "ru",
		"who painted the mona lisa": "en", "can i bring my dog": "en", "dogs?": "", "xyzzy plugh": "",
	} {
		if got := LanguageOf(said); got != want {
			t.Errorf("%q is in %q, want %q", said, got, want)
		}
	}
}

func TestEverydayWordsStandForOneAnother(t *testing.T) {
	a := NewAnalyzer("en", nil)
	if !slices.Contains(a.Alike(a.Stem("delete")), a.Stem("remove")) {
		t.Error("delete is not like remove")
	}
	found := a.Phrases(a.Terms("how do i get rid of it"))
	if len(found) != 1 || !slices.Contains(found[0].Stems, a.Stem("delete")) {
		t.Errorf("turns of phrase: %+v", found)
	}
	if !slices.Contains(a.Alike(a.Stem("France")), a.Stem("abroad")) {
		t.Error("france does not stand for abroad")
	}
	for _, other := range []string{"france", "germany"} {
		if slices.Contains(a.Alike(a.Stem("abroad")), a.Stem(other)) || slices.Contains(a.Alike(a.Stem("spain")), a.Stem(other)) {
			t.Errorf("abroad, or another country, stands for %s", other)
		}
	}
	vegan, vegetarian := a.Stem("vegan"), a.Stem("vegetarian")
	if !slices.Contains(a.Alike(vegan), vegetarian) || slices.Contains(a.Synonyms(vegan), vegetarian) || slices.Contains(a.Synonyms(a.Stem("france")), a.Stem("abroad")) || !slices.Contains(a.Synonyms(a.Stem("delete")), a.Stem("remove")) {
		t.Error("what is only near, or of a kind, may be said for the other, or a synonym may not")
	}
	if russian := NewAnalyzer("ru", nil); russian.Alike("x") != nil || russian.Phrases(nil) != nil {
		t.Error("another language has English groups")
	}
}

func TestMisspeltWordsAreMended(t *testing.T) {
	v := NewVocabulary(map[string]int32{"bicycle": 4, "cancelled": 9, "sell": 1, "skel": 3, "ticket": 30, "ticked": 1, "dog": 5, "accommodation": 2})
	for misspelt, want := range map[string]string{
		"bycicle": "bicycle", "bicyle": "bicycle", "canceled": "cancelled", "tikcet": "ticket", "acomodation": "accommodation",
		"sel": "sell", // a letter left single is likelier than a strange one put in
		"dgo": "dog", "xyz": "", "do": "",
	} {
		near := v.Near(misspelt)
		Likeliest(near)
		got := ""
		if len(near) > 0 {
			got = near[0].Word
		}
		if got != want {
			t.Errorf("%s stands for %q, want %q", misspelt, got, want)
		}
	}
	for _, c := range []struct {
		a, b string
		want int
	}{{"boat", "boat", 0}, {"boat", "baot", 1}, {"boat", "oat", 1}, {"kitten", "sitting", 3}, {"", "abc", 3}, {"héron", "heron", 1}} {
		if got := Distance(c.a, c.b); got != c.want || Distance(c.b, c.a) != c.want {
			t.Errorf("%s to %s: %d slips, want %d", c.a, c.b, got, c.want)
		}
	}
}

func TestHeadingsLoseTheirNumbers(t *testing.T) {
	for heading, want := range map[string]string{
		"3.2. Paying": "Paying", "Chapter 3. Paying": "Paying", "IV. Paying": "Paying", "G12. Paying": "Paying", "Step 3: Paying": "Paying", "2) Paying": "Paying",
		"Part 2 Paying": "Paying", "3D printing": "3D printing", "A bicycle": "A bicycle", "I am lost": "I am lost", "24": "24",
	} {
		if got := Unnumbered(heading); got != want {
			t.Errorf("%q became %q, want %q", heading, got, want)
		}
	}
}

func TestDetailsAreHeardAsTheyAreSaid(t *testing.T) {
	for said, want := range map[string]string{"it's Ada.Brill@example.org, thanks": "ada.brill@example.org", "none": ""} {
		if got := Email(said); !strings.EqualFold(got, want) {
			t.Errorf("%q: address %q", said, got)
		}
	}
	for said, want := range map[string]string{"my number is 07700 900123": "+447700900123", "on 12/05/2026 at 6": ""} {
		if got := Phone(said, "GB"); got != want {
			t.Errorf("%q: number %q, want %q", said, got, want)
		}
	}
	for said, want := range map[string]string{"My name is Ada Brill and I am late": "Ada Brill", "I am late": ""} {
		if got := Name(said); got != want {
			t.Errorf("%q: name %q, want %q", said, got, want)
		}
	}
	now := time.Date(2026, 11, 25, 10, 0, 0, 0, time.UTC)
	for said, want := range map[string]string{"tomorrow": "2026-11-26", "today please": "2026-11-25", "2026-12-24": "2026-12-24", "never": ""} {
		day, ok := Date(said, now)
		if got := day.Format(time.DateOnly); ok != (want != "") || ok && got != want {
			t.Errorf("%q: %s, %v", said, got, ok)
		}
	}
}

// Whatever is said, words and sentences lie within it, in order, and are valid
// text.
func FuzzWordsAndSentences(f *testing.F) {
	for _, said := range []string{"", "a.b c!? 'd' …", "ÄÖ'x\n\n- y", "\xff\xfe", "é́́ '’'", "1.2.3 e.g. A. B"} {
		f.Add(said)
	}
	a := NewAnalyzer("en", nil)
	f.Fuzz(func(t *testing.T, said string) {
		last := 0
		for _, w := range Words(said) {
			if w.Start < last || w.End <= w.Start || w.End > len(said) {
				t.Fatalf("%q: a word at %d to %d, after %d", said, w.Start, w.End, last)
			}
			last = w.End
		}
		last = 0
		for _, s := range Sentences(said) {
			if s.Start < last || s.End <= s.Start || s.End > len(said) {
				t.Fatalf("%q: a sentence at %d to %d, after %d", said, s.Start, s.End, last)
			}
			last = s.End
		}
		if fitted := Fit(said, 10, true); utf8.ValidString(said) && (!utf8.ValidString(fitted) || utf8.RuneCountInString(fitted) > 10) {
			t.Fatalf("%q cut to %q", said, fitted)
		}
		a.Phrases(a.Terms(said))
	})
}

func TestPlainTakesOutWhatIsNotSeen(t *testing.T) {
	for s, want := range map[string]string{
		"\ufeffis there food?": "is there food?", "b\u200bo\u00adat": "boat", "\u202eboat\u202c": "boat", "\x1b[2Jboat\x07": "[2Jboat", "two\nlines\tand tabs\r\n": "two\nlines\tand tabs\n",
		"👩\u200d👧": "👩\u200d👧", "naïve café": "naïve café", "caf\xc3": "caf", "": "",
	} {
		if got := Plain(s); got != want {
			t.Errorf("%q became %q, want %q", s, got, want)
		}
	}
}
