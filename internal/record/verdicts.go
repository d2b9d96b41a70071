package record

import (
	"time"

	"github.com/google/uuid"
)

// Verdict is what a visitor says of a reply.
type Verdict struct {
	Helped *bool // nil takes the verdict back
	Reason string
	Remark string
}

// Finding is what a maker found out about a reply that was judged.
type Finding struct {
	Cause     string // empty: not looked at yet
	Note      string
	Done      bool
	ChangedBy string
	ChangedAt *time.Time
}

// Judged is a reply that a visitor judged.
type Judged struct {
	Turn         uuid.UUID
	Attempt      int
	Conversation uuid.UUID
	Slug         string
	Question     string
	Reply        string
	Model        string
	Revision     int
	Helped       bool
	Reason       string
	Remark       string
	JudgedAt     time.Time
	Finding      Finding
	Trace        *uuid.UUID
	Pictures     []uuid.UUID // that it was asked with, and that it made
}

// JudgedFilter chooses judged replies.
type JudgedFilter struct {
	Desk   string
	Helped *bool
	Done   *bool
	Cause  string
	Before *time.Time
	Limit  int
}

// CauseCount is how many replies failed for a cause in a week.
type CauseCount struct {
	Week  time.Time // its Monday
	Cause string    // empty: nobody has looked yet
	Count int
}

// Preference counts how often a text of several was preferred.
type Preference struct {
	Title, Model     string
	Shown, Preferred int
}
