package encoder

import (
	"bytes"
	_ "embed"
	"encoding/binary"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"
)

//go:embed testdata/sentences.txt
var sentences string

//go:embed testdata/reference.bin
var reference []byte

func open(t testing.TB) *Encoder {
	t.Helper()
	e, err := Shared()
	if err != nil {
		t.Fatal(err)
	}
	return e
}

// The vectors are those that the training computes with the same weights
// (test/training/reference.py).
func TestVectorsAreThoseOfTheReference(t *testing.T) {
	e := open(t)
	lines := strings.Split(strings.TrimSuffix(sentences, "\n"), "\n")
	if len(lines) < 200 {
		t.Fatalf("only %d sentences", len(lines))
	}
	lowest, sum := 1.0, 0.0
	for i, line := range lines {
		want := make([]float32, Dim)
		if err := binary.Read(bytes.NewReader(reference[4*Dim*i:4*Dim*(i+1)]), binary.LittleEndian, want); err != nil {
			t.Fatal(err)
		}
		cosine := product(encode(t, e, line), want)
		if cosine < 0.995 {
			t.Errorf("%q: cosine %.4f", line, cosine)
		}
		lowest = min(lowest, cosine)
		sum += cosine
	}
	t.Logf("%d sentences: cosine mean %.5f, lowest %.5f", len(lines), sum/float64(len(lines)), lowest)
}

func product(a, b []float32) (sum float64) {
	for i := range a {
		sum += float64(a[i]) * float64(b[i])
	}
	return sum
}

// The processor's fast way and plain Go compute the same whole numbers.
func TestFastAndPlainAreEqual(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	const outputs = 3
	for _, n := range []int{16, inner, Dim, hidden} {
		weights, x := make([]int8, outputs*n), make([]int16, tile*n)
		for i := range weights {
			weights[i] = int8(random.IntN(255) - 127)
		}
		for i := range x {
			x[i] = int16(random.IntN(2*finest+1) - finest)
		}
		plain, quick := make([]int32, outputs*tile), make([]int32, outputs*tile)
		dotTilesPlain(weights, x, outputs, n, plain)
		dotTiles(weights, x, outputs, n, quick)
		if !slices.Equal(plain, quick) {
			t.Errorf("%d numbers: %v and %v", n, plain, quick)
		}
	}
	// The largest sums still fit.
	weights, x := slices.Repeat([]int8{-127}, hidden), slices.Repeat([]int16{finest}, tile*hidden)
	sums := make([]int32, tile)
	dotTiles(weights, x, 1, hidden, sums)
	if sums[3] != -127*finest*hidden {
		t.Errorf("the largest sum is %d", sums[3])
	}
}

func FuzzEncode(f *testing.F) {
	for _, s := range []string{"", " ", "\xff\xfe", "a\u200bb", strings.Repeat("ä ", 9000), "\u2581"} {
		f.Add(s)
	}
	e := open(f)
	f.Fuzz(func(t *testing.T, s string) {
		v := encode(t, e, s)
		if length := math.Sqrt(product(v, v)); math.Abs(length-1) > 1e-3 {
			t.Errorf("%q has length %v", s, length)
		}
	})
}

func BenchmarkEncodeTwelveWords(b *testing.B) {
	e := open(b)
	for b.Loop() {
		encode(b, e, "how do I take my bicycle with me on the morning boat?")
	}
}

func encode(t testing.TB, e *Encoder, s string) []float32 {
	t.Helper()
	vector, err := e.Encode(t.Context(), s)
	if err != nil {
		t.Fatal(err)
	}
	return vector
}

//go:embed testdata/judged.tsv
var judgedPairs string

// What the judge makes of questions and sentences is what the training computed with
// the same weights.
func TestJudgementsAreThoseOfTheTraining(t *testing.T) {
	e := open(t)
	for line := range strings.Lines(judgedPairs) {
		f := strings.Split(strings.TrimSpace(line), "\t")
		asked, question, err := e.Ask(t.Context(), f[0])
		if err != nil {
			t.Fatal(err)
		}
		sentence, err := e.Read(t.Context(), f[1])
		if err != nil {
			t.Fatal(err)
		}
		cosine, match := product(question.Vector, sentence.Vector), asked.Match(sentence.Tokens)
		// Judged beside another, so that rows are not mixed up.
		sure := asked.Judge([]Tokens{question.Tokens, sentence.Tokens}, []float64{1, cosine})[1].Sure
		for i, got := range []float64{cosine, match, sure} {
			want, _ := strconv.ParseFloat(f[2+i], 64)
			if math.Abs(got-want) > []float64{0.02, 0.02, 0.25}[i] {
				t.Errorf("%q, %q: %s %.4f, the training has %.4f", f[0], f[1], []string{"cosine", "match", "judgement"}[i], got, want)
			}
		}
		t.Logf("%.3f %.3f %.3f, training %s", cosine, match, sure, f[2:])
	}
}

// Tokens survive being kept, and damaged ones are recognised.
func TestTokensAreKept(t *testing.T) {
	e := open(t)
	var texts []Tokens
	for _, s := range []string{"Dogs travel free.", "", "A longer sentence about the boats of Tuesday."} {
		r, err := e.Read(t.Context(), s)
		if err != nil {
			t.Fatal(err)
		}
		texts = append(texts, r.Tokens)
	}
	kept := Bytes(texts)
	back := ParseTokens(kept)
	if len(back) != len(texts) {
		t.Fatalf("%d texts of %d came back", len(back), len(texts))
	}
	for i := range texts {
		if !slices.Equal(texts[i], back[i]) {
			t.Errorf("text %d came back changed", i)
		}
	}
	if ParseTokens(kept[:len(kept)-1]) != nil {
		t.Error("what was cut off was taken")
	}
}
