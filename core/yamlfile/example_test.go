package yamlfile_test

import (
	"fmt"

	"juvalogos/core/yamlfile"
)

// A file is described by one struct; what is wrong is told with its place.
func ExampleDecode() {
	var hive struct {
		Name  string `yaml:"name" need:"yes" about:"What it is called."`
		Boxes int    `yaml:"boxes" least:"1" most:"6" about:"How many boxes it has."`
	}
	err := yamlfile.Decode("hive.yaml", []byte("name: Alder\nboxs: 3\n"), &hive)
	fmt.Println(err)
	// Output:
	// hive.yaml:2:1: unknown key "boxs"; did you mean "boxes"?
}
