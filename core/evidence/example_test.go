package evidence_test

import (
	"fmt"

	"juvalogos/core/evidence"
)

// A note is where the words of a passage stand in its document.
func ExamplePlace() {
	fmt.Println(evidence.Place{Page: 3})
	fmt.Println(evidence.Place{Time: 3725, Timed: true})
	fmt.Println(evidence.Place{Sheet: "Stores", Row: 12})
	// Output:
	// page 3
	// at 1:02:05
	// Stores, row 12
}

func ExampleBegins() {
	stretches := []evidence.Stretch{
		{Offsets: evidence.Offsets{Block: 4, To: 9}, Place: evidence.Place{Page: 2}, Heading: true},
		{Offsets: evidence.Offsets{Block: 5, To: 80}, Place: evidence.Place{Page: 3}},
	}
	fmt.Println(evidence.Begins(stretches))
	// Output:
	// page 3
}
