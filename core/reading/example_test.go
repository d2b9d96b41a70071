package reading_test

import (
	"context"
	"fmt"

	"juvalogos/core/reading"
)

// What a file says, in blocks that know what they are.
func ExampleRead() {
	d, err := reading.Read(context.Background(), "handbook.md",
		[]byte("# Winter\n\nA colony needs 18 kilograms.\n\n- sugar\n- honey\n"), nil, reading.DefaultLimits)
	if err != nil {
		panic(err)
	}
	fmt.Println(d.Title, d.Format, d.Words)
	for _, b := range d.Blocks {
		fmt.Printf("%s: %s\n", b.Kind, b.Text)
	}
	// Output:
	// Winter markdown 8
	// heading: Winter
	// paragraph: A colony needs 18 kilograms.
	// item: sugar
	// item: honey
}

// What cannot be read says in a sentence what to do.
func ExampleProblem() {
	_, err := reading.Read(context.Background(), "notes.docx", []byte("not a word of it"), nil, reading.DefaultLimits)
	fmt.Println(err)
	// Output:
	// notes.docx: it is not a DOCX, whatever its name says, or it is broken; look whether it opens on your computer
}
