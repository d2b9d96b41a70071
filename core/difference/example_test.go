package difference_test

import (
	"fmt"

	"juvalogos/core/difference"
)

// The difference of two texts in the unified format.
func ExampleText() {
	fmt.Print(difference.Text("Feed at noon.\nCover the hive.\n", "Feed at dusk.\nCover the hive.\n",
		"revision 1", "revision 2"))
	// Output:
	// --- revision 1
	// +++ revision 2
	// @@ -1,2 +1,2 @@
	// -Feed at noon.
	// +Feed at dusk.
	//  Cover the hive.
}
