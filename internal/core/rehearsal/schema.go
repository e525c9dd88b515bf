package rehearsal

// Schema is the JSON Schema (draft 2020-12) of rehearsals, for editors.
func Schema() map[string]any {
	text := map[string]any{"type": "string"}
	texts := map[string]any{"anyOf": []any{text, map[string]any{"type": "array", "items": text}}}
	is := map[string]any{"type": "boolean"}
	cells := map[string]any{"type": "object", "additionalProperties": map[string]any{"type": []any{"string", "number"}}}
	object := func(properties map[string]any) map[string]any {
		return map[string]any{"type": "object", "properties": properties, "additionalProperties": false}
	}
	line := object(map[string]any{
		"customer": map[string]any{"type": "string", "description": "What the customer writes."},
		"bot": map[string]any{"description": "What the bot says next.", "anyOf": []any{texts, object(map[string]any{
			"says": texts, "asks": texts, "any": texts, "not": texts,
		})}},
		"pass_time": map[string]any{"type": "string", "description": "Time that passes, such as 31m or 4d."},
		"person":    map[string]any{"enum": []any{"take", "return", "close"}},
		"start":     object(map[string]any{"flow": text, "form": text, "with": cells, "post": map[string]any{"type": "object"}}),
		"answers":   object(map[string]any{"tool": text, "result": map[string]any{}, "error": text}),
		"expect": object(map[string]any{
			"sheet": text, "row": cells, "tag": text, "stage": text, "notified": text, "called": text, "counted": text, "ended": text,
			"waits": map[string]any{"enum": []any{"time", "reply", "result", "person", "turn"}}, "field": cells, "answered": is, "escalated": is, "closed": is,
		}),
	})
	whole := object(map[string]any{
		"rehearsal": map[string]any{"type": "string", "description": "Its title."}, "channel": text, "bot": text, "contact": cells,
		"begins": map[string]any{"type": "string", "description": "When it begins, as 2026-12-01 09:30."},
		"script": map[string]any{"type": "array", "minItems": 1, "items": line},
	})
	whole["$schema"], whole["title"] = "https://json-schema.org/draft/2020-12/schema", "Rehearsal"
	whole["required"] = []any{"rehearsal", "script"}
	return whole
}
