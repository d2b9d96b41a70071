package memory

import (
	"math/rand/v2"
	"strings"
	"testing"

	"juvalogos/core/prompt"
)

func TestRecall(t *testing.T) {
	// Each exchange costs its texts and 8 tokens around them.
	turn := func(tokens int) prompt.Exchange { return prompt.Exchange{Question: prompt.Piece{Tokens: tokens - 8}} }
	past := []prompt.Exchange{turn(10), turn(100), turn(20), turn(30)}
	for _, c := range []struct{ turns, tokens, room, want int }{
		{9, 1000, 1000, 4},
		{2, 1000, 1000, 2},
		{0, 1000, 1000, 0},
		{9, 50, 1000, 2},
		{9, 1000, 49, 1},
		{9, 60, 1000, 2}, // the first would fit again, but not without a hole
		{9, 29, 1000, 0},
		{9, 1000, -5, 0},
	} {
		if got := Recall(past, Limits{c.turns, c.tokens}, c.room); len(got) != c.want {
			t.Errorf("Recall(turns %d, tokens %d, room %d) kept %d, want %d", c.turns, c.tokens, c.room, len(got),
				c.want)
		}
	}
	if got := Recall(nil, Limits{9, 9}, 9); len(got) != 0 {
		t.Errorf("of nothing it kept %d", len(got))
	}
}

// Whatever the lengths: nothing is folded while there is room, what stays
// takes at most half of each limit, and no more goes than has to.
func TestFold(t *testing.T) {
	chance := rand.New(rand.NewPCG(3, 4))
	folded := 0
	for range 20_000 {
		past := make([]prompt.Exchange, chance.IntN(30))
		for i := range past {
			past[i] = prompt.Exchange{Question: prompt.Piece{Tokens: chance.IntN(200)}}
		}
		limits, room := Limits{chance.IntN(20), chance.IntN(3000)}, chance.IntN(4000)-500
		cost := func(some []prompt.Exchange) (sum int) {
			for _, e := range some {
				sum += e.Cost()
			}
			return sum
		}
		n, most := Fold(past, limits, room), min(limits.Tokens, room)
		if n == 0 {
			if len(past) > 0 && most > 0 && (len(past) > limits.Turns || cost(past) > most) && limits.Turns > 0 {
				t.Fatalf("folded nothing though turns are forgotten: %d turns of %d tokens, limits %+v, room %d",
					len(past), cost(past), limits, room)
			}
			continue
		}
		folded++
		if 4*len(past) < 3*limits.Turns && 4*cost(past) < 3*most {
			t.Fatalf("folded %d though there was room", n)
		}
		if kept := past[n:]; 2*len(kept) > limits.Turns || 2*cost(kept) > most {
			t.Fatalf("kept %d turns of %d tokens of %+v, room %d", len(kept), cost(kept), limits, room)
		}
		if more := past[n-1:]; 2*len(more) <= limits.Turns && 2*cost(more) <= most {
			t.Fatalf("folded one more than it had to")
		}
	}
	if folded < 5000 || folded > 19_000 {
		t.Errorf("folded %d times: the test does not test", folded)
	}
}

func TestTheSummaryPromptHoldsEverything(t *testing.T) {
	folded := []prompt.Exchange{{Question: prompt.Piece{Text: "first question"},
		Reply: prompt.Piece{Text: "first reply"}}, {Question: prompt.Piece{Text: "second question"}}}
	for _, notes := range []string{"", "The user is called Ada."} {
		m := SummaryPrompt(notes, folded, 400)
		if len(m) != 2 || m[0].Role != prompt.System || !strings.Contains(m[0].Text, "240 words") {
			t.Fatalf("%+v", m)
		}
		for _, want := range []string{notes, "first question", "first reply", "second question"} {
			if !strings.Contains(m[1].Text, want) {
				t.Errorf("%q is not in %q", want, m[1].Text)
			}
		}
	}
}
