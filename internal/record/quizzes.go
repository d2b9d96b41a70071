package record

import (
	"time"

	"github.com/google/uuid"

	"juvalogos/core/quiz"
)

// GivenQuiz is a quiz that was given to people.
type GivenQuiz struct {
	ID      uuid.UUID
	Content quiz.Quiz
	Edition int // from 1; a change makes another
	// Take and Results are what the links to take it and to see how it went end with.
	Take, Results string
	Names         bool // those who take it are asked for their names
	MadeBy        string
	MadeAt        time.Time
	Withdrawn     bool
	Sittings      int // that have ended
}

// Sitting is one time that somebody takes a quiz.
type Sitting struct {
	ID      uuid.UUID
	Quiz    uuid.UUID
	Edition int
	Visitor Visitor
	Name    string // "": they were not asked, or said none
	Try     int    // of the visitor, from 1
	// Answers are the places of the options that were chosen, in the quiz's own order; -1: none.
	Answers []int
	Score   int // how many are right
	Began   time.Time
	Ended   *time.Time // nil: it goes on
}
