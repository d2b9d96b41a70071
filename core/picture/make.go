package picture

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"image/png"
	"math"
	"slices"
	"sync"

	"github.com/kovidgoyal/imaging"
)

// Wanted is what is to be made of a picture. The zero value is the picture as it is.
type Wanted struct {
	// Crop is the part to take: left, top, width and height, each of 1; nil: all.
	Crop *[4]float64 `json:"crop,omitempty"`
	// Shape is Whole, where a picture keeps its sides, or makes it square: Cut takes
	// its middle, Fill puts white beside it.
	Shape string `json:"shape,omitempty"`
	// Side is the most dots of the longer side; 0: any number.
	Side int `json:"side,omitempty"`
	// Width and Height are a size that it has to have to the dot, with white beside it
	// where its shape is another; 0: any.
	Width  int `json:"width,omitempty"`
	Height int `json:"height,omitempty"`
	// Kinds are the media types that are taken, image/jpeg and image/png among them or
	// alone; nil: both.
	Kinds []string `json:"kinds,omitempty"`
	// Bytes is the most that the file may have; 0: any number.
	Bytes int `json:"bytes,omitempty"`
	// Clear makes what is white, or was painted, see-through: a mask as servers take it.
	Clear bool `json:"clear,omitempty"`
}

// The shapes.
const (
	Whole = ""
	Cut   = "cut"
	Fill  = "fill"
)

// Made is a picture as it was made, in a file.
type Made struct {
	Kind          string `json:"kind"`
	Width, Height int
	Body          []byte `json:"-"`
}

const (
	jpegKind = "image/jpeg"
	pngKind  = "image/png"
	// usualQuality is that of the files that are made, and the least is where
	// a picture is made smaller rather than worse.
	usualQuality = 88
	leastQuality = 60
	// largestPNG is from when a picture without see-through parts is kept as a JPEG.
	largestPNG = 3 << 20
	// leastSide is below what no picture is made to save bytes.
	leastSide = 32
)

// MakeAll makes several of a picture, in their order. What is to be less than half as
// large as the first is made from that, and their files are written side by side. It
// fails as Make does.
func (p *Picture) MakeAll(wanted ...Wanted) ([]Made, error) {
	made := make([]Made, len(wanted))
	failed := make([]error, len(wanted))
	var writing sync.WaitGroup
	from := p.dots
	for i, w := range wanted {
		source := p.dots
		if w.Crop == nil && w.Side > 0 && 2*w.Side <= max(from.Bounds().Dx(), from.Bounds().Dy()) {
			source = from
		}
		dots, err := p.shaped(source, w)
		if err != nil {
			failed[i] = err
			break
		}
		if i == 0 && w.Crop == nil && w.Shape == Whole && !w.Clear && w.Width == 0 {
			from = dots
		}
		writing.Go(func() { made[i], failed[i] = p.encode(dots, w) })
	}
	writing.Wait()
	return made, errors.Join(failed...)
}

// Make makes what is wanted. It fails if it cannot: a size to the dot in so few bytes,
// a kind that is not written here.
func (p *Picture) Make(w Wanted) (Made, error) {
	dots, err := p.shaped(p.dots, w)
	if err != nil {
		return Made{}, err
	}
	return p.encode(dots, w)
}

// shaped cuts and scales dots as is wanted.
func (p *Picture) shaped(dots image.Image, w Wanted) (image.Image, error) {
	for _, kind := range w.Kinds {
		if kind != jpegKind && kind != pngKind {
			return nil, fmt.Errorf("pictures are made as JPEG or PNG, not as %s", kind)
		}
	}
	if w.Crop != nil {
		dots = imaging.Crop(dots, part(dots.Bounds(), *w.Crop))
	}
	switch w.Shape {
	case Cut:
		side := min(dots.Bounds().Dx(), dots.Bounds().Dy())
		dots = imaging.CropCenter(dots, side, side)
	case Fill:
		side := max(dots.Bounds().Dx(), dots.Bounds().Dy())
		dots = onWhite(dots, side, side)
	}
	if w.Width > 0 && w.Height > 0 && w.Clear {
		dots = imaging.Resize(dots, w.Width, w.Height, imaging.Linear) // a mask is painted on a smaller picture
	} else if w.Width > 0 && w.Height > 0 {
		dots = onWhite(fit(dots, w.Width, w.Height), w.Width, w.Height)
	} else if w.Side > 0 {
		dots = fit(dots, w.Side, w.Side)
	}
	if w.Clear {
		dots = cleared(dots)
	}
	return dots, nil
}

// part is the part of a picture that is at least one dot large.
func part(b image.Rectangle, of [4]float64) image.Rectangle {
	at := func(share float64, from, length int) int {
		if math.IsNaN(share) {
			share = 0
		}
		return from + int(math.Round(min(max(share, 0), 1)*float64(length)))
	}
	r := image.Rect(at(of[0], b.Min.X, b.Dx()), at(of[1], b.Min.Y, b.Dy()),
		at(of[0]+max(of[2], 0), b.Min.X, b.Dx()), at(of[1]+max(of[3], 0), b.Min.Y, b.Dy()))
	if r.Dx() < 1 {
		r.Min.X = min(r.Min.X, b.Max.X-1)
		r.Max.X = r.Min.X + 1
	}
	if r.Dy() < 1 {
		r.Min.Y = min(r.Min.Y, b.Max.Y-1)
		r.Max.Y = r.Min.Y + 1
	}
	return r
}

