package models

import (
	"time"

	"juvalogos/core/recipe"
	"juvalogos/core/sound"
)

// Sink hears a reply as it comes; whatever is nil is not wanted. Bytes are valid
// during the call, and always whole characters.
type Sink struct {
	// Text is what the model says.
	Text func([]byte)
	// Thought is what it thinks aloud before or while it says it.
	Thought func([]byte)
	// Progress is how far a job has got.
	Progress func(Progress)
	// Preview is what a picture looks like that is not done yet.
	Preview func(recipe.Media)
	// File is a picture, a sound or another file that the model made.
	File func(recipe.Media)
	// Heard is what it heard in a sound, with times where it knows them; the words come to
	// Text too.
	Heard func(sound.Heard)
	// Pace is what the server says of how fast it may be asked.
	Pace func(Pace)
	// Paced hears that the request is held back, and about how long, so that it does
	// not come faster than the connection allows.
	Paced func(time.Duration)
	// Waking hears that the model must be woken first, and about how long that
	// takes; 0 if that is not known.
	Waking func(about time.Duration)
	// Exchanged is a request as it was sent and what came back, for makers.
	Exchanged func(Exchange)
}

// Progress is how far a reply has got that does not come word by word.
type Progress struct {
	Done float64 // of 1; 0 if that is not known
	Says string  // in the words of the program or server
}

// Exchange is a request and its answer as they went over the wire, without keys and
// cut short.
type Exchange struct {
	Method  string        `json:"method"`
	Address string        `json:"address"`
	Request string        `json:"request"` // headers, an empty line, the body
	Status  int           `json:"status"`
	Answer  string        `json:"answer"` // headers, an empty line, the body
	Took    time.Duration `json:"took_ns"`
}

// Pace is what a server says of how fast it may be asked; -1 is what it does not say.
type Pace struct {
	Requests, RequestsLeft int // a minute
	Tokens, TokensLeft     int
	// RequestsAgain and TokensAgain are when there is room again.
	RequestsAgain, TokensAgain time.Duration
}
