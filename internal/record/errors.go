package record

import "errors"

// ErrTooLarge is the error of a file with more bytes than it may have.
var ErrTooLarge = errors.New("the file is too large")

// Errors that callers decide on.
var (
	ErrNotFound  = errors.New("not found")
	ErrDuplicate = errors.New("exists already")
)
