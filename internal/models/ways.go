package models

import (
	"time"

	"juvalogos/core/yamlfile"
)

// The ways to models beside the protocol that most servers speak.

// Protocols of connections.
const (
	ChatCompletions = "chat-completions"
	EndpointWay     = "endpoint"
	ProgramWay      = "program"
)

// Endpoint is how to ask an HTTP address of any kind, and where in its answer the
// result is. Places are JSON Pointers (RFC 6901).
type Endpoint struct {
	Method  string         `yaml:"method,omitempty" json:"method,omitempty" choices:"POST,GET,PUT,PATCH" about:"POST if left out."`
	Path    string         `yaml:"path,omitempty" json:"path,omitempty" most:"500" about:"A template of what follows the connection's address." example:"/models/{{.model}}/generate"`
	Headers yamlfile.Texts `yaml:"headers,omitempty" json:"headers,omitempty" about:"Headers beside the connection's."`
	Form    string         `yaml:"form,omitempty" json:"form,omitempty" choices:"json,form,parts,raw" about:"What the body is: json (the default), form (one name=value a line), parts (the same as multipart/form-data; name=@sound and name=@picture send the file) or raw (as it is, or the file that came with the question)."`
	Body    string         `yaml:"body,omitempty" json:"body,omitempty" most:"20000" about:"A template of the body." example:"{\"prompt\": {{json .prompt}}, \"max\": {{.max_tokens}}}"`

	Stream       string `yaml:"stream,omitempty" json:"stream,omitempty" choices:"events,lines,text" about:"How the answer comes in pieces: events (an event stream), lines (JSON, one a line) or text. Left out: all at once."`
	Reply        string `yaml:"reply,omitempty" json:"reply,omitempty" most:"500" about:"Where in the answer, or in each piece, the reply is. Left out: the whole answer is it." example:"/results/0/text"`
	ReplyIs      string `yaml:"reply_is,omitempty" json:"reply_is,omitempty" choices:"text,base64,link" about:"What stands there: text (the default), a file as base64, or the link to one."`
	Grows        bool   `yaml:"grows,omitempty" json:"grows,omitempty" about:"Each piece repeats what came before it."`
	Thought      string `yaml:"thought,omitempty" json:"thought,omitempty" most:"500" about:"Where the model's thinking aloud is."`
	Words        string `yaml:"words,omitempty" json:"words,omitempty" most:"500" about:"Where the words of a sound stand with their times: a list with word (or text), start and end in seconds, and confidence." example:"/words"`
	Sentences    string `yaml:"sentences,omitempty" json:"sentences,omitempty" most:"500" about:"Where its sentences stand with their times: a list with text, start and end in seconds." example:"/segments"`
	Language     string `yaml:"language,omitempty" json:"language,omitempty" most:"500" about:"Where it says which language was spoken." example:"/language"`
	Finish       string `yaml:"finish,omitempty" json:"finish,omitempty" most:"500" about:"Where it says how the reply ended."`
	PromptTokens string `yaml:"prompt_tokens,omitempty" json:"prompt_tokens,omitempty" most:"500" about:"Where it says how many tokens the prompt had."`
	ReplyTokens  string `yaml:"reply_tokens,omitempty" json:"reply_tokens,omitempty" most:"500" about:"Where it says how many tokens the reply had."`
	Error        string `yaml:"error,omitempty" json:"error,omitempty" most:"500" about:"Where its own words are when something went wrong."`
	Wait         []int  `yaml:"wait,omitempty" json:"wait,omitempty" most:"10" about:"Statuses that mean: not yet, ask again. 429 and 503 if left out."`
	Job          *Job   `yaml:"job,omitempty" json:"job,omitempty" about:"The answer is a job that is asked for until it is done."`
}

// Job is an answer that names a job; it is asked for until it is done.
type Job struct {
	Address  string        `yaml:"address" json:"address" need:"yes" most:"500" about:"Where in the first answer the job's address is; or a template of it, like /jobs/{{.answer.id}}." example:"/urls/get"`
	State    string        `yaml:"state" json:"state" need:"yes" most:"500" about:"Where the job's answer says how it is." example:"/status"`
	Done     []string      `yaml:"done" json:"done" need:"yes" least:"1" most:"10" about:"What it says when it is done." example:"[succeeded]"`
	Failed   []string      `yaml:"failed,omitempty" json:"failed,omitempty" most:"10" about:"What it says when it has failed." example:"[failed, canceled]"`
	Progress string        `yaml:"progress,omitempty" json:"progress,omitempty" most:"500" about:"Where it says how far it is: a number up to 1 or to 100, or words."`
	Cancel   string        `yaml:"cancel,omitempty" json:"cancel,omitempty" most:"500" about:"Where the address is that ends the job; or a template of it."`
	CancelBy string        `yaml:"cancel_by,omitempty" json:"cancel_by,omitempty" choices:"POST,DELETE,PUT,GET" about:"POST if left out."`
	Every    time.Duration `yaml:"every,omitempty" json:"every_ns,omitempty" about:"How often it is asked for; 1s if left out."`
}

// Program is a local program that answers: see docs/programs.md.
type Program struct {
	Run         []string       `yaml:"run" json:"run" need:"yes" least:"1" most:"50" about:"The program, with its arguments." example:"[./answer.py]"`
	Speaks      string         `yaml:"speaks,omitempty" json:"speaks,omitempty" choices:"lines,plain" about:"lines (the default): it stays and speaks JSON Lines. plain: it is run for each question, reads it and writes the reply."`
	Each        bool           `yaml:"each,omitempty" json:"each,omitempty" about:"Start one that speaks lines anew for each question."`
	Copies      int            `yaml:"copies,omitempty" json:"copies,omitempty" least:"1" most:"64" about:"How many run side by side; 1 if left out."`
	Warm        bool           `yaml:"warm,omitempty" json:"warm,omitempty" about:"Start it with the service, and keep it."`
	Idle        time.Duration  `yaml:"idle,omitempty" json:"idle_ns,omitempty" about:"Stop it when nobody has asked for so long; 10m if left out."`
	Wake        time.Duration  `yaml:"wake,omitempty" json:"wake_ns,omitempty" about:"How long it may take to say hello; 2m if left out."`
	Memory      int            `yaml:"memory,omitempty" json:"memory,omitempty" least:"16" most:"10000000" about:"The most megabytes that one and what it starts may hold; 2048 if left out."`
	Files       int            `yaml:"files,omitempty" json:"files,omitempty" least:"16" most:"1000000" about:"The most files that one may have open; 256 if left out."`
	Environment yamlfile.Texts `yaml:"environment,omitempty" json:"environment,omitempty" about:"Variables that it finds set; nothing of the service's own is there."`
}

// ProgramState is how a program is doing, for makers.
type ProgramState struct {
	State     string        `json:"state"` // asleep, waking, ready, failing
	Running   int           `json:"running"`
	Asked     int           `json:"asked"`
	Starts    int           `json:"starts"`
	Woke      time.Duration `json:"woke_ns"`             // how long it took to wake, the last time
	Memory    int64         `json:"memory"`              // bytes now
	Peak      int64         `json:"peak"`                // bytes, the most that were seen
	CPU       time.Duration `json:"cpu_ns"`              // of those that run
	Complaint string        `json:"complaint,omitempty"` // the last lines of its standard error
	Ended     string        `json:"ended,omitempty"`     // why the last one ended that was not stopped
}
