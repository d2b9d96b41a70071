package record

import (
	"time"

	"juvalogos/core/phrase"
	"juvalogos/core/tables"
)

// Tabled is what was found out of a document's tables.
type Tabled struct {
	Document int64
	// Key is the name under which the engine's file lies; "": there are no tables, and
	// Problem says why.
	Key     string
	Tables  []tables.Table
	Given   []GivenKind
	Problem phrase.Phrase
	TakenAt time.Time
	// Of the document.
	Name     string
	Hash     []byte
	LookedAt *time.Time
}

// GivenKind is the kind of a column that somebody put right.
type GivenKind struct {
	Table  string      `json:"table"`
	Column string      `json:"column"`
	Kind   tables.Kind `json:"kind"`
	Format string      `json:"format,omitempty"`
}
