package words_test

import (
	"fmt"

	"juvalogos/core/words"
)

// Where a text has what somebody looks for.
func ExampleExcerpt() {
	for _, p := range words.Excerpt("A colony is fed in the evening.", words.Query("fed even", 8)) {
		fmt.Printf("%q %v\n", p.Text, p.Hit)
	}
	// Output:
	// "A colony is " false
	// "fed" true
	// " in the " false
	// "evening" true
}
