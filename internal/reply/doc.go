// Package reply makes replies: it takes a question in, runs the desk's recipe,
// puts what comes on record, and shows it to whoever watches, from the first
// word on.
//
//	ask.go, make.go       a question becomes a reply that is being made
//	reply.go, lanes.go    what of it can be seen while it is
//	scribe.go             questions and replies are put on record, many at once
//	remembering.go        old exchanges are folded into notes
//
// A reply lives in this process until it has ended and is on record; then the
// record is all there is. Whoever asks again with the same key gets the same
// turn. A Service is safe for concurrent use; Close ends what is being made and
// waits until it is on record.
package reply
