package dialogue

import "strings"

// Code says what a turn came to. State, statistics and programs go by the code;
// Words are for people.
type Code string

// What turns come to.
const (
	CodeAnswered       Code = "answered"
	CodeAnsweredInPart Code = "answered_in_part"
	CodeAskedBack      Code = "asked_back"
	CodeOffered        Code = "offered"
	CodeConfirmed      Code = "confirmed"
	CodeNotKnown       Code = "not_known"
	CodeOffTopic       Code = "off_topic"
	CodeForbidden      Code = "forbidden"
	CodeHandedOver     Code = "handed_over"
	CodeAdded          Code = "added"
	CodeNoted          Code = "noted"
	CodeSmallTalk      Code = "small_talk"
	CodeSilent         Code = "silent"
	CodeCalling        Code = "calling"
	CodeLoop           Code = "loop"
	CodeFault          Code = "fault"
	CodeInFlow         Code = "in_flow"
	CodeOptedOut       Code = "opted_out"
)

var codes = map[Code]string{
	CodeAnswered:       "answered",
	CodeAnsweredInPart: "answered in part",
	CodeAskedBack:      "asked back",
	CodeOffered:        "offered",
	CodeConfirmed:      "confirmed",
	CodeNotKnown:       "not known",
	CodeOffTopic:       "off topic",
	CodeForbidden:      "refused",
	CodeHandedOver:     "handed over",
	CodeAdded:          "added for who was told",
	CodeNoted:          "noted",
	CodeSmallTalk:      "small talk",
	CodeSilent:         "silent",
	CodeCalling:        "calling a tool",
	CodeLoop:           "stopped a loop",
	CodeFault:          "could not decide",
	CodeInFlow:         "in a flow",
	CodeOptedOut:       "opted out",
}

// Words returns the code in words for people, the same wherever it is shown.
func (c Code) Words() string {
	if words, ok := codes[c]; ok {
		return words
	}
	return strings.ReplaceAll(string(c), "_", " ") // of another version
}
