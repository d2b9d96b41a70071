package quiz

import "juvalogos/core/deskfile"

// AtHand is what a candidate has at hand while it answers.
type AtHand string

// What it may be.
const (
	HasDesk    AtHand = "desk"    // what the desk's own recipe gives it
	HasNothing AtHand = "nothing" // it answers out of its head
	HasShelves AtHand = "shelves" // what a search of the desk's shelves finds
	HasText    AtHand = "text"    // the part of the text that the question was made of
)

// Candidate is who sits: a model at a desk, with settings.
type Candidate struct {
	Title    string             `json:"title"`
	Desk     string             `json:"desk"`
	Model    string             `json:"model,omitempty"` // "": the desk's
	AtHand   AtHand             `json:"at_hand"`
	Sampling *deskfile.Sampling `json:"sampling,omitempty"` // nil: the desk's
}
