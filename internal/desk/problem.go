package desk

import (
	"crypto/rand"
	"errors"
	"fmt"
	"strings"

	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/models"
)

// Code names a problem for programs.
type Code string

// The codes. Those of models that failed are their models.Kind.
const (
	NoDesk         Code = "no-such-desk"
	NoConversation Code = "no-such-conversation"
	NoTurn         Code = "no-such-turn"
	NotShared      Code = "not-shared"
	Empty          Code = "empty-question"
	QuestionLong   Code = "question-too-long"
	StillWriting   Code = "still-writing"
	NotSetUp       Code = "not-set-up"
	NoRecords      Code = "records-unavailable"
	Closing        Code = "closing"
	Interruption   Code = "interrupted"
	Invalid        Code = "invalid"
	NotOffered     Code = "not-offered"
	Taken          Code = "exists-already"
	NoConnection   Code = "no-such-connection"
	NoTrace        Code = "no-such-trace"
	TooMuch        Code = "too-much"
	TooLate        Code = "too-late"
	StepFailed     Code = "step-failed"
	Unexpected     Code = "unexpected"
)

// Problem is an error with a sentence for the visitor. What stands behind it
// goes to the log under ID, never to the visitor.
type Problem struct {
	Code     Code
	Sentence string
	ID       string
	Cause    error
}

func (p *Problem) Error() string {
	if p.Cause != nil {
		return fmt.Sprintf("%s (%s): %v", p.Code, p.ID, p.Cause)
	}
	return fmt.Sprintf("%s: %s", p.Code, p.Sentence)
}

func (p *Problem) Unwrap() error { return p.Cause }

// sentences are what visitors read, by code. Each says what happened and what
// to do.
var sentences = map[Code]string{
	NoDesk:                    "There is no desk at this address. Check the link, or ask the person who gave it to you.",
	NoConversation:            "This conversation is not here. It may belong to another browser, or have been removed. You can start a new one.",
	NoTurn:                    "This question is not here. It may belong to another browser.",
	NotShared:                 "This conversation is not shared, or not any more. Ask the person who sent you the link.",
	Empty:                     "Please write a question first.",
	StillWriting:              "The last reply is still being written. Wait for it, or stop it first.",
	NotSetUp:                  "This desk is not set up correctly at the moment. The person who runs it can put it right.",
	NoRecords:                 "The service cannot take questions at the moment, because it could not put them on record. Please try again in a moment.",
	Closing:                   "The service is about to restart. Please ask again in a minute.",
	Interruption:              "The service stopped while this reply was being written. You can have it made again.",
	NoTrace:                   "There is no trace of this. It may have been removed with its conversation.",
	TooMuch:                   "This took more work than the desk may spend on one question. Try a simpler one.",
	TooLate:                   "This took too long, so it was stopped. Try a simpler question, or have the reply made again.",
	StepFailed:                "Something went wrong while this reply was being made. You can have it made again.",
	Unexpected:                "Something went wrong on our side. Please try again.",
	Code(models.KeyMissing):   "This desk is not set up correctly at the moment. The person who runs it can put it right.",
	Code(models.KeyRefused):   "This desk is not set up correctly at the moment. The person who runs it can put it right.",
	Code(models.UnknownModel): "This desk is not set up correctly at the moment. The person who runs it can put it right.",
	Code(models.Refused):      "The model would not take this question. Try putting it another way.",
	Code(models.Unreachable):  "The model cannot be reached at the moment. Your question is kept; try again in a little while.",
	Code(models.Busy):         "The model has too many questions at the moment. Your question is kept; try again in a minute.",
	Code(models.Waking):       "The model is still waking up. Your question is kept; try again in a minute or two.",
	Code(models.ServerFailed): "The model is having trouble at the moment. Your question is kept; try again in a little while.",
	Code(models.TooLong):      "This was more than the model can take in at once. Try a shorter question, or start a new conversation.",
	Code(models.CutOff):       "The reply broke off: the connection to the model was lost. You can have it made again.",
	Code(models.Garbled):      "The model answered in a way that cannot be read. You can have the reply made again.",
	Code(models.Silent):       "The model has not said anything for a long while, so we stopped waiting. You can have the reply made again.",
}

// Sentence returns what visitors read for a code.
func Sentence(code Code) string {
	if s, ok := sentences[code]; ok {
		return s
	}
	return sentences[Unexpected]
}

// problem makes a Problem of code with an id of its own.
func problem(code Code, cause error) *Problem {
	return &Problem{Code: code, Sentence: Sentence(code), ID: NewID(), Cause: cause}
}

// explain turns any error of a model into a Problem.
func explain(err error) *Problem {
	var known *Problem
	if errors.As(err, &known) {
		return known
	}
	var failure *models.Error
	var long *prompt.TooLong
	var empty steps.ErrEmpty
	var runaway *recipe.Runaway
	var step *recipe.StepError
	switch {
	case errors.As(err, &failure):
		return problem(Code(failure.Kind), err)
	case errors.As(err, &long):
		return tooLong(long)
	case errors.As(err, &empty):
		return problem(Code(models.Garbled), err)
	case errors.As(err, &runaway):
		return problem(TooMuch, err)
	case errors.Is(err, recipe.ErrLate):
		return problem(TooLate, err)
	case errors.As(err, &step):
		return problem(StepFailed, err)
	}
	return problem(Unexpected, err)
}

// NewID makes a short id that can be read out on the telephone.
func NewID() string {
	text := strings.ToLower(rand.Text())
	return text[:4] + "-" + text[4:8]
}
