package encoder

import (
	"bytes"
	_ "embed"
	"encoding/binary"
	"math"
	"math/rand/v2"
	"slices"
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

// The vectors are those of the package that the weights come from, made with its
// own runtime.
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
