// Package inside shows makers how a reply was made: its trace with every step
// and call, what visitors said of it, what it cost, and what it would be if
// something were changed.
//
//	trace.go      a trace, live or on record, and for how long it is kept
//	rerun.go      running it again from a step on, with something changed
//	verdicts.go   what visitors flagged, until a maker has settled it
//	usage.go      calls, tokens and costs, by whatever they are grouped by
package inside
