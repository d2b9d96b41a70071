package recipe

import (
	"fmt"
	"slices"
	"strings"

	"juvalogos/core/evidence"
	"juvalogos/core/prompt"
	"juvalogos/core/quiz"
	"juvalogos/core/tables"
)

// Type is what a wire carries. A list of a type is "list of TYPE".
//
//	text, choice, address   string
//	number                  float64
//	truth                   bool
//	picture, audio, document, table   Media
//	prompt                  []prompt.Message
//	past                    []prompt.Exchange
//	voice                   Voice
//	passage                 evidence.Passage
//	answer                  evidence.Answer
//	sources                 evidence.Sources
//	outline                 evidence.Outline
//	quiz                    quiz.Quiz
//	result                  tables.Result
//	chart                   tables.Chart
//	figures                 tables.Figures
//	data                    what encoding/json makes of any JSON
//	list of TYPE            []any
type Type string

// The types.
const (
	Text     Type = "text"
	Choice   Type = "choice"
	Number   Type = "number"
	Truth    Type = "truth"
	Address  Type = "address"
	Picture  Type = "picture"
	Audio    Type = "audio"
	Document Type = "document"
	Table    Type = "table"
	Prompt   Type = "prompt"
	Past     Type = "past"
	Data     Type = "data"
	VoiceOf  Type = "voice"
	// What documents say: a passage that was found, a short answer in its words,
	// a reply's sentences with the passages they rest on.
	Passage Type = "passage"
	Answer  Type = "answer"
	Sources Type = "sources"
	// OutlineOf is a text section by section.
	OutlineOf Type = "outline"
	// QuizOf is questions with options.
	QuizOf Type = "quiz"
	// What tables say: what came out of a query, as a picture, and the numbers of a reply
	// with what they follow from.
	ResultOf  Type = "result"
	ChartOf   Type = "chart"
	FiguresOf Type = "figures"
	// Thinking is what a model thought aloud; only replies have it.
	Thinking Type = "thinking"
	// Anything is what an input may say that takes all types; nothing gives it.
	Anything Type = "anything"
)

const listOf = "list of "

// Types lists the types that a file may name.
func Types() []Type {
	return []Type{Text, Choice, Number, Truth, Address, Picture, Audio, Document, Table, Prompt, Past, Data, VoiceOf,
		Passage, Answer, Sources, OutlineOf, QuizOf, ResultOf, ChartOf, FiguresOf}
}

// ListOf is the type of lists of t.
func ListOf(t Type) Type { return listOf + t }

// Element is the type of a list's entries; false if t is no list.
func (t Type) Element() (Type, bool) {
	e, ok := strings.CutPrefix(string(t), listOf)
	return Type(e), ok
}

// known reports whether a file may name t.
func (t Type) known() bool {
	for {
		e, ok := t.Element()
		if !ok {
			return slices.Contains(Types(), t)
		}
		t = e
	}
}

// Takes reports whether an input of type t takes a value of type from.
func (t Type) Takes(from Type) bool {
	if t == from || t == Anything {
		return true
	}
	inner, ok := t.Element()
	if e, also := from.Element(); ok && also {
		return inner.Takes(e)
	}
	switch t {
	case Text:
		return from == Choice || from == Address
	case Data: // JSON holds these
		return slices.Contains([]Type{Text, Choice, Number, Truth, Address}, from) || from.evident() ||
			strings.HasPrefix(string(from), listOf) && Data.Takes(Type(from[len(listOf):]))
	}
	return t.evident() && from == Data // read when it comes
}

// evident reports whether t is a type of core/evidence or core/tables.
func (t Type) evident() bool {
	return slices.Contains([]Type{Passage, Answer, Sources, OutlineOf, QuizOf, ResultOf, ChartOf, FiguresOf}, t)
}

// Evident reports whether a value is of such a type: templates and records have it as data.
func Evident(v any) bool {
	switch v.(type) {
	case evidence.Passage, evidence.Answer, evidence.Sources, evidence.Outline, quiz.Quiz, tables.Result,
		tables.Chart, tables.Figures:
		return true
	}
	return false
}

