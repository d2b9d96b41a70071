// Package conversation is what visitors and makers do with conversations after
// they were had: list, search, read, continue elsewhere in the tree of turns,
// rate, remove and bring back, and take along as Markdown or JSON.
//
// A visitor sees their own; a maker sees those of a desk, and what is withheld
// from them is decided here.
package conversation
