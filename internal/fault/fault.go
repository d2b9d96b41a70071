// Package fault holds the errors of the use cases: a sentence that may be shown
// to whoever asked, a code for programs, and what stands behind it for the log.
//
//	return fault.New(fault.NoRecords, err)         // the sentence of the code; err goes to the log
//	return fault.Say(fault.Taken, "There is a desk %q already.", slug)
//
// internal/web makes answers of them and decides nothing else.
package fault

import (
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"strings"

	"github.com/jackc/pgx/v5/pgconn"

	"juvalogos/core/phrase"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
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
	NotKept        Code = "cannot-save"
	Closing        Code = "closing"
	Interruption   Code = "interrupted"
	Invalid        Code = "invalid"
	NotOffered     Code = "not-offered"
	Exists         Code = "exists-already"
	NoConnection   Code = "no-such-connection"
	NoTrace        Code = "no-such-trace"
	NoPicture      Code = "no-such-picture"
	Blind          Code = "cannot-see"
	NoRecording    Code = "no-such-recording"
	Deaf           Code = "cannot-hear"
	NoModel        Code = "no-such-model"
	TooMuch        Code = "too-much"
	TooLate        Code = "too-late"
	StepFailed     Code = "step-failed"
	WrongPassword  Code = "wrong-password"
	TokenNeeded    Code = "token-needed"
	Forbidden      Code = "forbidden"
	NotHere        Code = "no-such-address"
	TooManyTries   Code = "too-many-tries"
	LimitReached   Code = "limit-reached"
	Unfit          Code = "unfit"
	Left           Code = "left"
	Unexpected     Code = "unexpected"
)

// Problem is an error with a sentence for the visitor. What stands behind it
// goes to the log under ID, never to the visitor.
type Problem struct {
	Code     Code
	Sentence phrase.Phrase
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
	NoDesk: "There is no desk at this address. Check the link, or ask the person who gave it to you.",
	NoConversation: "This conversation is not here. It may belong to another browser, or have been removed. You can " +
		"start a new one.",
	NoTurn:       "This question is not here. It may belong to another browser.",
	NotShared:    "This conversation is not shared, or not any more. Ask the person who sent you the link.",
	Empty:        "Please write a question first.",
	StillWriting: "The last reply is still being written. Wait for it, or stop it first.",
	NotSetUp:     "This desk is not set up correctly at the moment. The person who runs it can put it right.",
	NoRecords: "Questions cannot be asked at the moment, because they could not be kept. Please try again in a " +
		"moment.",
	NotKept: "This cannot be saved at the moment. Nothing is lost that was saved before; please try again in a " +
		"moment.",
	Closing:      "The service is about to restart. Please ask again in a minute.",
	Interruption: "The service stopped while this reply was being written. You can have it written again.",
	NoTrace:      "There is no trace of this. It may have been removed with its conversation.",
	NoPicture:    "This picture is not here. It may belong to another browser, or have been removed.",
	Blind: "This desk cannot look at pictures. Put the picture away and ask again, or ask at a desk that looks at " +
		"pictures.",
	NoRecording: "This recording is not here. It may belong to another browser, or have been removed.",
	Deaf:        "No recordings can be given at this desk.",
	TooMuch:     "This took more work than the desk may spend on one question. Try a simpler one.",
	TooLate:     "This took too long, so it was stopped. Try a simpler question, or have the reply written again.",
	StepFailed:  "Something went wrong while this reply was being written. You can have it written again.",
	Unfit:       "No data came that fit what was asked for. Try again, or ask for simpler data.",
	Left:        "Nobody waited for this reply any more, so it was not written. You can have it written again.",
	Unexpected:  "Something went wrong on our side. Please try again.",
	Code(models.KeyMissing): "This desk is not set up correctly at the moment. The person who runs it can put it " +
		"right.",
	Code(models.KeyRefused): "This desk is not set up correctly at the moment. The person who runs it can put it " +
		"right.",
	Code(models.UnknownModel): "This desk is not set up correctly at the moment. The person who runs it can put it " +
		"right.",
	Code(models.NoAccess): "This desk is not set up correctly at the moment. The person who runs it can put it right.",
	Code(models.NoCredit): "This desk is not set up correctly at the moment. The person who runs it can put it right.",
	Code(models.Unsupported): "This desk is not set up correctly at the moment. The person who runs it can put it " +
		"right.",
	Code(models.Untrusted): "This desk is not set up correctly at the moment. The person who runs it can put it " +
		"right.",
	Code(models.Refused): "This question was not taken. It is kept, and the person who runs this desk can see why.",
	Code(models.Declined): "This desk may not answer that: its rules do not allow it. Try other words, or ask " +
		"something else.",
	Code(models.NotRunning): "This desk cannot answer at the moment. Your question is kept; try again in a little " +
		"while.",
	Code(models.OverQuota): "This desk has used up what it may ask for. Your question is kept; try again later.",
	Code(models.NoMemory): "There is no room for this at the moment. Try a shorter question, or try again in a " +
		"while.",
	Code(models.SaidNothing): "No answer came to this. You can have the reply written again, or try other words.",
	Code(models.Unreachable): "This desk cannot answer at the moment. Your question is kept; try again in a little " +
		"while.",
	Code(models.Busy): "Too many are asking at the moment. Your question is kept; try again in a minute.",
	Code(models.Waking): "The desk is still starting up after a rest. Your question is kept; try again in a minute " +
		"or two.",
	Code(models.ServerFailed): "This desk has trouble answering at the moment. Your question is kept; try again in a " +
		"little while.",
	Code(models.TooLong): "This was more than this desk can take in at once. Try a shorter question, or start a new " +
		"conversation.",
	Code(models.CutOff):  "The reply broke off before its end. You can have it written again.",
	Code(models.Garbled): "The reply came out in a way that cannot be read. You can have it written again.",
	Code(models.Silent):  "Nothing came for a long while, so we stopped waiting. You can have the reply written again.",
}

