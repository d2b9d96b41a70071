// Package memory decides what of a conversation goes into the next prompt: which
// of the last exchanges stand word for word, and what of the older ones is
// folded into notes.
//
// It knows no model and no store. Exchanges come in with their lengths in
// tokens, and everything it answers is a number of exchanges or a prompt:
//
//	recalled := memory.Recall(past, limits, room)
//	if n := memory.Fold(past, limits, room); n > 0 {
//		messages := memory.SummaryPrompt(notes, past[:n], 400)
//	}
//
// What is forgotten is always the oldest. Notes are made before they are
// needed, so that no visitor waits for them.
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
