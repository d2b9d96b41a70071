package memory_test

import (
	"fmt"

	"juvalogos/core/memory"
	"juvalogos/core/prompt"
)

// Only the newest exchanges stay within a limit.
func ExampleRecall() {
	c := prompt.Estimate{}
	past := []prompt.Exchange{
		{Question: prompt.Measure(c, "What is a swarm?"), Reply: prompt.Measure(c, "Bees that leave with a queen.")},
		{Question: prompt.Measure(c, "When?"), Reply: prompt.Measure(c, "In May and June.")},
	}
	for _, e := range memory.Recall(past, memory.Limits{Turns: 1, Tokens: 100}, 500) {
		fmt.Println(e.Question.Text, e.Reply.Text)
	}
	// Output:
	// When? In May and June.
}
