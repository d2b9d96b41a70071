package record

import (
	"time"

	"github.com/google/uuid"

	"juvalogos/core/phrase"
)

// ErrandKind is what a visitor has a desk bring.
type ErrandKind string

// The kinds.
const (
	ByAddress  ErrandKind = "address"
	ByTopic    ErrandKind = "topic"
	BySearch   ErrandKind = "search"
	ByDocument ErrandKind = "document" // of one of the desk's shelves
)

// ErrandState is how far an errand is.
type ErrandState string

// The states.
const (
	ErrandRunning ErrandState = "running"
	ErrandChoose  ErrandState = "choose" // the name has several meanings
	ErrandReady   ErrandState = "ready"
	ErrandFailed  ErrandState = "failed"
	ErrandStopped ErrandState = "stopped" // by the visitor; what came stays
)

// Meaning is one of the things that a name stands for.
type Meaning struct {
	Title string `json:"title"`
	About string `json:"about"`
}

// NotBrought is a work that did not come.
type NotBrought struct {
	Name    string        `json:"name"`
	Problem phrase.Phrase `json:"problem"`
}

// Errand is what a visitor has a desk bring into a conversation.
type Errand struct {
	ID           uuid.UUID
	Conversation uuid.UUID
	Visitor      Visitor
	DeskID       int64
	Kind         ErrandKind
	Source       string // the address of the encyclopedia or repository
	Wanted       string // as it was written, without a password
	Most         int    // works
	Private      bool   // makers do not see what was wanted
	State        ErrandState
	Problem      phrase.Phrase
	Meanings     []Meaning
	Nearest      bool // nothing has the name; this is the nearest
	LeftOut      int  // works beyond the bound
	Total        int  // works to be brought
	Brought      int  // of them are there
	Kept         int  // of them were there before
	Failed       []NotBrought
	Bytes        int64
	Seconds      float64 // that fetching took
	Tokens       int64   // that a model embedded
	Cost         float64
	MadeAt       time.Time
	EndedAt      *time.Time
	PutAwayAt    *time.Time
	Documents    []BroughtDocument
}

// BroughtDocument is a document that an errand brought.
type BroughtDocument struct {
	Document
	ShelfSlug string
	Kind      string     // of its work
	WorkName  string     // what the work is called
	Dated     *time.Time // of when it is, as its publisher says
}

// Work is something published, as it is kept on a tray.
type Work struct {
	ID        int64
	Shelf     int64
	Address   string
	Kind      string
	Name      string
	Version   string
	Dated     *time.Time
	Bytes     int64
	FetchedAt time.Time
	CheckedAt time.Time
}

// LedTo is what a wish led to when it was last looked up.
type LedTo struct {
	Works    []int64
	Nearest  bool
	LeftOut  int
	LookedAt time.Time
}

// Wanted is how often something was wanted at a desk.
type Wanted struct {
	Kind    ErrandKind
	Source  string
	Name    string
	Address string
	Found   bool
	Times   int
	Fetched int
	Bytes   int64
	Seconds float64
	Tokens  int64
	Cost    float64
	Last    time.Time // the day
}

// ErrandSum are figures of errands by some keys.
type ErrandSum struct {
	Keys    []string
	Errands int
	Works   int
	Kept    int
	Failed  int
	Bytes   int64
	Seconds float64
	Tokens  int64
	Cost    float64
}
