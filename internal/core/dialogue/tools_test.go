package dialogue

import (
	"encoding/json"
	"testing"
	"time"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/tool"
)

// Words of any length can be compared: a choice may be a single letter.
func TestWordsAreNearlyTheSame(t *testing.T) {
	for pair, near := range map[[2]string]bool{{"apartment", "a"}: false, {"single", ""}: false, {"a", "single"}: false, {"bicycel", "bicycle"}: true, {"return", "single"}: false} {
		if nearly(pair[0], pair[1]) != near {
			t.Errorf("%q and %q: nearly the same is %v", pair[0], pair[1], !near)
		}
	}
}

// FuzzHear listens for arguments in whatever somebody writes, with values of any form:
// what is heard can be kept, and fits nothing that it was not made of.
func FuzzHear(f *testing.F) {
	for _, seed := range [][2]string{{"Room A", "book room a"}, {"a", "apartment"}, {"Little Sorrel", "to litle sorel tomorow"}, {"é", "e\u0301"}, {"1", "nan inf 0x1 1e9 12"}, {"", "?"}, {"\xff", "\xfe"}} {
		f.Add(seed[0], seed[1])
	}
	now := time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC)
	f.Fuzz(func(t *testing.T, value, said string) {
		if len(value) > 200 || len(said) > 2_000 {
			return
		}
		made := PrepareTool(text.NewAnalyzer("en", nil), tool.Tool{
			Name: "t", When: []string{"book " + value}, ComesFrom: map[string]tool.Origin{"a": {After: []string{"to"}}},
			Arguments: map[string]any{"type": "object", "required": []any{"a"}, "properties": map[string]any{
				"a": map[string]any{"type": "string", "enum": []any{value, "Room A", "b"}}, "n": map[string]any{"type": "integer"}, "d": map[string]any{"type": "string", "format": "date"},
				"h": map[string]any{"type": "string", "format": "time-of-day"}, "m": map[string]any{"type": "string", "format": "email"}, "w": map[string]any{"type": "string"},
			}},
		})
		for _, expected := range []string{"", "a", "w"} {
			heard := made.hear(listen(said, now, text.SpeechOf("en")), expected)
			if _, err := json.Marshal(heard); err != nil {
				t.Errorf("%q: %v", said, err)
			}
			if a, ok := heard["a"].(string); ok && a != value && a != "Room A" && a != "b" {
				t.Errorf("%q is heard as %q", said, a)
			}
		}
		analyzer := text.NewAnalyzer("en", nil)
		made.likeness(knowledge.Build(analyzer, nil), ask(analyzer, said))
	})
}
