package models

import (
	"fmt"
	"strings"
	"time"
)

// ErrorKind says what went wrong between us and a model.
type ErrorKind string

// The kinds. Those of the question can be cured by whoever asks, those of the
// set-up by the maker, those of the state by waiting or by whoever runs the
// server.
const (
	// The question.
	TooLong  ErrorKind = "too-long" // over the context length
	Declined ErrorKind = "declined" // the server's policy does not allow it
	// The set-up.
	KeyMissing   ErrorKind = "key-missing"   // we have no key to show
	KeyRefused   ErrorKind = "key-refused"   // the key is not good
	NoAccess     ErrorKind = "no-access"     // the key is good, but not for this model
	NoCredit     ErrorKind = "no-credit"     // the account is empty
	UnknownModel ErrorKind = "unknown-model" // the server does not have it
	Unsupported  ErrorKind = "unsupported"   // a parameter or a role that the server does not take
	Untrusted    ErrorKind = "untrusted"     // its certificate is not one that we trust
	Garbled      ErrorKind = "garbled"       // the answer is not in the protocol
	// The state.
	Unreachable  ErrorKind = "unreachable"   // no connection
	NotRunning   ErrorKind = "not-running"   // the program cannot be started, or ends at once
	Busy         ErrorKind = "busy"          // it has too much to do, or we ask too fast
	OverQuota    ErrorKind = "over-quota"    // what may be asked for is used up for long
	Waking       ErrorKind = "waking"        // the model is being loaded
	NoMemory     ErrorKind = "no-memory"     // the server's machine has no memory left
	ServerFailed ErrorKind = "server-failed" // 5xx
	CutOff       ErrorKind = "cut-off"       // the stream ended in the middle
	Silent       ErrorKind = "silent"        // nothing came for longer than the patience
	SaidNothing  ErrorKind = "said-nothing"  // it ended without a word
	// Another refusal, of which the server's words say all there is.
	Refused ErrorKind = "refused"
)

// Error is a model that did not answer as it should.
type Error struct {
	Kind       ErrorKind
	Entry      string        // connection/model
	Status     int           // HTTP status; 0 if there was none
	RetryAfter time.Duration // what the server asked for; 0 if nothing
	Detail     string        // the server's own words, without secrets
	Final      bool          // asking again would not help, whatever the kind
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

// MayPass reports whether asking again within a minute or two could help.
func (e *Error) MayPass() bool {
	if e.Final {
		return false
	}
	switch e.Kind {
	case Busy, Waking, ServerFailed, Unreachable, CutOff:
		return true
	}
	return false
}

// Advice tells a maker what to do, with the server's own words.
func (e *Error) Advice() string {
	said := ""
	if e.Detail != "" {
		said = "; it says: " + e.Detail
	}
	switch e.Kind {
	case KeyMissing, UnknownModel, NotRunning:
		return e.Detail
	case TooLong:
		return "the prompt is longer than the server accepts; lower context in the connection" + said
	case Declined:
		return "the server's policy does not allow the question or the reply" + said
	case KeyRefused:
		return "the server refuses the key; check the key that the connection refers to" + said
	case NoAccess:
		return "the key is known, but may not use this model; have it allowed, or choose another model" + said
	case NoCredit:
		return "the account at the server has no credit; top it up, or use another connection" + said
	case Unsupported:
		return "the server does not take the request as it is; let \"juvalogos model probe\" find out what it " +
			"takes" + said
	case Untrusted:
		return "the server's certificate is not trusted (" + e.Detail + "); name the file with its issuer as ca in " +
			"the " +
			"connection"
	case Unreachable:
		return "no connection (" + e.Detail + "); check the address in the connection and that the server runs"
	case Busy:
		return "the server is busy, or it is asked faster than it allows; set at_once or requests_a_minute in the " +
			"connection" + said
	case OverQuota:
		again := "; waiting a little will not help"
		if e.RetryAfter > 0 {
			again = fmt.Sprintf("; it opens again in %s", e.RetryAfter.Round(time.Second))
		}
		return "the quota is used up" + again + said
	case Waking:
		return "the server is still loading the model; try again in a minute" + said
	case NoMemory:
		return "the server's machine has no memory left; lower at_once or context in the connection, or use a " +
			"smaller " +
			"model" + said
	case ServerFailed:
		if e.Status == 0 {
			return "the server failed in the middle of its answer; look into its log" + said
		}
		return fmt.Sprintf("the server failed with status %d; look into its log%s", e.Status, said)
	case CutOff:
		return "the stream ended in the middle (" + e.Detail + "); look for a proxy with a short time limit"
	case Garbled:
		return "the answer is not in the protocol: " + e.Detail
	case Silent:
		return "nothing came (" + e.Detail + "); is the model still loading? raise patience in the connection"
	case SaidNothing:
		return "the reply is empty: " + e.Detail
	}
	return fmt.Sprintf("the server refuses the request with status %d%s", e.Status, said)
}
