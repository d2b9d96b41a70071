package memory

import (
	"fmt"
	"strings"

	"juvalogos/core/prompt"
)

// Fold says how many of the oldest exchanges of past are to go into the
// summary now. past is what the summary does not cover yet, oldest first, and
// tokens what room there is for it beside everything else in the prompt.
//
// Folding begins when past takes three quarters of a limit, before anything is
// forgotten, and leaves half of it: a summary is made every so many turns, not
// at every turn, and it is there before it is needed.
func Fold(past []prompt.Exchange, limits Limits, room int) int {
	most := min(limits.Tokens, room)
	if limits.Turns <= 0 || most <= 0 {
		return 0 // nothing is remembered here
	}
	used := 0
	for _, e := range past {
		used += e.Cost()
	}
	if 4*len(past) < 3*limits.Turns && 4*used < 3*most {
		return 0
	}
	n := 0
	for ; n < len(past) && (2*(len(past)-n) > limits.Turns || 2*used > most); n++ {
		used -= past[n].Cost()
	}
	return n
}

// Words per token, roughly, by which a length is put to a model that counts
// words badly and tokens not at all.
const wordsPerToken = 0.6

// SummaryPrompt asks a model to fold exchanges into the notes that it made of
// what came before them. most is how long the notes may be, in tokens.
func SummaryPrompt(notes string, folded []prompt.Exchange, most int) []prompt.Message {
	instructions := fmt.Sprintf("You keep the notes of a conversation, so that it can go on when its beginning is "+
		"forgotten. "+
		"Write a summary of everything below in at most %d words. Keep every name, number, date, place, wish, "+
		"decision and fact "+
		"that the user told, in their own words; keep what was agreed; leave out greetings and explanations that can "+
		"be given again. "+
		"Keep what the notes so far say. Write plain sentences and nothing else.", int(float64(most)*wordsPerToken))
	var b strings.Builder
	if notes != "" {
		fmt.Fprintf(&b, "Notes so far:\n%s\n\n", strings.TrimSpace(notes))
	}
	b.WriteString("The conversation goes on:\n")
	for _, e := range folded {
		fmt.Fprintf(&b, "\nUser: %s\n\nAssistant: %s\n", strings.TrimSpace(e.Question.Text),
			strings.TrimSpace(e.Reply.Text))
	}
	return []prompt.Message{{Role: prompt.System, Text: instructions}, {Role: prompt.User, Text: b.String()}}
}
