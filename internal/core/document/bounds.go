package document

import (
	"fmt"

	"github.com/goccy/go-yaml/lexer"
	"github.com/goccy/go-yaml/token"

	"urgentparrot.example/internal/core/text"
)

// What a document may hold: more than any that people write, and little enough that
// reading it takes little time and memory, whatever it is.
const (
	mostTokens = 20_000
	deepest    = 24  // blocks in blocks
	mostWrong  = 50  // problems that are told
	mostSaid   = 400 // letters of each
)

// excess reports what a document has too much of, and where; it is looked for before
// the document is read, in time linear in its size.
func excess(source []byte) *Problem {
	tokens := lexer.Tokenize(string(source))
	wrong := func(tk *token.Token, format string, args ...any) *Problem {
		return &Problem{Line: tk.Position.Line, Column: tk.Position.Column, Message: fmt.Sprintf(format, args...)}
	}
	const deep = "it is nested more than %d deep; no document needs that"
	flow, entries, line := 0, 0, 0
	var columns []int // of the keys and items above
	for i, tk := range tokens {
		if i == mostTokens {
			return wrong(tk, "the document is too long: divide it, or keep long lists in a sheet or in the knowledge")
		}
		if tk.Position.Line != line {
			line, entries = tk.Position.Line, 0
			for len(columns) > 0 && columns[len(columns)-1] >= tk.Position.Column {
				columns = columns[:len(columns)-1]
			}
			if columns = append(columns, tk.Position.Column); len(columns) > deepest {
				return wrong(tk, deep, deepest)
			}
		}
		switch tk.Type {
		case token.AliasType:
			return wrong(tk, "references (*%s) are not taken here; write out what is meant, or put the text in quotes", clip(tk.Next))
		case token.SequenceStartType, token.MappingStartType:
			if flow++; flow > deepest {
				return wrong(tk, deep, deepest)
			}
		case token.SequenceEndType, token.MappingEndType:
			flow = max(0, flow-1)
		case token.SequenceEntryType, token.MappingKeyType:
			if entries++; entries > deepest {
				return wrong(tk, deep, deepest)
			}
		}
	}
	return nil
}

func clip(tk *token.Token) string {
	if tk == nil {
		return ""
	}
	return brief(tk.Value)
}

// brief bounds what is quoted of a document.
func brief(s string) string { return text.Short(s, 80) }
