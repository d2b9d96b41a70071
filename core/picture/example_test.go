package picture_test

import (
	"errors"
	"fmt"

	"juvalogos/core/picture"
	"juvalogos/core/picture/picturetest"
)

// A picture as a phone holds it becomes one that a model takes.
func ExampleRead() {
	body := picturetest.JPEG(picturetest.Flag(4000, 3000), picturetest.Turned(6))
	p, err := picture.Read("frame.jpg", body, picture.DefaultLimits)
	if err != nil {
		fmt.Println(err)
		return
	}
	made, err := p.Make(picture.Wanted{Side: 1024, Kinds: []string{"image/png"}})
	fmt.Println(p.Width, p.Height, made.Kind, made.Width, made.Height, err)
	_, err = picture.Read("notes.txt", []byte("# Notes"), picture.DefaultLimits)
	var problem *picture.Problem
	fmt.Println(errors.As(err, &problem), err)
	// Output:
	// 3000 4000 image/png 768 1024 <nil>
	// true notes.txt: it is no picture; give a JPEG, PNG, WebP, GIF, HEIC, TIFF or BMP file
}
