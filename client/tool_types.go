package client

import "time"

// ToolInfo says how a tool stands.
type ToolInfo struct {
	Name       string     `json:"name" required:"true"`
	Title      string     `json:"title" required:"true"`
	Does       string     `json:"does" required:"true" description:"How it is carried out: request, mcp, find row, ..."`
	Connection string     `json:"connection,omitempty"`
	ReadsOnly  bool       `json:"reads_only" required:"true" description:"A call changes nothing."`
	Approval   bool       `json:"approval" required:"true" description:"A person allows each call."`
	Bots       []string   `json:"bots" required:"true" nullable:"false" description:"That may use it."`
	Flows      []string   `json:"flows" required:"true" nullable:"false" description:"That use it."`
	Calls      int        `json:"calls" required:"true" description:"Of those kept in the log."`
	Failed     int        `json:"failed" required:"true" description:"Of these."`
	LastAt     *time.Time `json:"last_at,omitempty"`
	LastError  string     `json:"last_error,omitempty" description:"Of the latest call, if it failed."`
}

// ToolInfoPage is a list of tools.
type ToolInfoPage struct {
	Items []ToolInfo `json:"items" required:"true" nullable:"false"`
}

// ToolTrial is a call that a person tries.
type ToolTrial struct {
	Text      string         `json:"text,omitempty" maxLength:"262144" description:"Of a draft that is tried in place of the kept tool."`
	Arguments map[string]any `json:"arguments,omitempty"`
	Contact   string         `json:"contact,omitempty" description:"Whose details are used, where arguments come from the memory."`
	Really    bool           `json:"really,omitempty" description:"Carry it out although it may change something."`
}

// TriedTool is what a trial came to.
type TriedTool struct {
	Missing string   `json:"missing,omitempty" description:"The argument that is missing; nothing was called."`
	Held    bool     `json:"held,omitempty" description:"It may change something and was not carried out; try it with really."`
	Call    ToolCall `json:"call" required:"true"`
	Result  any      `json:"result,omitempty" description:"What was picked of the answer."`
	Said    string   `json:"said,omitempty" description:"What a customer would be told."`
}

// ToolCall is one call of a tool. Secrets and sensitive details are blanked.
type ToolCall struct {
	ID           string         `json:"id" required:"true"`
	Tool         string         `json:"tool" required:"true"`
	Conversation string         `json:"conversation,omitempty"`
	Caller       string         `json:"caller" required:"true" enum:"bot,flow,trial"`
	State        string         `json:"state" required:"true" enum:"begun,done,failed" description:"begun: it is under way, or the service broke off while it was."`
	Arguments    map[string]any `json:"arguments,omitempty"`
	Request      string         `json:"request,omitempty"`
	Status       int            `json:"status,omitempty" description:"Of the answer, as HTTP has it."`
	Response     string         `json:"response,omitempty" description:"No more than 16 KiB of it."`
	Error        string         `json:"error,omitempty"`
	Tries        int            `json:"tries,omitempty"`
	Milliseconds int64          `json:"ms" required:"true"`
	At           time.Time      `json:"at" required:"true"`
}

// ToolCallPage is a list of calls, the latest first.
type ToolCallPage struct {
	Items []ToolCall `json:"items" required:"true" nullable:"false"`
}

// ToolDraft is something that an outside system can do, with the text of a tool that does it.
type ToolDraft struct {
	Name        string `json:"name" required:"true" description:"A free name for the tool."`
	Theirs      string `json:"theirs" required:"true" description:"What the system calls it."`
	Title       string `json:"title,omitempty"`
	Description string `json:"description,omitempty"`
	ReadsOnly   bool   `json:"reads_only" required:"true"`
	Text        string `json:"text" required:"true" description:"The document of the tool."`
}

// ToolDraftPage is what an outside system can do.
type ToolDraftPage struct {
	Items []ToolDraft `json:"items" required:"true" nullable:"false"`
}

// OpenAPIDocument is an OpenAPI 3 document, or where it stands.
type OpenAPIDocument struct {
	Connection string `json:"connection" required:"true" description:"To the system that it describes."`
	Path       string `json:"path,omitempty" description:"Below the address of the connection; such as /openapi.json."`
	Document   string `json:"document,omitempty" maxLength:"4194304" description:"In place of the path: the document itself, JSON or YAML."`
}

// Allowance is a call of a tool that a person has to allow.
type Allowance struct {
	ID           string         `json:"id" required:"true"`
	Conversation string         `json:"conversation" required:"true"`
	Who          string         `json:"who" required:"true"`
	Tool         string         `json:"tool" required:"true"`
	Title        string         `json:"title" required:"true"`
	Arguments    map[string]any `json:"arguments,omitempty"`
	Question     string         `json:"question" required:"true" description:"What the customer asked."`
	AskedAt      time.Time      `json:"asked_at" required:"true"`
}

// AllowancePage is a list of calls that wait, the oldest first.
type AllowancePage struct {
	Items []Allowance `json:"items" required:"true" nullable:"false"`
}

// Refusal says why a call is not allowed.
type Refusal struct {
	Why string `json:"why,omitempty" maxLength:"500" description:"The customer is told this, if anything."`
}
