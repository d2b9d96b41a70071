package prompt_test

import (
	"fmt"

	"juvalogos/core/prompt"
)

// A prompt that fits: what is left after the brief, the question and the reply
// is for the conversation.
func ExampleCompose() {
	c := prompt.Estimate{}
	standing := prompt.Standing{Brief: prompt.Measure(c, "You know about bees.")}
	question := prompt.Measure(c, "And how much?")
	room, err := prompt.Room(4096, 600, standing, question)
	if err != nil {
		panic(err)
	}
	past := []prompt.Exchange{{Question: prompt.Measure(c, "Do bees need stores?"), Reply: prompt.Measure(c, "Yes.")}}
	p := prompt.Compose(standing, past, question)
	for _, m := range p.Messages {
		fmt.Printf("%s: %s\n", m.Role, m.Text)
	}
	fmt.Println(p.Tokens < 4096-600, room > 3000)
	// Output:
	// system: You know about bees.
	// user: Do bees need stores?
	// assistant: Yes.
	// user: And how much?
	// true true
}