// fit makes a picture smaller so that it fits; one that fits stays as it is.
func fit(dots image.Image, width, height int) image.Image {
	b := dots.Bounds()
	if b.Dx() <= width && b.Dy() <= height {
		return dots
	}
	by := min(float64(width)/float64(b.Dx()), float64(height)/float64(b.Dy()))
	return imaging.Resize(dots, max(1, int(math.Round(by*float64(b.Dx())))),
		max(1, int(math.Round(by*float64(b.Dy())))),
		imaging.CatmullRom)
}

// onWhite puts a picture into the middle of a white one.
func onWhite(dots image.Image, width, height int) image.Image {
	b := dots.Bounds()
	if b.Dx() == width && b.Dy() == height {
		return dots
	}
	page := image.NewNRGBA(image.Rect(0, 0, width, height))
	draw.Draw(page, page.Bounds(), image.NewUniform(color.White), image.Point{}, draw.Src)
	at := image.Pt((width-b.Dx())/2, (height-b.Dy())/2)
	draw.Draw(page, image.Rectangle{at, at.Add(b.Size())}, dots, b.Min, draw.Over)
	return page
}

// cleared is a mask: see-through where the picture was, or where it was light if nothing
// of it is; black elsewhere.
func cleared(dots image.Image) image.Image {
	b := dots.Bounds()
	byLight := imaging.IsOpaque(dots)
	mask := image.NewNRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	for y := range b.Dy() {
		for x := range b.Dx() {
			r, g, bl, a := dots.At(b.Min.X+x, b.Min.Y+y).RGBA()
			if byLight && (r+g+bl)/3 < 0x8000 || !byLight && a >= 0x8000 {
				mask.SetNRGBA(x, y, color.NRGBA{A: 255})
			}
		}
	}
	return mask
}

// encode writes a picture in a kind that is taken, the better first, and makes it
// worse and then smaller until it is small enough.
func (p *Picture) encode(dots image.Image, w Wanted) (Made, error) {
	takes := func(kind string) bool { return len(w.Kinds) == 0 || slices.Contains(w.Kinds, kind) }
	seeThrough := !imaging.IsOpaque(dots)
	if takes(pngKind) && (!takes(jpegKind) || seeThrough || !p.soft) {
		made, err := written(dots, pngKind, 0)
		if err != nil {
			return made, err
		}
		most := w.Bytes
		if takes(jpegKind) && !seeThrough && (most == 0 || most > largestPNG) {
			most = largestPNG
		}
		if most == 0 || len(made.Body) <= most {
			return made, nil
		}
		if !takes(jpegKind) {
			return p.smaller(dots, w, made)
		}
	}
	if !takes(jpegKind) {
		return Made{}, fmt.Errorf("no kind of picture is taken")
	}
	if seeThrough {
		b := dots.Bounds()
		page := image.NewNRGBA(b)
		draw.Draw(page, b, image.NewUniform(color.White), image.Point{}, draw.Src)
		draw.Draw(page, b, dots, b.Min, draw.Over)
		dots = page
	}
	for quality := usualQuality; ; quality -= 14 {
		made, err := written(dots, jpegKind, quality)
		if err != nil || w.Bytes == 0 || len(made.Body) <= w.Bytes {
			return made, err
		}
		if quality-14 < leastQuality {
			return p.smaller(dots, w, made)
		}
	}
}

// smaller makes a picture with fewer dots, since its file was too large.
func (p *Picture) smaller(dots image.Image, w Wanted, tooLarge Made) (Made, error) {
	side := max(tooLarge.Width, tooLarge.Height)
	by := min(0.9, math.Sqrt(float64(w.Bytes)/float64(len(tooLarge.Body))))
	if side = int(by * float64(side)); w.Width > 0 || side < leastSide {
		return Made{}, fmt.Errorf("the picture cannot be made of %d bytes", w.Bytes)
	}
	return p.encode(fit(dots, side, side), w)
}

func written(dots image.Image, kind string, quality int) (Made, error) {
	var out bytes.Buffer
	var err error
	if kind == pngKind {
		switch dots.(type) {
		case *image.NRGBA, *image.RGBA, *image.Gray, *image.Paletted:
		default: // of types that it does not know the encoder makes files twice as large
			dots = imaging.Clone(dots)
		}
		err = (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&out, dots)
	} else {
		if plain, is := dots.(*image.NRGBA); is { // without see-through parts the same, which is written faster
			dots = &image.RGBA{Pix: plain.Pix, Stride: plain.Stride, Rect: plain.Rect}
		}
		err = jpeg.Encode(&out, dots, &jpeg.Options{Quality: quality})
	}
	b := dots.Bounds()
	return Made{Kind: kind, Width: b.Dx(), Height: b.Dy(), Body: out.Bytes()}, err
}
