package record

import (
	"time"

	"github.com/google/uuid"

	"juvalogos/core/phrase"
)

// Standing is a reply that a desk keeps current.
type Standing struct {
	DeskID int64
	Title  string // as the desk file has it
	// Asked is a hash of what the desk file has asked: another question is made anew at once.
	Asked    string
	LookedAt *time.Time // when it was looked last whether something has changed
	MadeAt   *time.Time // nil: it was never made
	Problem  phrase.Phrase
	// Content is a fingerprint of what it was made of, Documents of each of these, and Sections
	// are hashes of what it says of each section.
	Content      string
	Documents    []StandingDocument
	Sections     []string
	News         News
	Conversation *uuid.UUID
	Turn         *uuid.UUID
	Share        string // what its link ends with; it stays
}

// StandingDocument is a document that something was made of.
type StandingDocument struct {
	Title string `json:"title"`
	Hash  string `json:"hash"`
}

// News is what is new in a standing reply beside the one before; its zero value is that of the
// first.
type News struct {
	Came     []string      `json:"came,omitempty"` // titles of documents
	Changed  []string      `json:"changed,omitempty"`
	Went     []string      `json:"went,omitempty"`
	Sections []NewsSection `json:"sections,omitempty"` // that are new or say something else
	More     int           `json:"more,omitempty"`     // further ones
}

// NewsSection is a section in short.
type NewsSection struct {
	Title string `json:"title"`
	Place string `json:"place"`
	Text  string `json:"text"`
}
