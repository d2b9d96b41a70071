package models

import (
	"fmt"
	"strings"
	"time"
)

// ErrorKind says what went wrong between us and a model.
type ErrorKind string

// The kinds.
const (
	KeyMissing   ErrorKind = "key-missing"   // we have no key to show
	KeyRefused   ErrorKind = "key-refused"   // 401, 403
	Unreachable  ErrorKind = "unreachable"   // no connection
	UnknownModel ErrorKind = "unknown-model" // the server does not have it
	Busy         ErrorKind = "busy"          // 429
	Waking       ErrorKind = "waking"        // 503 and it says that the model is being loaded
	ServerFailed ErrorKind = "server-failed" // 5xx
	TooLong      ErrorKind = "too-long"      // over the context length
	Refused      ErrorKind = "refused"       // another 4xx
	CutOff       ErrorKind = "cut-off"       // the stream ended in the middle
	Garbled      ErrorKind = "garbled"       // the answer is not in the protocol
	Silent       ErrorKind = "silent"        // nothing came for longer than the patience
)

// Error is a model that did not answer as it should.
type Error struct {
	Kind       ErrorKind
	Entry      string        // connection/model
	Status     int           // HTTP status; 0 if there was none
	RetryAfter time.Duration // what the server asked for; 0 if nothing
	Detail     string        // the server's own words, without secrets
}

func (e *Error) Error() string {
	var b strings.Builder
	fmt.Fprintf(&b, "model %s: %s", e.Entry, e.Kind)
	if e.Status != 0 {
		fmt.Fprintf(&b, " (status %d)", e.Status)
	}
	if e.Detail != "" {
		fmt.Fprintf(&b, ": %s", e.Detail)
	}
	return b.String()
}

// MayPass reports whether asking again could help.
func (e *Error) MayPass() bool {
	switch e.Kind {
	case Busy, Waking, ServerFailed, Unreachable, CutOff:
		return true
	}
	return false
}

// Advice tells a maker what to do.
func (e *Error) Advice() string {
	switch e.Kind {
	case KeyMissing:
		return e.Detail
	case KeyRefused:
		return "the server refuses the key; check the key that the connection file refers to"
	case Unreachable:
		return "no connection (" + e.Detail + "); check the address in the connection file and that the server runs"
	case UnknownModel:
		return e.Detail
	case Busy:
		return "the server is busy or the key is over its limit; try again later"
	case Waking:
		return "the server is still loading the model; try again in a minute"
	case ServerFailed:
		return fmt.Sprintf("the server failed with status %d; look into its log", e.Status)
	case TooLong:
		return "the prompt is longer than the server accepts; lower context in the connection file"
	case CutOff:
		return "the stream ended in the middle; look for a proxy with a short time limit"
	case Garbled:
		return "the answer is not in the chat-completions protocol (" + e.Detail +
			"); check that the address ends where /chat/completions begins"
	case Silent:
		return "nothing came (" + e.Detail + "); is the model still loading? raise patience in the connection file"
	}
	return "the server refuses the request: " + e.Detail
}
