package memory

import (
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
			t.Errorf("Recall(turns %d, tokens %d, room %d) kept %d, want %d", c.turns, c.tokens, c.room, len(got), c.want)
		}
	}
	if got := Recall(nil, Limits{9, 9}, 9); len(got) != 0 {
		t.Errorf("of nothing it kept %d", len(got))
	}
}
