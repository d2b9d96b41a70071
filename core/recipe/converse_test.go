package recipe

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"testing"

	"juvalogos/core/memory"
	"juvalogos/core/prompt"
)

// Whatever the lengths: never over the context, the brief and the question
// always in, the newest turns kept without a hole and in their order, and
// nothing forgotten that would have fitted.
func TestConverseKeepsItsPromises(t *testing.T) {
	chance := rand.New(rand.NewPCG(1, 2))
	piece := func(name string, most int) prompt.Piece { return prompt.Piece{Text: name, Tokens: chance.IntN(most)} }
	refused := 0
	for range 20_000 {
		c := Converse{
			Brief: piece("brief", 300), Question: piece("question", 900), Context: 500 + chance.IntN(2000), Reply: 1 + chance.IntN(800),
			Memory: memory.Limits{Turns: chance.IntN(12), Tokens: chance.IntN(1500)},
		}
		for i := range chance.IntN(15) {
			c.Past = append(c.Past, prompt.Exchange{Question: piece(fmt.Sprintf("q%d", i), 200), Reply: piece(fmt.Sprintf("r%d", i), 300)})
		}
		p, err := c.Prompt()
		var long *prompt.TooLong
		if errors.As(err, &long) {
			refused++
			if fixed := c.Brief.Tokens + c.Question.Tokens + 4*2 + 3; fixed+c.Reply <= c.Context {
				t.Fatalf("refused though it fits: %+v", c)
			}
			continue
		}
		if p.Tokens+c.Reply > c.Context {
			t.Fatalf("%d tokens and a reply of %d do not fit in %d", p.Tokens, c.Reply, c.Context)
		}
		if p.Messages[0].Text != "brief" || p.Messages[len(p.Messages)-1].Text != "question" {
			t.Fatalf("laid out %v", p.Messages)
		}
		kept := c.Past[len(c.Past)-p.Remembered:]
		if p.Remembered > c.Memory.Turns || len(p.Messages) != 2+2*len(kept) {
			t.Fatalf("remembered %d of at most %d in %d messages", p.Remembered, c.Memory.Turns, len(p.Messages))
		}
		remembered := 0
		for i, e := range kept {
			remembered += e.Cost()
			if p.Messages[1+2*i].Text != e.Question.Text || p.Messages[2+2*i].Text != e.Reply.Text {
				t.Fatalf("message %d is %v", 1+2*i, p.Messages[1+2*i])
			}
		}
		if remembered > c.Memory.Tokens {
			t.Fatalf("remembered %d tokens of at most %d", remembered, c.Memory.Tokens)
		}
		if len(kept) < len(c.Past) && len(kept) < c.Memory.Turns {
			next := c.Past[len(c.Past)-len(kept)-1].Cost()
			if remembered+next <= c.Memory.Tokens && p.Tokens+next+c.Reply <= c.Context {
				t.Fatalf("forgot a turn of %d tokens that would have fitted", next)
			}
		}
	}
	if refused == 0 || refused > 15_000 {
		t.Errorf("%d of 20000 were refused: the test does not test", refused)
	}
}
