package thinking_test

import (
	"fmt"

	"juvalogos/core/thinking"
)

func Example() {
	s := thinking.NewSplitter(
		func(said []byte) { fmt.Printf("says   %q\n", said) },
		func(thought []byte) { fmt.Printf("thinks %q\n", thought) }, false)
	for _, piece := range []string{"<thi", "nk>The wind", " first.</think>", "Stand upwind."} {
		s.Write([]byte(piece))
	}
	s.Close()
	// Output:
	// thinks "The wind"
	// thinks " first."
	// says   "Stand upwind."
}
