package dialogue_test

import (
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"urgentparrot.example/internal/core/dialogue"
)

// Whoever asks for what a tool does, in whatever words, reaches it with the details that they
// gave; whoever asks for something that only resembles it does not.
func TestToolsAreReachedByOrdinaryWords(t *testing.T) {
	raw, err := os.ReadFile("testdata/asking.txt")
	if err != nil {
		t.Fatal(err)
	}
	desk := frontDesk(t)
	desk.Now = time.Date(2026, 11, 24, 9, 0, 0, 0, desk.Settings.Zone())
	type score struct{ reached, heard, all int }
	tally := map[string]*[2]score{}
	want, n := "", 0
	var names []string
	for _, line := range strings.Split(string(raw), "\n") {
		if name, is := strings.CutPrefix(line, "## "); is {
			want, n = name, 0
			tally[name] = &[2]score{}
			names = append(names, name)
			continue
		}
		said, arguments, _ := strings.Cut(line, " =>")
		if said = strings.TrimSpace(said); said == "" || strings.HasPrefix(said, "#") {
			continue
		}
		held := 0
		if n++; n%3 == 0 {
			held = 1
		}
		s := desk
		s.Messages = []dialogue.Incoming{{ID: "1", Text: said}}
		d := dialogue.Decide(t.Context(), s)
		got, heard := "none", map[string]any{}
		if len(d.Trace.Tools) > 0 {
			got, heard = d.Trace.Tools[0].Tool, d.Trace.Tools[0].Arguments
		}
		scored := &tally[want][held]
		scored.all++
		missed := ""
		if got == want {
			scored.reached++
			for _, pair := range parted(arguments) {
				if name, value, _ := strings.Cut(pair, "="); fmt.Sprint(heard[name]) != value {
					missed = fmt.Sprintf("%s is %v, not %s", name, heard[name], value)
				}
			}
			if missed == "" {
				scored.heard++
			}
		} else {
			missed = "it reached " + got
		}
		if missed != "" && held == 0 {
			t.Logf("%q: %s", said, missed)
		}
	}
	all := [2]score{}
	for _, name := range names {
		s := tally[name]
		t.Logf("%-14s reached %d of %d, heard %d; of those held back %d of %d, heard %d", name, s[0].reached, s[0].all, s[0].heard, s[1].reached, s[1].all, s[1].heard)
		for held := range 2 {
			all[held].reached += s[held].reached
			all[held].heard += s[held].heard
			all[held].all += s[held].all
		}
	}
	const reached, ofHeld, none = 90, 43, 31 // of 102, 50 and 32
	if n := tally["none"][0].reached + tally["none"][1].reached; n < none {
		t.Errorf("of what only resembles what a tool does, %d of %d are left to the knowledge", n, none)
	}
	if all[0].reached < reached || all[1].reached < ofHeld {
		t.Errorf("a tool is reached by %d of %d, and %d of the %d held back", all[0].reached, all[0].all, all[1].reached, all[1].all)
	}
	if all[0].heard+2 < all[0].reached || all[1].heard+2 < all[1].reached {
		t.Errorf("details are heard of %+v", all)
	}
}

// parted takes "to=Gannet Holm date=2026-11-25" apart.
func parted(arguments string) (pairs []string) {
	for _, word := range strings.Fields(arguments) {
		if strings.Contains(word, "=") || len(pairs) == 0 {
			pairs = append(pairs, word)
		} else {
			pairs[len(pairs)-1] += " " + word
		}
	}
	return pairs
}
