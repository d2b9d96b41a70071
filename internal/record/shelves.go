package record

import (
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/evidence"
	"juvalogos/core/phrase"
)

// Attached is the shelf of what a visitor attached to a conversation, which may
// not have begun yet.
type Attached struct {
	ID           int64
	Slug         string
	Settings     json.RawMessage
	Conversation uuid.UUID
	Visitor      Visitor
	DeskID       int64
}

// Shelf is a named set of documents.
type Shelf struct {
	ID       int64
	Slug     string
	Title    string
	Settings json.RawMessage
	State    int64
	MadeBy   string
	MadeAt   time.Time
	// Sums over its documents.
	Documents, Unread, Failed, Passages, Words, Tokens int
	// Anew are documents that are read once more, and found meanwhile as they were
	// read before.
	Anew int
	// Missed are documents of which many words are missing, by what is left of them.
	Missed int
}

// DocumentState is how far a document is.
type DocumentState string

// The states.
const (
	Waiting DocumentState = "waiting"
	Reading DocumentState = "reading"
	Ready   DocumentState = "ready"
	Unread  DocumentState = "failed"
)

// Document is a file on a shelf.
type Document struct {
	ID       int64
	Shelf    int64
	Name     string
	Source   string
	Hash     []byte
	Size     int64
	State    DocumentState
	Problem  phrase.Phrase
	Title    string
	Format   string
	Language string
	Pages    int
	Words    int
	Original int // words that a reader of the original sees
	LeftOut  []evidence.Omission
	Passages int
	Tokens   int
	Seconds  float64
	AddedBy  string
	AddedAt  time.Time
	ReadAt   *time.Time
	Edition  int // of the readers
	// LookedAt is when it was looked last whether what it is a copy of has changed, and
	// LookProblem why that could not be; nil: it is kept as it was added.
	LookedAt    *time.Time
	LookProblem phrase.Phrase
	// How it begins, and its headings.
	Beginning string
	Headings  []string
}

// Share is how much of what a reader of the original reads was read, 0 to 1; 0 if
// that is not known.
func (d Document) Share() float64 {
	if d.Original == 0 {
		return 0
	}
	return evidence.Share(d.Original, d.LeftOut)
}

// Edges are what stands at the edges of a document that is ready, beside what
// tells which others it goes with.
type Edges struct {
	Document int64
	Name     string
	Source   string
	Format   string
	Edges    json.RawMessage // as package passage has them
	Skipped  []int32         // blocks that are in no passage for it
}

// StoredPassage is a piece of a document on record.
type StoredPassage struct {
	Document int64
	Number   int
	ID       string
	Path     []string
	Text     string
	Spans    []evidence.Stretch
	Size     int
}

// ShelfPassage is a passage with what its document is called.
type ShelfPassage struct {
	StoredPassage
	Title    string
	Language string
}

// ShelfChange is what changed on a shelf since a revision was published.
type ShelfChange struct {
	Slug, Title    string
	Then, Now      int64
	Removed        bool // the shelf itself
	Added, Dropped []string
}
