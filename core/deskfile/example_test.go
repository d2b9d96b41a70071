package deskfile_test

import (
	"errors"
	"fmt"

	"juvalogos/core/deskfile"
	"juvalogos/core/yamlfile"
)

// Everything that is wrong is told at once, with its place.
func ExampleRead() {
	_, err := deskfile.Read("helper.yaml", []byte("slug: hive helper\ntitle: Hive helper\nmodell: shed/heather-2\n"))
	var problems yamlfile.Problems
	if errors.As(err, &problems) {
		fmt.Println(problems)
	}
	// Output:
	// helper.yaml:1:7: slug: "hive helper" does not fit: use small letters, digits and single hyphens, like hive-helper
	// helper.yaml:1:5: "purpose" is missing: One or two sentences that tell a visitor what this desk answers.
	// helper.yaml:3:1: unknown key "modell"; did you mean "model"?
}
