package citing_test

import (
	"fmt"

	"juvalogos/core/citing"
	"juvalogos/core/evidence"
)

// A sentence that a passage says is supported, one that none says is not.
func ExampleCheck() {
	passages := []evidence.Passage{{Number: 1, Title: "Handbook",
		Text: "Feed in the evening. A colony needs 18 kilograms of stores for the winter."}}
	checked := citing.Check("A colony needs 18 kilograms of stores [1]. Bees are fond of jazz.", "", passages)
	for _, s := range checked.Sentences {
		fmt.Println(checked.Text[s.From:s.To], s.Support)
	}
	// Output:
	// A colony needs 18 kilograms of stores [1]. supported
	// Bees are fond of jazz. unsupported
}