// Media is a file that a visitor gave or a step made. One that is on record has an ID,
// and no Body: whoever needs that has it opened.
type Media struct {
	ID     string `json:"id,omitempty"`
	Name   string `json:"name"`
	Kind   string `json:"kind"`            // its media type, like image/png
	Width  int    `json:"width,omitempty"` // of pictures, in dots
	Height int    `json:"height,omitempty"`
	Said   string `json:"said,omitempty"` // what it shows, in words
	Body   []byte `json:"body,omitempty"`
}

// Making is a wish for pictures.
type Making struct {
	Words  string `json:"words,omitempty"` // what they show, or what is to be changed
	Number int    `json:"number"`
	Width  int    `json:"width,omitempty"` // in dots; 0: as the model has it
	Height int    `json:"height,omitempty"`
	Seed   *int   `json:"seed,omitempty"` // nil: none is sent
	// Picture is what is to be varied or changed; Mask is see-through where it is to be
	// changed. Their bytes are fetched when they are sent.
	Picture *Media `json:"picture,omitempty"`
	Mask    *Media `json:"mask,omitempty"`
}

// Voice is a model with settings of its own; empty fields are the desk's.
type Voice struct {
	Title       string   `yaml:"title" json:"title,omitempty" most:"60" about:"What visitors read above its answer; the model's name if left out."`
	Model       string   `yaml:"model" json:"model,omitempty" most:"200" about:"The model; the desk's own if left out."`
	Temperature *float64 `yaml:"temperature" json:"temperature,omitempty" least:"0" most:"2" about:"Its temperature; the desk's if left out."`
	MaxTokens   int      `yaml:"max_tokens" json:"max_tokens,omitempty" least:"1" most:"1000000" about:"Its longest reply; the desk's if left out."`
	Instruction string   `yaml:"instruction" json:"instruction,omitempty" most:"4000" about:"Added to the end of the brief, for this one only."`
}

// Values are named values.
type Values map[string]any

// empty reports whether a value is nothing: what a condition holds for false.
func isEmpty(v any) bool {
	switch v := v.(type) {
	case nil:
		return true
	case string:
		return strings.TrimSpace(v) == ""
	case bool:
		return !v
	case float64:
		return v == 0
	case []any:
		return len(v) == 0
	case []prompt.Exchange:
		return len(v) == 0
	case []prompt.Message:
		return len(v) == 0
	case map[string]any:
		return len(v) == 0
	case Media:
		return v.ID == "" && len(v.Body) == 0
	}
	return false
}

// mistyped says how v is not of type t; "" if it is.
func mistyped(t Type, v any) string {
	if e, ok := t.Element(); ok {
		list, ok := v.([]any)
		if !ok {
			return fmt.Sprintf("expected a %s, found %T", t, v)
		}
		for i, x := range list {
			if x == nil {
				continue // an entry whose step failed or was skipped
			}
			if wrong := mistyped(e, x); wrong != "" {
				return fmt.Sprintf("entry %d: %s", i+1, wrong)
			}
		}
		return ""
	}
	ok := true
	switch t {
	case Text, Choice, Address:
		_, ok = v.(string)
	case Number:
		_, ok = v.(float64)
	case Truth:
		_, ok = v.(bool)
	case Picture, Audio, Document, Table:
		_, ok = v.(Media)
	case Prompt:
		_, ok = v.([]prompt.Message)
	case Past:
		_, ok = v.([]prompt.Exchange)
	case VoiceOf:
		_, ok = v.(Voice)
	case Passage:
		_, ok = v.(evidence.Passage)
	case Answer:
		_, ok = v.(evidence.Answer)
	case Sources:
		_, ok = v.(evidence.Sources)
	case OutlineOf:
		_, ok = v.(evidence.Outline)
	case QuizOf:
		_, ok = v.(quiz.Quiz)
	case ResultOf:
		_, ok = v.(tables.Result)
	case ChartOf:
		_, ok = v.(tables.Chart)
	case FiguresOf:
		_, ok = v.(tables.Figures)
	}
	if ok {
		return ""
	}
	return fmt.Sprintf("expected %s, found %T", t, v)
}
