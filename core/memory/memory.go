// Package memory decides what of a conversation goes into the next prompt.
package memory

import "juvalogos/core/prompt"

// Limits bound what is remembered.
type Limits struct {
	// Turns is the most exchanges, Tokens the most tokens they may take
	// together with the tokens around their messages.
	Turns, Tokens int
}

// Recall returns the newest exchanges of past that stay within the limits and
// within room tokens, in their order. It never leaves one out between two that
// it keeps: a conversation with holes misleads a model more than a short one.
func Recall(past []prompt.Exchange, limits Limits, room int) []prompt.Exchange {
	left := min(limits.Tokens, room)
	from := len(past)
	for from > 0 && len(past)-from < limits.Turns && past[from-1].Cost() <= left {
		from--
		left -= past[from].Cost()
	}
	return past[from:]
}
