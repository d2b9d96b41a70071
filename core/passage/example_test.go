package passage_test

import (
	"context"
	"fmt"
	"strings"

	"juvalogos/core/passage"
	"juvalogos/core/reading"
)

// A document in pieces, each with the headings above it.
func ExampleSplit() {
	d, err := reading.Read(context.Background(), "handbook.md",
		[]byte("# Winter\n\n## Stores\n\nA colony needs 18 kilograms.\n\n## Peace\n\nLeave the hives alone.\n"),
		nil, reading.DefaultLimits)
	if err != nil {
		panic(err)
	}
	for c := range passage.Split(context.Background(), d, passage.Options{Target: 12}) {
		fmt.Printf("%s: %q\n", strings.Join(c.Path, " > "), c.Text)
	}
	// Output:
	// Winter > Stores: "Winter\nStores\nA colony needs 18 kilograms."
	// Winter > Peace: "Peace\nLeave the hives alone."
}
