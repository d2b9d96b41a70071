package record

import (
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/phrase"
	"juvalogos/core/sound"
)

// Recording is spoken words that a visitor gave, with what was heard in them.
type Recording struct {
	ID           uuid.UUID
	Conversation uuid.UUID
	DeskID       int64
	Visitor      Visitor
	Name         string
	Kind         string // of the file that was given, as people call it
	Kept         bool   // its sound is there
	Size         int64  // of that, in bytes
	Seconds      float64
	Loudness     []byte // see sound.Loudness
	Note         phrase.Phrase
	Source       string // the address that it came from
	AddedAt      time.Time
	KeepUntil    *time.Time // nil: as long as the conversation
	State        RecordingState
	Problem      phrase.Phrase
	Wishes       Wishes
	Model        string
	Attempt      int
	BegunAt      *time.Time
	EndedAt      *time.Time
	Language     string           // that was found
	Heard        []sound.Sentence // nil: it is not written down yet
	PutRight     map[int]sound.Right
	Document     *int64
	Cost         float64
	Version      int64
}

// RecordingState is how a recording is.
type RecordingState string

// The states.
const (
	SoundGiven   RecordingState = "given"
	SoundWorking RecordingState = "working" // it is written down
	SoundReady   RecordingState = "ready"
	SoundPartly  RecordingState = "partly" // some pieces failed
	SoundFailed  RecordingState = "failed"
	SoundStopped RecordingState = "stopped"
)

// Wishes are how a recording is to be written down.
type Wishes struct {
	Task        string   `json:"task,omitempty"` // english: translated
	Language    string   `json:"language,omitempty"`
	Names       string   `json:"names,omitempty"` // those of the desk and the visitor's
	Temperature *float64 `json:"temperature,omitempty"`
	Words       bool     `json:"words,omitempty"`
}

// SoundPiece is a piece of a recording.
type SoundPiece struct {
	Number int
	sound.Piece
	State    string // waiting, done, failed
	Problem  phrase.Phrase
	Words    []sound.Word
	Language string
	Calls    json.RawMessage // []recipe.ModelCall
}

// States of pieces.
const (
	PieceWaiting = "waiting"
	PieceDone    = "done"
	PieceFailed  = "failed"
)

// Spoken is a text as it was spoken.
type Spoken struct {
	Kind string
	Hash []byte
	Size int64
}
