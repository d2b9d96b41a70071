package encoder_test

import (
	"fmt"

	"juvalogos/core/encoder"
)

func Example() {
	e := encoder.Load()
	age := encoder.CodeOf(e.Encode("What is your age?"))
	fmt.Printf("%.1f\n", age.Dot(e.Encode("How old are you?")))
	// Output: 0.8
}
