package encoder

import (
	"math"
	"math/rand/v2"
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

// Each kernel is equal to the plain one by itself too, also at the ends of what it is given, and
// for lengths that fill no register.
func TestKernelsAreEqual(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	numbers := func(n int) []float32 {
		list := make([]float32, n)
		for i := range list {
			list[i] = float32(random.NormFloat64())
		}
		return list
	}
	ends := []float32{-1e30, -89, -88, -87.9, -1e-30, 0, 1e-30, 0.5, 87.9, 88, 89, 1e30, float32(math.NaN()), float32(math.Inf(-1)), float32(math.Inf(1))}
	same := func(a, b []float32) bool {
		return slices.EqualFunc(a, b, func(x, y float32) bool { return math.Float32bits(x) == math.Float32bits(y) })
	}
	for _, n := range []int{0, 1, 3, 4, 8, 15, 16, 48, 61, 512} {
		a, b, rows := numbers(n), numbers(n), numbers(3*n)
		sums, scales, biases := make([]int32, n*tile), numbers(n), numbers(n)
		for i := range sums {
			sums[i] = int32(random.Uint32())
		}
		made := func() (all []float32) {
			raised, contrasted, powers := slices.Clone(a), make([]float32, 2*n), append(slices.Clone(a), ends...)
			raise(rows, 3, n, raised)
			contrast(a, b, contrasted)
			exps(powers, powers)
			floored := slices.Clone(b)
			floor(floored)
			settled := make([]float32, n*tile)
			settle(sums, []float32{0.5, 1.5, -2.5, 3}, scales, biases, settled, n)
			return slices.Concat([]float32{dot(a, b)}, raised, contrasted, powers, floored, settled)
		}
		quick := made()
		avx2 := hasAVX2
		hasAVX2 = false
		plain := made()
		hasAVX2 = avx2
		if !same(quick, plain) {
			t.Errorf("of %d numbers:\n%v\n%v", n, quick, plain)
		}
	}
}

func BenchmarkEncodeTwelveWordsPlainly(b *testing.B) {
	plainly(b)
	BenchmarkEncodeTwelveWords(b)
}
