package library

import (
	"context"
	"sync"

	"urgentparrot.example/internal/core/encoder"
	"urgentparrot.example/internal/core/knowledge"
)

// keptTokens is how many bytes of tokens are remembered at least: those of some
// thousands of passages. All are on disk.
const keptTokens = 48 << 20

// tokens remembers the tokens of passages that were looked at lately. The zero value is
// ready for use; it is safe for concurrent use.
type tokens struct {
	mu         sync.Mutex
	young, old map[string]tokensOf
	bytes      int // of the young
}

// tokensOf are those of the sentences of a passage while it said this.
type tokensOf struct {
	question, text string
	sentences      []encoder.Tokens
}

func (t *tokens) get(p *knowledge.Passage) []encoder.Tokens {
	t.mu.Lock()
	defer t.mu.Unlock()
	for _, known := range []map[string]tokensOf{t.young, t.old} {
		if of, ok := known[p.ID]; ok && of.text == p.Text && of.question == p.Question {
			return of.sentences
		}
	}
	return nil
}

func (t *tokens) put(p *knowledge.Passage, sentences []encoder.Tokens) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.young == nil || t.bytes > keptTokens {
		t.old, t.young, t.bytes = t.young, map[string]tokensOf{}, 0
	}
	t.young[p.ID] = tokensOf{p.Question, p.Text, sentences}
	for _, s := range sentences {
		t.bytes += len(s)
	}
}

// tokensOf returns the tokens of the sentences of passages; nil for those that are not
// encoded yet.
func (l *Library) tokensOf(ctx context.Context, hits []knowledge.Hit) [][]encoder.Tokens {
	all := make([][]encoder.Tokens, len(hits))
	var ids []string
	for i := range hits {
		if all[i] = l.tokens.get(&hits[i].Passage); all[i] == nil {
			ids = append(ids, hits[i].ID)
		}
	}
	if len(ids) == 0 {
		return all
	}
	kept, err := l.Store.Tokens(ctx, l.model().name, ids)
	if err != nil {
		l.Log.Warn("what was encoded of passages could not be read", "error", err)
		return all
	}
	for i := range hits {
		if all[i] == nil {
			if all[i] = encoder.ParseTokens(kept[hits[i].ID]); all[i] != nil {
				l.tokens.put(&hits[i].Passage, all[i])
			}
		}
	}
	return all
}
