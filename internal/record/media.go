package record

import (
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/phrase"
)

// Media is a picture of a turn, or of a conversation that is to begin.
type Media struct {
	ID            uuid.UUID
	Class         string // Picture
	Kind          string // its media type
	Hash          []byte // of its bytes
	Size          int64
	Width, Height int
	Small         []byte // the hash of the same, small
	Name          string
	Said          string        // what it shows, in words
	Note          phrase.Phrase // what of the file is not in it
	Origin        Origin
	Conversation  uuid.UUID
	DeskID        int64
	Visitor       Visitor
	Turn          *uuid.UUID // by which it was made; nil: it was given
	AddedAt       time.Time
	PutAwayAt     *time.Time      // since when it is not asked about any more; nil: it is
	Made          json.RawMessage // of what, with what, for how much; nil: it was given
	Asked         int             // how many questions were asked with it
}

// Picture is the class of pictures.
const Picture = "picture"

// Origin is where media come from.
type Origin string

// The origins.
const (
	Given  Origin = "given" // by the visitor
	Drawn  Origin = "made"  // by a model, as what was asked for
	ByStep Origin = "step"  // by a step of a recipe, on the way
	Mask   Origin = "mask"  // painted over a picture by the visitor
)

// Made is how a picture was made; it is kept with it as JSON.
type Made struct {
	Words   string  `json:"words"`
	Width   int     `json:"width,omitempty"` // that was wished for
	Height  int     `json:"height,omitempty"`
	Seed    *int    `json:"seed,omitempty"`
	Model   string  `json:"model"`
	Seconds float64 `json:"seconds"`
	Cost    float64 `json:"cost,omitempty"`
	Of      string  `json:"of,omitempty"` // the id of the picture that it was made from
}

// MediaAs is media in the form that a model takes.
type MediaAs struct {
	Kind          string
	Hash          []byte
	Size          int64
	Width, Height int
}
