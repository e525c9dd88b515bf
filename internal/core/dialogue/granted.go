package dialogue

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/thinker"
)

// act does what the model asks for, as far as it was granted. What a tool said is a passage
// that sentences may stand on.
func (r *reader) act(calls []thinker.Call) (why string) {
	for _, call := range calls {
		at := slices.IndexFunc(r.Tools, func(t Tool) bool { return t.Name == call.Name })
		switch {
		case at < 0 && r.does(call):
			if r.passedTo != nil {
				return ""
			}
			continue
		case at < 0:
			return fmt.Sprintf("the model asks for %q, which it was not granted", text.Short(call.Name, 60))
		case call.Unread != "":
			return fmt.Sprintf("the model calls %s with something that is not JSON", call.Name)
		case slices.ContainsFunc(r.done, func(d thinker.Done) bool { return sameCall(d.Call, call) }):
			return fmt.Sprintf("the model calls %s again with the same arguments", call.Name)
		case len(r.done) == callsInTurn:
			return "the model calls more tools than a turn may"
		}
		tool := r.Tools[at]
		arguments, missing := tool.Settle(call.Arguments, r.Memory)
		record := func(outcome string) {
			r.trace.Tools = append(r.trace.Tools, ToolUse{Tool: tool.Name, Likeness: 1, Arguments: arguments, Outcome: outcome})
		}
		if missing != nil {
			record("the model left out " + missing.Name)
			return fmt.Sprintf("the model calls %s without %s", tool.Name, missing.Name)
		}
		if err := tool.CheckArguments(arguments); err != nil {
			record("the arguments do not fit: " + err.Error())
			return fmt.Sprintf("the model calls %s with arguments that do not fit", tool.Name)
		}
		made := Call{Tool: tool.Name, Arguments: arguments, Question: r.said}
		result := slices.IndexFunc(r.Results, func(x Result) bool { return x.key() == made.key() })
		if result < 0 && tool.Approval && !r.allows(made) {
			record("it waits for a person")
			return fmt.Sprintf("the model calls %s, which a person has to allow", tool.Name)
		}
		if result < 0 {
			r.calls = append(r.calls, made)
			r.came(CodeCalling, "the model asks for a tool")
			record("called for the model")
			continue
		}
		name := fmt.Sprintf("T%d", len(r.done)+1)
		said := map[string]any{"id": name, "result": r.Results[result].Value}
		if e := r.Results[result].Error; e != "" {
			said = map[string]any{"id": name, "error": "it cannot be reached now"}
			record("failed: " + e)
		} else {
			record("told the model")
		}
		raw, err := json.Marshal(said)
		if err != nil {
			return "what " + tool.Name + " said cannot be read: " + err.Error()
		}
		r.done = append(r.done, thinker.Done{Call: call, Result: string(raw)})
	}
	return ""
}

func sameCall(a, b thinker.Call) bool {
	return Call{Tool: a.Name, Arguments: a.Arguments}.key() == Call{Tool: b.Name, Arguments: b.Arguments}.key()
}

// flat writes what a tool said as lines of words: "departures: from Brackwater, to ...".
func flat(v any) string {
	switch v := v.(type) {
	case map[string]any:
		var parts []string
		for _, key := range slices.Sorted(maps.Keys(v)) {
			parts = append(parts, strings.ReplaceAll(key, "_", " ")+" "+flat(v[key]))
		}
		return strings.Join(parts, ", ")
	case []any:
		var lines []string
		for _, item := range v {
			lines = append(lines, flat(item))
		}
		return strings.Join(lines, "\n")
	case nil:
		return ""
	}
	return fmt.Sprint(v)
}
