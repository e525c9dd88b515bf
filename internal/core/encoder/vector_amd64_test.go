package encoder

import (
	"slices"
	"testing"
)

// plainly computes in plain Go for the length of a test.
func plainly(t testing.TB) {
	avx2, vnni := hasAVX2, hasVNNI
	hasAVX2, hasVNNI = false, false
	t.Cleanup(func() { hasAVX2, hasVNNI = avx2, vnni })
}

// Each way that the processor has computes what plain Go does.
func TestTheOlderWayIsEqualToo(t *testing.T) {
	vnni := hasVNNI
	hasVNNI = false
	t.Cleanup(func() { hasVNNI = vnni })
	TestFastAndPlainAreEqual(t)
}

// What is made of texts, and of one held against another, is the same to the last bit
// whatever the processor has.
func TestEveryProcessorJudgesTheSame(t *testing.T) {
	e := open(t)
	made := func() (all []Reading, judged []Judgement) {
		asked, _, err := e.Ask(t.Context(), "my pram, does it cost extra?")
		if err != nil {
			t.Fatal(err)
		}
		var tokens []Tokens
		for _, said := range []string{"", "Dogs", "Children: Pushchairs travel free on every boat.", "Fares: A single is £4.50; a return is £8, for anybody of 16 years and more."} {
			r, err := e.Read(t.Context(), said)
			if err != nil {
				t.Fatal(err)
			}
			all, tokens = append(all, r), append(tokens, r.Tokens)
		}
		return all, asked.Judge(tokens, []float64{0, 0.1, 0.2, 0.3})
	}
	quick, quickly := made()
	older := hasVNNI
	hasVNNI = false
	t.Cleanup(func() { hasVNNI = older })
	for _, way := range []string{"the older way", "plain Go"} {
		all, judged := made()
		for i, r := range all {
			if !slices.Equal(r.Vector, quick[i].Vector) || !slices.Equal(r.Tokens, quick[i].Tokens) {
				t.Errorf("%s makes something else of text %d", way, i)
			}
		}
		if !slices.Equal(judged, quickly) {
			t.Errorf("%s judges %v, else %v", way, judged, quickly)
		}
		plainly(t)
	}
}

func BenchmarkEncodeTwelveWordsPlainly(b *testing.B) {
	plainly(b)
	BenchmarkEncodeTwelveWords(b)
}
