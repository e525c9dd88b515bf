package dialogue

import "testing"

// Words of any length can be compared: a choice may be a single letter.
func TestWordsAreNearlyTheSame(t *testing.T) {
	for pair, near := range map[[2]string]bool{{"apartment", "a"}: false, {"single", ""}: false, {"a", "single"}: false, {"bicycel", "bicycle"}: true, {"return", "single"}: false} {
		if nearly(pair[0], pair[1]) != near {
			t.Errorf("%q and %q: nearly the same is %v", pair[0], pair[1], !near)
		}
	}
}
