package spotting_test

import (
	"fmt"

	"juvalogos/core/evidence"
	"juvalogos/core/spotting"
)

// The very words that answer, without asking a model.
func ExampleFind() {
	passages := []evidence.Passage{{Number: 1, Title: "Lending",
		Text: "The honey press is lent to members. It may be kept for three days."}}
	for _, a := range spotting.Find("How long may I keep the honey press?", passages, 0.9, 1) {
		fmt.Println(a.Text, a.Kind)
	}
	// Output:
	// three days amount
}
