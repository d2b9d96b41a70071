package picturetest_test

import (
	"fmt"

	"juvalogos/core/picture/picturetest"
)

// Each corner of a flag has a colour of its own.
func ExampleFlag() {
	dots := picturetest.Flag(40, 30)
	fmt.Println(picturetest.Field(dots, 5, 5), picturetest.Field(dots, 35, 25))
	// Output: red yellow
}
