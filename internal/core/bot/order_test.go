package bot

import (
	_ "embed"
	"reflect"
	"slices"
	"strings"
	"testing"
)

//go:embed testdata/notes.txt
var notes string

// Free notes go where a careful colleague would put them.
func TestNotesAreSetInOrder(t *testing.T) {
	right, all, before := 0, 0, ""
	for line := range strings.Lines(notes) {
		want, sentence, is := strings.Cut(strings.TrimSpace(line), " | ")
		if !is || strings.HasPrefix(line, "#") {
			continue
		}
		all++
		if want == "name" {
			before = sentence
		}
		placed := SetInOrder(before + "\n" + sentence)[1:]
		keys := []string{}
		for _, p := range placed {
			key := p.Key[strings.LastIndex(p.Key, ".")+1:]
			switch {
			case p.Key == "escalate.on":
				key = "escalate " + p.Value.(string)
			case strings.HasPrefix(p.Key, "limits."):
				key = "limits " + key
			case p.Key == "off_topic.questions":
				key = "off_topic"
			}
			keys = append(keys, key)
		}
		if slices.Contains(keys, want) && len(keys) <= 2 {
			right++
		} else {
			t.Logf("%q is put under %q, not %q", sentence, keys, want)
		}
	}
	if right < 106 {
		t.Errorf("%d of %d stand where they belong", right, all)
	}
}

// What was put in its place is put together: lists grow, each entry once, and nothing is made up.
func TestSortedNotesAreGathered(t *testing.T) {
	list := SetInOrder(`- You are Marlow, the assistant of the bakery. Be warm. Sound cheerful.
2. Never give discounts. Never give discounts. Get a person if somebody is angry.
Say "guest", not "customer". Call it loaf, not bread.
It never sleeps. Q: do you deliver? A: On Thursdays.
Blue is a colour.`)
	brief := Gathered(list)
	want := map[string]any{
		"name": "Marlow", "voice.tone": "warm. Cheerful", "rules": []any{"Never give discounts", "It never sleeps"}, "escalate.on": []any{"anger"},
		"voice.call": map[string]any{"customer": "guest", "bread": "loaf"}, "examples": []any{map[string]any{"customer": "do you deliver?", "bot": "On Thursdays."}},
	}
	if !reflect.DeepEqual(brief, want) {
		t.Errorf("gathered is %v; want %v", brief, want)
	}
	if last := list[len(list)-1]; last.Key != "" || last.Sentence != "Blue is a colour." {
		t.Errorf("what has no place stands under %q", last.Key)
	}
	// What is said in one breath goes where each of it belongs.
	list = SetInOrder(`Be friendly and brief, use first names. When you don't know something, say "Let me ask the nursery" and fetch a person. We call customers gardeners. Always end with "Happy growing!".`)
	if got, want := Gathered(list), map[string]any{
		"voice.tone": "friendly", "voice.length": "short", "voice.address": "first name", "escalate.on": []any{"not known"},
		"wordings.handed_over": []any{"Let me ask the nursery"}, "voice.call": map[string]any{"customers": "gardeners"}, "wordings.sign_off": []any{"Happy growing!"},
	}; !reflect.DeepEqual(got, want) {
		t.Errorf("in one breath: %v; want %v", got, want)
	}
	if n := len(SetInOrder(strings.Repeat("Never do this. ", 1000))); n != mostNotes {
		t.Errorf("of a thousand sentences %d are read", n)
	}
}
