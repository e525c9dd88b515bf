package dialogue

import (
	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/thinker"
)

// Trace records how a turn was decided.
type Trace struct {
	Understood []Understood `json:"understood"`
	Passed     []Passed     `json:"passed,omitempty"`
	Learnt     []string     `json:"learnt,omitempty"`
	Marked     []string     `json:"marked,omitempty"` // tags and stages that were given, and why
	Code       Code         `json:"code"`
	Why        string       `json:"why"`
	Threshold  float64      `json:"threshold"`
	// OfferThreshold is how likely what was found must be to be offered.
	OfferThreshold float64    `json:"offer_threshold"`
	Tools          []ToolUse  `json:"tools,omitempty"`
	Thoughts       []Thinking `json:"thoughts,omitempty"`
	// BuiltIn is why the built-in thinker made the reply although the bot has a model.
	BuiltIn string      `json:"built_in,omitempty"`
	Flows   []FlowTrace `json:"flows,omitempty"`
	Effects []string    `json:"effects"`
	Timings []Timing    `json:"timings"`
}

// Passed is one passing of the conversation to another bot or to people.
type Passed struct {
	From  string  `json:"from"`
	To    string  `json:"to"` // bot/NAME, team/NAME or person/NAME
	About string  `json:"about,omitempty"`
	Why   string  `json:"why"`
	Near  float64 `json:"near,omitempty"` // how near the question is to the examples
}

// Understood is one part of what came in and what it led to.
type Understood struct {
	answer.Part
	Outcome  string    `json:"outcome"`
	Mended   string    `json:"mended,omitempty"` // with misspelt words mended, if any were
	Likely   float64   `json:"likely,omitempty"` // the chance that one of the first three passages answers it, 0 to 1
	Passages []Weighed `json:"passages,omitempty"`
}

// Weighed is a passage that was looked at for an answer.
type Weighed struct {
	PassageID  string   `json:"passage_id"`
	Source     string   `json:"source"`
	Trail      []string `json:"trail,omitempty"`
	Question   string   `json:"question,omitempty"`
	Text       string   `json:"text"`
	Score      float64  `json:"score"`
	Coverage   float64  `json:"coverage"`
	Meaning    float64  `json:"meaning"`
	Confidence float64  `json:"confidence"`
	Missing    []string `json:"missing,omitempty"`
	Sure       float64  `json:"sure,omitempty"`  // what the checker makes of it, 0 to 1; 0 while that is not known
	Lacks      string   `json:"lacks,omitempty"` // the word of the question that the checker finds nothing for
	Quoted     bool     `json:"quoted,omitempty"`
	Offered    bool     `json:"offered,omitempty"`
}

// Thinking is one exchange with the model, and what became of what it said.
type Thinking struct {
	Kind       thinker.Kind      `json:"kind"`
	Connection string            `json:"connection"`
	Model      string            `json:"model"`
	Messages   []thinker.Message `json:"messages"`
	Functions  []string          `json:"functions,omitempty"`
	Passages   []thinker.Passage `json:"passages,omitempty"`
	Reply      *thinker.Reply    `json:"reply,omitempty"`
	Error      string            `json:"error,omitempty"`
	Cost       int64             `json:"cost"` // millionths of the currency
	Checks     []Checked         `json:"checks,omitempty"`
}

// Checked is a sentence that the model wrote, held against what it claims to stand on.
type Checked struct {
	Says  string   `json:"says"`
	Means string   `json:"means,omitempty"`
	On    []string `json:"on,omitempty"`    // passages, by their names in the exchange
	Fault string   `json:"fault,omitempty"` // "": it is supported
	Why   string   `json:"why,omitempty"`
}

// FlowTrace is what a run of a flow did in a turn.
type FlowTrace struct {
	Run    string        `json:"run"`
	Flow   string        `json:"flow"`
	Passed []flow.Passed `json:"passed"`
}

// ToolUse is one use of a tool in a turn.
type ToolUse struct {
	Tool      string         `json:"tool"`
	Likeness  float64        `json:"likeness"` // of the question to those the tool answers, 0 to 1
	Arguments map[string]any `json:"arguments"`
	Outcome   string         `json:"outcome"`
}

// Timing is how long one part of a turn took.
type Timing struct {
	Part         string `json:"part"`
	Microseconds int64  `json:"microseconds"`
}
