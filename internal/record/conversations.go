package record

import (
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/words"
)

// Visitor is the SHA-256 of what a visitor is known by.
type Visitor [32]byte

// Conversation is one conversation without its turns.
type Conversation struct {
	ID        uuid.UUID
	Slug      string
	Title     string
	Channel   string // page, preview, api or completions
	StartedAt time.Time
	AskedAt   time.Time     // the last question
	Share     string        // what its shared link ends with; empty if it is not shared
	Turns     int           // on the path that is shown
	Found     []words.Piece // where a search found its words
}

// Turn is a question with the attempt at its reply that counts: the chosen
// one, else the newest.
type Turn struct {
	ID           uuid.UUID
	Conversation uuid.UUID
	Slug         string // of the desk
	Number       int
	Siblings     []uuid.UUID // the branches that begin at this place, itself among them, the oldest first
	Media        []uuid.UUID // that it was asked with
	Pictures     []Media     // these, as far as they are still there
	Question     string
	AskedAt      time.Time
	Attempts     int // how many there are
	Attempt      Attempt
}

// State is what has become of an attempt.
type State string

// The states. Only Running is left for another.
const (
	Running     State = "running"
	Done        State = "done"
	Stopped     State = "stopped"     // by the visitor
	Failed      State = "failed"      // by the model or the way to it
	Interrupted State = "interrupted" // by the end of the service
)

// Unfinished is an attempt that is on record as running.
type Unfinished struct {
	Turn     uuid.UUID
	Number   int
	Stopping bool // somebody wants it stopped
}

// Failing is a model that answers nothing.
type Failing struct {
	Model   string
	Problem string // a code of package fault
	Failed  int    // replies
}

// Attempt is one try at replying.
type Attempt struct {
	Number       int
	Revision     int
	Model        string
	State        State
	Reply        string
	Finish       string // the model's own word for why it ended
	Problem      string // a code of package desk; empty if there is none
	ProblemID    string // what the log knows the problem by
	PromptTokens int
	ReplyTokens  int
	MemoryTokens int
	StartedAt    time.Time
	FirstAt      *time.Time // when the first token came
	EndedAt      *time.Time
	Helped       *bool // the visitor's verdict; nil: none
	Cost         float64
	Recipe       string          // its name
	Lanes        json.RawMessage // of a reply of several texts; nil: it is one
	Preferred    *int            // which of them the visitor prefers, from 0
	Parts        json.RawMessage // what else the turn got
	Reason       string          // why it did not help, in one of a few words
	Remark       string          // in the visitor's own words
}

// Page asks for a part of a list of conversations, the newest first.
type Page struct {
	Search string     // a query of search.go; empty: all
	Before *time.Time // only those asked in earlier than that; nil: from the newest on
	Limit  int
}

// BroughtIn is a conversation that was taken along and comes back, as a visitor's own.
type BroughtIn struct {
	ID       uuid.UUID
	DeskID   int64
	Revision int // at which it is put on record
	Visitor  Visitor
	Title    string
	At       time.Time
	Turns    []BroughtTurn
}

// BroughtTurn is one of its turns.
type BroughtTurn struct {
	ID                          uuid.UUID
	Question, Reply             string
	QuestionTokens, ReplyTokens int
	Vocabulary                  string
	AskedAt                     time.Time
	Media                       []uuid.UUID
	Parts                       json.RawMessage // or nil
}
