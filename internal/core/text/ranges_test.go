package text

import (
	"math"
	"testing"
)

// A text says for which numbers it holds in many ways.
func TestRanges(t *testing.T) {
	const open = math.MaxInt
	for said, want := range map[string][][2]int{
		"Shoes come in sizes 28 to 50.":                      {{28, 50}},
		"Child 3–15: £3.40; under 3: free.":                  {{3, 15}, {0, 2}},
		"Student or over 65":                                 {{66, open}},
		"over-60s and under 5s":                              {{61, open}, {0, 4}},
		"Seniors (65+) and persons of 80 or over":            {{65, open}, {80, open}},
		"From 14 on they may climb alone.":                   {{14, open}},
		"between 6 and 14 children, at least 4, at most 12":  {{6, 14}, {4, open}, {0, 12}},
		"aged 12 and under, no older than 16":                {{0, 12}, {0, 16}},
		"Groups from 20 people; call 555-0185 before 9 a.m.": nil,
		"Nothing is counted here, from nine to five.":        nil,
	} {
		var got [][2]int
		for _, r := range Ranges(said) {
			got = append(got, [2]int{r.From, r.To})
		}
		if len(got) != len(want) {
			t.Errorf("%q: %v, wanted %v", said, got, want)
			continue
		}
		for i := range got {
			if got[i] != want[i] {
				t.Errorf("%q: %v, wanted %v", said, got, want)
			}
		}
	}
}
