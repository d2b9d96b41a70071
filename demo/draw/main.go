// Command draw draws the sample pictures of the demo: frames of comb and labels of
// jars. All of them are made up, by arithmetic, and the same every time; the files lie
// beside the desk files and are in the tree, so that the demo draws nothing.
//
//	go run ./demo/draw
//
// The letters on labels are in the Go fonts, which come with the package that draws
// them; the text recogniser reads them as it would read print.
package main

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"image/png"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
)

const folder = "demo/desks"

func main() {
	for name, body := range map[string][]byte{
		"frame-brood.jpg": photo(frame(960, 640, brood, 3)),
		"frame-honey.jpg": photo(frame(960, 640, honey, 9)),
		"label-heather.png": plain(label("Heather Honey", "Alder Vale, Larch Hill apiary", "Net weight 454 g",
			"Best before: August 2028", "Lot 26-117")),
		"label-lime.png": plain(label("Lime Blossom Honey", "Alder Vale, the orchard", "Net weight 340 g",
			"Best before: June 2028", "Lot 26-098")),
	} {
		if err := os.WriteFile(filepath.Join(folder, name), body, 0o644); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
	}
}

func photo(dots image.Image) []byte {
	var b bytes.Buffer
	_ = jpeg.Encode(&b, dots, &jpeg.Options{Quality: 82}) // to memory
	return b.Bytes()
}

func plain(dots image.Image) []byte {
	var b bytes.Buffer
	_ = (&png.Encoder{CompressionLevel: png.BestCompression}).Encode(&b, dots) // to memory
	return b.Bytes()
}

// what a cell of comb holds, by how far it is from the middle.
type comb func(out float64, chance *rand.Rand) color.NRGBA

var (
	wood   = color.NRGBA{150, 108, 66, 255}
	wax    = color.NRGBA{222, 186, 116, 255}
	capped = color.NRGBA{168, 112, 60, 255}
	larva  = color.NRGBA{246, 240, 226, 255}
	pollen = color.NRGBA{214, 120, 44, 255}
	nectar = color.NRGBA{236, 190, 60, 255}
	white  = color.NRGBA{244, 236, 214, 255}
)

// brood in the middle, pollen around it, honey in the corners.
func brood(out float64, chance *rand.Rand) color.NRGBA {
	switch {
	case out < 0.52 && chance.Float64() < 0.9:
		return capped
	case out < 0.62:
		return larva
	case out < 0.74:
		return pollen
	}
	return nectar
}

func honey(out float64, chance *rand.Rand) color.NRGBA {
	if out < 0.8 && chance.Float64() < 0.85 {
		return white
	}
	return nectar
}

// frame is a frame of comb: wood around six-sided cells.
func frame(width, height int, of comb, seed uint64) image.Image {
	chance := rand.New(rand.NewPCG(seed, 1))
	dots := image.NewNRGBA(image.Rect(0, 0, width, height))
	draw.Draw(dots, dots.Bounds(), image.NewUniform(wood), image.Point{}, draw.Src)
	edge := width / 24
	inner := image.Rect(edge, edge*3/2, width-edge, height-edge)
	draw.Draw(dots, inner, image.NewUniform(wax), image.Point{}, draw.Src)
	const radius = 11.0
	step, row := radius*math.Sqrt(3), radius*1.5
	for r := 0; ; r++ {
		y := float64(inner.Min.Y) + radius + float64(r)*row
		if y+radius > float64(inner.Max.Y) {
			break
		}
		for x := float64(inner.Min.X) + radius + step/2*float64(r%2); x+radius < float64(inner.Max.X); x += step {
			dx := (x - float64(width)/2) / (float64(inner.Dx()) / 2)
			dy := (y - float64(height)/2) / (float64(inner.Dy()) / 2)
			c := of(math.Hypot(dx, dy)/1.2, chance)
			light := 0.92 + 0.16*chance.Float64()
			disc(dots, x, y, radius*0.86, shade(c, light))
			disc(dots, x-2, y-2, radius*0.34, shade(c, light*1.07))
		}
	}
	return dots
}

func shade(c color.NRGBA, by float64) color.NRGBA {
	f := func(v uint8) uint8 { return uint8(min(255, float64(v)*by)) }
	return color.NRGBA{f(c.R), f(c.G), f(c.B), 255}
}

func disc(dots *image.NRGBA, x, y, radius float64, c color.NRGBA) {
	for py := int(y - radius); py <= int(y+radius); py++ {
		for px := int(x - radius); px <= int(x+radius); px++ {
			if math.Hypot(float64(px)-x, float64(py)-y) <= radius {
				dots.SetNRGBA(px, py, c)
			}
		}
	}
}

// label is the label of a jar: a title, and lines of smaller print.
func label(title string, lines ...string) image.Image {
	const width, height = 900, 600
	dots := image.NewNRGBA(image.Rect(0, 0, width, height))
	paper, ink, band := color.NRGBA{250, 246, 232, 255}, color.NRGBA{44, 36, 24, 255}, color.NRGBA{196, 140, 40, 255}
	draw.Draw(dots, dots.Bounds(), image.NewUniform(paper), image.Point{}, draw.Src)
	draw.Draw(dots, image.Rect(0, 0, width, 46), image.NewUniform(band), image.Point{}, draw.Src)
	draw.Draw(dots, image.Rect(0, height-26, width, height), image.NewUniform(band), image.Point{}, draw.Src)
	write(dots, gobold.TTF, 76, 150, title, ink)
	for i, line := range lines {
		write(dots, goregular.TTF, 40, 250+i*76, line, ink)
	}
	return dots
}

// write writes a line into the middle, with its foot at y.
func write(dots *image.NRGBA, ttf []byte, size float64, y int, text string, ink color.Color) {
	parsed, err := opentype.Parse(ttf)
	if err != nil {
		panic(err) // the font is part of the program
	}
	face, err := opentype.NewFace(parsed, &opentype.FaceOptions{Size: size, DPI: 72})
	if err != nil {
		panic(err)
	}
	d := font.Drawer{Dst: dots, Src: image.NewUniform(ink), Face: face}
	d.Dot = fixed.P((dots.Bounds().Dx()-d.MeasureString(text).Ceil())/2, y)
	d.DrawString(text)
}
