package flow

import (
	"sync"
	"time"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/ext"

	"urgentparrot.example/internal/core/text"
)

// The functions of expressions beside CEL's own.

// shared is what the expressions of all flows have in common: it takes a while to make.
var shared = sync.OnceValues(func() (*cel.Env, error) {
	talk, hours := cel.MapType(cel.StringType, cel.StringType), cel.MapType(cel.StringType, cel.BoolType)
	return cel.NewEnv(
		cel.OptionalTypes(), ext.Strings(), cel.CrossTypeNumericComparisons(true),
		cel.Variable("conversation", talk), cel.Variable("workspace", hours),
		cel.Function("said", cel.MemberOverload("conversation_said", []*cel.Type{talk, cel.StringType}, cel.BoolType, cel.BinaryBinding(wasSaid))),
		cel.Function("open", cel.MemberOverload("workspace_open", []*cel.Type{hours, cel.StringType}, cel.BoolType, cel.BinaryBinding(areOpen))),
	)
})

// wasSaid is conversation.said: whether the customer said something, as whole words.
func wasSaid(talk, phrase ref.Val) ref.Val {
	said, ok := talk.Value().(map[string]string)
	words, isText := phrase.Value().(string)
	if !ok || !isText {
		return types.NewErr("said takes words, as in conversation.said(\"refund\")")
	}
	return types.Bool(contains(said["customer"], words))
}

// areOpen is workspace.open: whether people are there now, by the hours of a name.
func areOpen(open, name ref.Val) ref.Val {
	are, ok := open.Value().(map[string]bool)
	hours, isText := name.Value().(string)
	return types.Bool(ok && isText && are[hours])
}

// spokenIn is the function spoken: a time, or the text of one, as people of a language say
// it, seen from now, which the rewriting adds; another text stands as it is.
func spokenIn(language string, zone *time.Location) cel.EnvOption {
	say := func(t time.Time, now ref.Val) ref.Val {
		seen, _ := now.Value().(time.Time)
		return types.String(text.SpokenDay(language, t.In(zone), seen.In(zone)))
	}
	return cel.Function("spoken",
		cel.Overload("spoken_time", []*cel.Type{cel.TimestampType, cel.TimestampType}, cel.StringType, cel.BinaryBinding(func(v, now ref.Val) ref.Val {
			t, _ := v.Value().(time.Time)
			return say(t, now)
		})),
		cel.Overload("spoken_text", []*cel.Type{cel.StringType, cel.TimestampType}, cel.StringType, cel.BinaryBinding(func(v, now ref.Val) ref.Val {
			written, _ := v.Value().(string)
			if at, ok := Moment(written, time.Time{}.In(zone)); ok {
				return say(at, now)
			}
			return types.String(written)
		})))
}

// timeOf is the function time: a time out of a text, in a zone.
func timeOf(zone *time.Location) cel.EnvOption {
	return cel.Function("time", cel.Overload("time_of_text", []*cel.Type{cel.StringType}, cel.TimestampType, cel.UnaryBinding(func(written ref.Val) ref.Val {
		said, _ := written.Value().(string)
		at, ok := Moment(said, time.Time{}.In(zone))
		if !ok {
			return types.NewErr("%q is no time; write it like 2026-12-01 or 2026-12-01 09:30", clipped(said))
		}
		return types.Timestamp{Time: at}
	})))
}
