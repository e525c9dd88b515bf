package bot

import (
	"strings"
	"testing"

	"urgentparrot.example/internal/core/template"
)

func TestABriefIsUsable(t *testing.T) {
	b, err := Parse("b.yaml", []byte("bot: pip\nname: Pip\nescalate:\n  on: [not known]\nwordings:\n  thanked: [\"With pleasure, {{ contact.first_name.orValue('friend') }}.\", Any time.]\n"))
	if err != nil {
		t.Fatal(err)
	}
	ada := template.Values{Contact: map[string]string{"first_name": "Ada"}, Bot: "Pip"}
	if b.Threshold != DefaultThreshold || b.Word(Thanked, 0, ada) != "With pleasure, Ada." || b.Word(Thanked, 1, ada) != "Any time." || b.Word(Thanked, 2, ada) != b.Word(Thanked, 0, ada) {
		t.Errorf("it says %q then %q", b.Word(Thanked, 0, ada), b.Word(Thanked, 1, ada))
	}
	for key := range defaults {
		for turn := range 4 {
			if b.Word(key, turn, ada) == "" && key != SignOff { // which a brief has of its own, or none
				t.Errorf("it has no words for %s", key)
			}
		}
	}
	if !b.EscalatesOn(OnNotKnown) || !b.EscalatesOn(OnWish) || b.EscalatesOn(OnAnger) {
		t.Error("people come in when they should not, or not when they should")
	}
}

func TestAWrongBriefIsNamed(t *testing.T) {
	const good = "bot: pip\nname: Pip\n"
	for source, says := range map[string]string{
		"bot: pip\n":                                      "needs a name",
		good + "threshold: 1.5\n":                         "between 0 and 1",
		good + "while_waiting: sing\n":                    "answer or acknowledge",
		good + "escalate:\n  on: [boredom]\n":             "not a reason",
		good + "escalate:\n  notify: office-mail\n":       "who is told",
		good + "wordings:\n  thanked: [\"{{ bott }}\"]\n": "bott",
		good + "wordings:\n  thankd: [x]\n":               "not a wording",
		good + "forbidden:\n  - about: law\n":             "examples",
		good + "capture: {}\n":                            "which fields",
		"bot: [\n":                                        "b.yaml",
	} {
		if _, err := Parse("b.yaml", []byte(source)); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v, want one that says %q", source, err, says)
		}
	}
}
