package encoder

import "testing"

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

func BenchmarkEncodeTwelveWordsPlainly(b *testing.B) {
	plainly(b)
	BenchmarkEncodeTwelveWords(b)
}
