// Package picturetest draws pictures for tests: plain ones whose every dot is known,
// and files as phones make them, that lie on their side and say where they were taken.
//
//	body := picturetest.JPEG(picturetest.Flag(400, 300), picturetest.Turned(6))
//
// A Flag has another colour in each corner, so that a test sees how a picture was
// turned, cut and scaled by looking at four dots. Nothing but tests uses it.
package picturetest

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math/rand/v2"
)

// The colours of a Flag: of its corner above left, above right, below left and below
// right.
var (
	Red    = color.NRGBA{200, 30, 30, 255}
	Green  = color.NRGBA{30, 140, 40, 255}
	Blue   = color.NRGBA{40, 60, 190, 255}
	Yellow = color.NRGBA{240, 210, 50, 255}
)

// Flag is a picture of four fields.
func Flag(width, height int) *image.NRGBA {
	dots := image.NewNRGBA(image.Rect(0, 0, width, height))
	for y := range height {
		for x := range width {
			c := Red
			switch {
			case x >= width/2 && y >= height/2:
				c = Yellow
			case x >= width/2:
				c = Green
			case y >= height/2:
				c = Blue
			}
			dots.SetNRGBA(x, y, c)
		}
	}
	return dots
}

// Noisy is a picture that packs as badly as a photograph; the same seed makes the same.
func Noisy(width, height int, seed uint64) *image.NRGBA {
	chance := rand.New(rand.NewPCG(seed, 7))
	dots := image.NewNRGBA(image.Rect(0, 0, width, height))
	for y := range height {
		for x := range width {
			n := chance.Uint32()
			dots.SetNRGBA(x, y, color.NRGBA{uint8(x*200/width) + uint8(n&31), uint8(y*200/height) + uint8(n>>8&31),
				uint8((x+y)*100/(width+height)) + uint8(n>>16&31), 255})
		}
	}
	return dots
}

// Field is which colour of a Flag a dot of a picture is near to, by name.
func Field(dots image.Image, x, y int) string {
	r, g, b, _ := dots.At(dots.Bounds().Min.X+x, dots.Bounds().Min.Y+y).RGBA()
	best, least := "", 1<<40
	for name, c := range map[string]color.NRGBA{"red": Red, "green": Green, "blue": Blue, "yellow": Yellow,
		"white": {255, 255, 255, 255}, "black": {0, 0, 0, 255}} {
		d := 0
		for _, pair := range [][2]int{{int(r >> 8), int(c.R)}, {int(g >> 8), int(c.G)}, {int(b >> 8), int(c.B)}} {
			d += (pair[0] - pair[1]) * (pair[0] - pair[1])
		}
		if d < least {
			best, least = name, d
		}
	}
	return best
}

// PNG is a picture as a PNG.
func PNG(dots image.Image) []byte {
	var b bytes.Buffer
	_ = png.Encode(&b, dots) // to memory
	return b.Bytes()
}

// JPEG is a picture as a JPEG, with segments of further data after its beginning.
func JPEG(dots image.Image, more ...[]byte) []byte {
	var b bytes.Buffer
	_ = jpeg.Encode(&b, dots, &jpeg.Options{Quality: 92}) // to memory
	whole := b.Bytes()
	out := append([]byte{}, whole[:2]...)
	for _, m := range more {
		out = append(out, m...)
	}
	return append(out, whole[2:]...)
}

// Place is what files made by Turned say of where they were taken.
const Place = "52 North, 1 West, behind the shed"

// Turned is a segment of Exif data: how the camera was held, from 1 to 8, what it is
// called, and a place.
func Turned(orientation uint16) []byte {
	var tiff bytes.Buffer
	le := binary.LittleEndian
	tiff.WriteString("II*\x00\x08\x00\x00\x00")
	entry := func(tag, kind uint16, count, value uint32) {
		var e [12]byte
		le.PutUint16(e[0:], tag)
		le.PutUint16(e[2:], kind)
		le.PutUint32(e[4:], count)
		le.PutUint32(e[8:], value)
		tiff.Write(e[:])
	}
	tiff.Write(le.AppendUint16(nil, 3))
	text := Place + "\x00"
	entry(0x010e, 2, uint32(len(text)), 8+2+3*12+4) // the description
	entry(0x0112, 3, 1, uint32(orientation))
	entry(0x0110, 2, 4, le.Uint32([]byte("Cam\x00")))
	tiff.Write([]byte{0, 0, 0, 0})
	tiff.WriteString(text)
	body := append([]byte("Exif\x00\x00"), tiff.Bytes()...)
	out := binary.BigEndian.AppendUint16([]byte{0xff, 0xe1}, uint16(len(body)+2))
	return append(out, body...)
}
