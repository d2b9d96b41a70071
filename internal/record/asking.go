package record

import (
	"encoding/json"
	"time"

	"github.com/google/uuid"
)

// NewTurn is a question about to go on record.
type NewTurn struct {
	ID             uuid.UUID
	Conversation   uuid.UUID
	Place          Place
	DeskID         int64
	Revision       int
	Visitor        Visitor
	Channel        string // page, preview, api or completions; for a new conversation
	Title          string // for a new conversation
	Key            string
	Question       string
	QuestionTokens int
	Media          []uuid.UUID // that it is asked with
	Vocabulary     string
	Supplied       json.RawMessage // or nil
	Choice         json.RawMessage // or nil
	Model          string
	Recipe         string
	Inputs         json.RawMessage // what else the visitor gave, or nil
	Instance       int32
	AskedAt        time.Time
}

// Place is where in its conversation a turn stands.
type Place struct {
	Number int        // from 1, which may begin the conversation
	Parent *uuid.UUID // the turn before; nil for the first
	Leaf   *uuid.UUID // the end of the path that is shown now
	New    bool       // the conversation is to be made
}

// Again is another attempt about to begin.
type Again struct {
	Revision      int
	Model, Recipe string
	Choice        json.RawMessage // or nil
	Instance      int32
	At            time.Time
	Remember      int // how many earlier turns to read
}

// PastTurn is an earlier turn as memory needs it.
type PastTurn struct {
	ID                          uuid.UUID
	Number                      int
	Question, Reply             string
	QuestionTokens, ReplyTokens int
	Vocabulary                  string // of both lengths
}

// Past is what a turn that is to be answered can remember.
type Past struct {
	Turns   []PastTurn // oldest first
	Summary *Summary   // of what came before some of them; nil if there is none
}

// Summary says in short what the turns up to one said.
type Summary struct {
	Upto         uuid.UUID
	Conversation uuid.UUID
	Turns        int // how many it covers, from the first on
	Text         string
	Tokens       int
	Vocabulary   string
	Model        string
	MadeAt       time.Time
}

// Progress is news of a running attempt: text to add to its reply, or its end.
type Progress struct {
	Turn   uuid.UUID
	Number int
	// Text is added to the reply on record, or replaces it if Whole. Sending
	// the whole again after an uncertain write does no harm.
	Text  string
	Whole bool
	State State
	// What is known once the attempt has ended.
	Finish                                  string
	Problem, ProblemID                      string
	PromptTokens, ReplyTokens, MemoryTokens int
	FirstAt, EndedAt                        *time.Time
	Cost                                    float64
	// Lanes and Parts are JSON; nil leaves them as they are on record.
	Lanes, Parts json.RawMessage
	// Trace is how the attempt was made; nil while it runs.
	Trace *Trace
}
