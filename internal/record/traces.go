package record

import (
	"encoding/json"
	"time"

	"github.com/google/uuid"
)

// Trace tells how something was made.
type Trace struct {
	ID        uuid.UUID
	Kind      string // reply, summary or rerun
	Turn      uuid.UUID
	Attempt   int
	DeskID    int64
	Revision  int // 0: the draft
	Visitor   Visitor
	Recipe    string
	Models    []string
	Steps     []string
	State     string
	Problem   string
	StartedAt time.Time
	Seconds   float64
	Usage     Usage
	Calls     []ModelCall
	Edits     json.RawMessage // of a rerun: what was tried
	Spans     json.RawMessage // nil once thinned

	// Read only.
	Slug         string
	Conversation uuid.UUID
	Question     string
	Reply        string // of the attempt
	Helped       *bool
}

// Usage is what models were asked for.
type Usage struct {
	PromptTokens, ReplyTokens, Calls, Retries, Reused int
	Cost                                              float64
}

// ModelCall is one time that a model was asked, in figures.
type ModelCall struct {
	At           time.Time
	Step, Model  string
	PromptTokens int
	ReplyTokens  int
	Counted      bool // by us, not by the server
	Cost         float64
	Pictures     int     // that it made
	Sound        float64 // seconds that it heard or spoke
}

// TraceFilter chooses traces.
type TraceFilter struct {
	Desk         string
	Conversation uuid.UUID
	Turn         uuid.UUID
	Model, Step  string
	State        string
	Kind         string  // empty: reply
	Slow         float64 // at least so many seconds
	Costly       float64 // at least so much
	Flagged      bool    // the visitor said that it did not help
	Text         string  // a query of search.go
	Since        *time.Time
	Before       *time.Time
	Limit        int
}

// UsageFilter chooses which calls to add up.
type UsageFilter struct {
	By                         []string // of UsageKeys; empty: one sum
	Desk, Model, Step, Visitor string
	From                       time.Time
	To                         time.Time
	Limit                      int
}

// UsageRow is one sum.
type UsageRow struct {
	Keys         []string // in the order of By
	Turns        int      // that they were for
	Calls        int
	Counted      int // of them without figures from the server
	PromptTokens int64
	ReplyTokens  int64
	Pictures     int64   // that were made
	Sound        float64 // seconds that were heard or spoken
	Cost         float64
}
