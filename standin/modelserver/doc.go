// Package modelserver is a simulated model server. There is no model in it: it
// looks things up in a small almanac, picks sentences from passages it is
// given, and follows a handful of instructions it can recognise. It speaks the
// chat-completions HTTP protocol well enough for demos and tests, and can be
// told to fail in the ways real servers do.
//
// The product must not know any of this. Nothing outside the folders standin
// and demo may depend on how it answers.
package modelserver
