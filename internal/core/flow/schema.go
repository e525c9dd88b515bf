package flow

// Schema is the JSON Schema (draft 2020-12) of the language, for editors that complete and
// check a flow as it is typed. The checker looks at more than a schema can say.
func (l *Language) Schema() map[string]any {
	steps := []any{}
	for _, k := range l.Steps {
		steps = append(steps, refTo("step_"+k.Name))
	}
	definitions := map[string]any{
		"steps": map[string]any{"oneOf": []any{map[string]any{"type": "array", "minItems": 1, "items": refTo("step")}, refTo("step")}},
		"step":  map[string]any{"anyOf": append(steps, map[string]any{"enum": stepNames(l)})},
	}
	for _, k := range l.Steps {
		fields := append([]Field{}, k.Fields...)
		extra := ofEveryStep
		if k.Saves == nil {
			extra = []Field{ofEveryStep[0], ofEveryStep[2]}
		}
		definitions["step_"+k.Name] = headedSchema(k.Name, k.About, k.Main, fields, extra)
	}
	triggers := []any{}
	names := []any{}
	for _, k := range l.Triggers {
		triggers = append(triggers, headedSchema(k.Name, k.About, k.Main, k.Fields, nil))
		names = append(names, k.Name)
	}
	trigger := map[string]any{"anyOf": append(triggers, map[string]any{"enum": names})}
	whole := objectSchema(head)
	properties := whole["properties"].(map[string]any)
	properties["when"] = map[string]any{"description": "What starts it, any of these.", "anyOf": []any{trigger, map[string]any{"type": "array", "minItems": 1, "items": trigger}}}
	properties["steps"] = map[string]any{"description": "What happens, in order.", "$ref": "#/$defs/steps"}
	whole["required"] = []any{"flow", "when", "steps"}
	whole["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	whole["title"] = "Flow"
	whole["$defs"] = definitions
	return whole
}

func stepNames(l *Language) (names []any) {
	for _, k := range l.Steps {
		names = append(names, k.Name)
	}
	return names
}

func refTo(name string) map[string]any { return map[string]any{"$ref": "#/$defs/" + name} }

// headedSchema is that of what is headed by its name: fields in a block behind it, beside
// it, or the main one alone.
func headedSchema(name, about, main string, fields, beside []Field) map[string]any {
	block := objectSchema(fields)
	delete(block, "required") // some may stand beside
	behind := []any{block, map[string]any{"type": "null"}}
	if f := fieldNamed(fields, main); f != nil {
		behind = append(behind, f.schema())
	}
	properties := map[string]any{}
	for _, f := range append(append([]Field{}, fields...), beside...) {
		properties[f.Name] = f.schema()
	}
	properties[name] = map[string]any{"description": about, "anyOf": behind}
	return map[string]any{"type": "object", "properties": properties, "required": []any{name}, "additionalProperties": false}
}

func objectSchema(fields []Field) map[string]any {
	properties, required := map[string]any{}, []any{}
	for _, f := range fields {
		properties[f.Name] = f.schema()
		if f.Required {
			required = append(required, f.Name)
		}
	}
	s := map[string]any{"type": "object", "properties": properties, "additionalProperties": false}
	if len(required) > 0 {
		s["required"] = required
	}
	return s
}

func (f Field) schema() map[string]any {
	s := map[string]any{}
	switch f.Type {
	case Number:
		s["type"], s["minimum"] = "integer", f.Least
		if f.Most > 0 {
			s["maximum"] = f.Most
		}
	case Flag:
		s["type"] = "boolean"
	case Choice:
		choices := []any{}
		for _, c := range f.Choices {
			choices = append(choices, c)
		}
		s["enum"] = choices
	case Duration:
		s["type"], s["pattern"] = "string", `^(\d+(\.\d+)?(ms|s|m|h|d|w)\s*)+$`
	case Variable:
		s["type"], s["pattern"] = "string", variableRule.String()
	case Steps:
		s["$ref"] = "#/$defs/steps"
	case Cells:
		s["type"], s["additionalProperties"] = "object", map[string]any{"type": []any{"string", "number"}}
	case Texts:
		s["anyOf"] = []any{map[string]any{"type": "string"}, map[string]any{"type": "array", "minItems": 1, "items": map[string]any{"type": "string"}}}
	case Object:
		s = objectSchema(f.Of)
	case Objects:
		item := objectSchema(f.Of)
		s["anyOf"] = []any{item, map[string]any{"type": "array", "minItems": 1, "items": item}}
	case JSON:
	case Condition, Value:
		s["type"] = []any{"string", "boolean", "number"}
	default:
		s["type"] = "string"
	}
	if f.About != "" {
		s["description"] = f.About
	}
	return s
}
