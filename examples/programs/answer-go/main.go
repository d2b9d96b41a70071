// Command answer-go is a model for Juvalogos in Go: put your own function in the place
// of answer. Build it and add it with
//
//	go build -o answer ./examples/programs/answer-go
//	juvalogos connection add -program ./answer
package main

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"strings"

	"juvalogos/examples/programs/talk"
)

func main() { talk.Serve(4, answer) }

// answer answers one question.
func answer(a *talk.Ask, to *talk.Reply) error {
	for _, f := range a.Files {
		if p, err := png.DecodeConfig(bytes.NewReader(f.Data)); err == nil {
			to.Text(fmt.Sprintf("This picture is %d pixels wide and %d high. ", p.Width, p.Height))
		}
		if seconds, ok := lengthOf(f.Data); ok {
			to.Text(fmt.Sprintf("This sound lasts %.1f seconds. ", seconds))
		}
	}
	if strings.HasPrefix(strings.ToLower(a.Question()), "draw") {
		to.Progress(0.5, "drawing")
		var picture bytes.Buffer
		if err := png.Encode(&picture, stripes(120, 80)); err != nil {
			return err
		}
		to.File(talk.File{Kind: "image/png", Data: picture.Bytes()})
		return nil
	}
	to.Thought("I count the words; that is all I have learnt. ")
	for _, word := range strings.Fields(fmt.Sprintf("You wrote %d words.", len(strings.Fields(a.Question())))) {
		if a.Context.Err() != nil {
			return nil
		}
		to.Text(word + " ")
	}
	return nil
}

// lengthOf is how many seconds a WAV file lasts whose data follow its format.
func lengthOf(wav []byte) (seconds float64, ok bool) {
	if len(wav) < 44 || string(wav[:4]) != "RIFF" || string(wav[8:12]) != "WAVE" {
		return 0, false
	}
	perSecond := binary.LittleEndian.Uint32(wav[28:32])
	return float64(len(wav)-44) / float64(max(perSecond, 1)), true
}

// stripes is a small picture: honey and moss.
func stripes(width, height int) image.Image {
	picture := image.NewRGBA(image.Rect(0, 0, width, height))
	for x := range width {
		shade := color.RGBA{70, 95, 50, 255}
		if x/10%2 == 1 {
			shade = color.RGBA{230, 170, 40, 255}
		}
		for y := range height {
			picture.Set(x, y, shade)
		}
	}
	return picture
}
