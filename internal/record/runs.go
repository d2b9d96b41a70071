package record

import (
	"time"

	"github.com/google/uuid"

	"juvalogos/core/phrase"
	"juvalogos/core/quiz"
)

// Run puts a set of questions to candidates.
type Run struct {
	ID         uuid.UUID
	Quiz       uuid.UUID // that was given; zero: out of a file
	Content    quiz.Quiz
	Candidates []quiz.Candidate
	Times      int  // how often each sits it
	Anew       bool // what is kept of earlier runs is not used
	Resumed    int  // how often it was gone on with after its end
	State      RunState
	MadeBy     string
	MadeAt     time.Time
	EndedAt    *time.Time
	Answered   int // answers there are, also those that failed
}

// RunState is what has become of a run.
type RunState string

// The states of a run.
const (
	RunGoesOn  RunState = "running"
	RunDone    RunState = "done"
	RunStopped RunState = "stopped"
)

// RunAnswer is what a candidate answered once to one question of a run.
type RunAnswer struct {
	Candidate, Question, Time int // from 0
	Chosen                    int // the place of an option in the quiz's own order; -1: it cannot be told
	Said                      string
	Problem                   phrase.Phrase // why there is no answer; zero: there is one
	Turn                      *uuid.UUID    // in which it was asked; nil: it never came to that
	Kept                      bool          // an earlier run's answer
	Tokens                    int
	Cost                      float64 // of this run
	Seconds                   float64
}

// KeptAnswer is what a candidate said, for whoever asks the same again.
type KeptAnswer struct {
	Said    string
	Turn    uuid.UUID
	Tokens  int
	Seconds float64
	MadeAt  time.Time
}
