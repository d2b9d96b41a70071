// Package record is what Juvalogos keeps, as types: conversations with their
// turns and attempts, desks with their revisions, traces, verdicts, shelves
// with their documents, accounts, connections. It holds no rules and no SQL:
// internal/store puts these into PostgreSQL and brings them back, the use cases
// decide about them, and internal/shape puts them into the shapes of the API.
//
// What is empty says nothing: a nil pointer is a fact that is not known, a zero
// time one that has not come. Errors that callers decide on are ErrNotFound,
// ErrDuplicate and ErrTooLarge.
package record
