package record

import "errors"

// ErrTooLarge is the error of a file with more bytes than it may have.
var ErrTooLarge = errors.New("the file is too large")

// Errors that callers decide on.
var (
	ErrNotFound  = errors.New("not found")
	ErrDuplicate = errors.New("exists already")
	// The database answers, and keeps nothing.
	ErrFull     = errors.New("the disk of the database is full; nothing can be kept until there is room")
	ErrReadOnly = errors.New("the database is read-only; nothing can be kept")
)

// SoonKey has, as a value of a context, its statements end soon even where the database
// hangs: each within seconds. Somebody waits for them.
const SoonKey = soonKey("soon")

type soonKey string