// Sentence returns what visitors read for a code.
func Sentence(code Code) phrase.Phrase {
	if s, ok := sentences[code]; ok {
		return phrase.Phrase{Form: s}
	}
	return phrase.Phrase{Form: sentences[Unexpected]}
}

// own are the problems that lie with whoever asked: they can put them right and
// have nothing to report, so these carry no id.
var own = map[Code]bool{
	Empty: true, QuestionLong: true, StillWriting: true, NotOffered: true, Invalid: true,
	Code(models.TooLong): true, Code(models.Declined): true,
}

// New is a problem with something behind it that is for the log, which knows it
// by an id of its own unless it lies with whoever asked.
func New(code Code, cause error) *Problem {
	p := &Problem{Code: code, Sentence: Sentence(code), Cause: cause}
	if !own[code] {
		p.ID = NewID()
	}
	return p
}

// Plain is a problem of which its code says everything.
func Plain(code Code) *Problem { return &Problem{Code: code, Sentence: Sentence(code)} }

// Say is a problem with a sentence of its own.
func Say(code Code, form string, values ...any) *Problem {
	return &Problem{Code: code, Sentence: phrase.Of(form, values...)}
}

// Told is what a maker reads of an error: its sentence, if it has one.
func Told(err error) phrase.Phrase {
	var p *Problem
	if errors.As(err, &p) && p.Sentence.Form != "" {
		return p.Sentence
	}
	return phrase.Of("It could not be done: %s.", err.Error())
}

// Logged writes what is behind a problem to the log, under its id, and returns
// the error as it is.
func Logged(log *slog.Logger, doing string, err error) error {
	var p *Problem
	if errors.As(err, &p) && p.Cause != nil {
		log.Error("problem", "doing", doing, "code", p.Code, "id", p.ID, "error", p.Cause)
	}
	return err
}

// NotFound is a problem of a code where an error is record.ErrNotFound, else
// that the records are away, which is logged; nil stays nil.
func NotFound(log *slog.Logger, code Code, err error) error {
	if err == nil {
		return nil
	}
	if errors.Is(err, record.ErrNotFound) {
		return Plain(code)
	}
	return Logged(log, "look up", New(NoRecords, err))
}

// Unkept reports whether an error is that the database does not answer in time, has no
// room, or may only be read.
func Unkept(err error) bool {
	var said *pgconn.PgError
	if errors.As(err, &said) {
		return said.Code == "53100" || said.Code == "25006" || strings.HasPrefix(said.Code, "08") ||
			strings.HasPrefix(said.Code, "57P0")
	}
	var away *pgconn.ConnectError
	return errors.As(err, &away) || pgconn.Timeout(err) // and nobody else's time that is up
}

// NewID makes a short id that can be read out on the telephone.
func NewID() string {
	text := strings.ToLower(rand.Text())
	return text[:4] + "-" + text[4:8]
}
