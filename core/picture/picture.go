// Package picture reads pictures as people have them and makes of them what a model
// takes: told by their bytes, turned upright, their colours as screens have them,
// without a word of where, when and with what they were taken, scaled, cut out, made
// square, in a kind and below a size that a server wants.
//
//	p, err := picture.Read("frame.heic", body, picture.DefaultLimits)
//	var problem *picture.Problem // what is wrong with it, for people
//	made, err := p.Make(picture.Wanted{Side: 2048, Bytes: 5 << 20})
//
// What is made is drawn anew from the dots: nothing else of the file is in it. Reading
// and scaling are well-kept libraries'; which of them reads a file, and what is said
// where none can, is decided here. Read may take much memory and, for a file that is
// made to, much time: it belongs into a process that can be killed.
package picture

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	_ "image/gif" // told and read by package image
	_ "image/jpeg"
	_ "image/png"
	"slices"
	"strings"

	"github.com/gen2brain/heic"
	"github.com/kovidgoyal/imaging"
	_ "golang.org/x/image/bmp"
	_ "golang.org/x/image/tiff"
	_ "golang.org/x/image/webp"

	"juvalogos/core/phrase"
)

// Problem is what is wrong with a picture, in words for whoever gave it.
type Problem struct {
	File string
	What phrase.Phrase
}

func (p *Problem) Error() string { return p.File + ": " + p.What.String() }

// Limits bound what is read.
type Limits struct {
	Bytes  int // of the file
	Pixels int // of the picture
}

// DefaultLimits suit what phones and scanners make.
var DefaultLimits = Limits{Bytes: 40 << 20, Pixels: 120_000_000}

// Kinds are the media types of pictures that are read, the commonest first.
func Kinds() []string {
	return []string{"image/jpeg", "image/png", "image/webp", "image/gif", "image/heic", "image/tiff", "image/bmp"}
}

// Picture is a picture that was read, upright.
type Picture struct {
	Kind          string // the media type that it came in
	Width, Height int
	// Note says what of the file is not looked at; zero: nothing is left out.
	Note phrase.Phrase

	dots image.Image
	soft bool // what it came in keeps dots only about as they are
}

// KindOf is the media type of a picture, told by its first bytes; "" if it is none
// that is known here. Kinds that are known need not be read.
func KindOf(body []byte) string {
	begins := func(s string) bool { return bytes.HasPrefix(body, []byte(s)) }
	switch {
	case begins("\xff\xd8\xff"):
		return "image/jpeg"
	case begins("\x89PNG\r\n\x1a\n"):
		return "image/png"
	case begins("GIF87a"), begins("GIF89a"):
		return "image/gif"
	case begins("BM") && len(body) > 26:
		return "image/bmp"
	case begins("II*\x00"), begins("MM\x00*"):
		return "image/tiff"
	case begins("RIFF") && len(body) > 12 && string(body[8:12]) == "WEBP":
		return "image/webp"
	case len(body) > 16 && string(body[4:8]) == "ftyp":
		return brandOf(body)
	}
	head := strings.ToLower(string(bytes.TrimLeft(body[:min(len(body), 512)], "\ufeff \t\r\n")))
	if strings.HasPrefix(head, "<svg") || strings.HasPrefix(head, "<?xml") && strings.Contains(head, "<svg") {
		return "image/svg+xml"
	}
	return ""
}

// brandOf tells what a file of boxes (ISO/IEC 14496-12) is by the brands that it names.
func brandOf(body []byte) string {
	end := min(int(binary.BigEndian.Uint32(body)), len(body), 256)
	kind := ""
	for at := 8; at+4 <= end; at += 4 {
		switch string(body[at : at+4]) {
		case "heic", "heix", "heim", "heis", "hevc", "hevx":
			return "image/heic"
		case "avif", "avis":
			return "image/avif"
		case "mif1", "msf1":
			kind = "image/heic"
		}
	}
	return kind
}

// Read reads a picture and turns it upright. name is what its file is called, for what
// is said of it. The error is a *Problem.
func Read(name string, body []byte, l Limits) (*Picture, error) {
	wrong := func(form string, values ...any) error { return &Problem{name, phrase.Of(form, values...)} }
	broken := func() error {
		return wrong("it is broken, or is not whole; see whether it opens elsewhere, or give another")
	}
	kind := KindOf(body)
	switch {
	case len(body) == 0:
		return nil, wrong("it is empty")
	case len(body) > l.Bytes:
		return nil, wrong("it is too large: up to %d MB are read; make it smaller, or give a part of it", l.Bytes>>20)
	case kind == "image/svg+xml" || kind == "image/avif":
		return nil, wrong("it is of a kind that is not looked at here (%s); save it as PNG or JPEG and give it again",
			strings.ToUpper(strings.TrimSuffix(strings.TrimPrefix(kind, "image/"), "+xml")))
	case !slices.Contains(Kinds(), kind):
		return nil, wrong("it is no picture; give a JPEG, PNG, WebP, GIF, HEIC, TIFF or BMP file")
	}
	size, err := sizeOf(kind, body)
	if err != nil || kind == "image/tiff" && !soundTIFF(body) {
		return nil, broken()
	}
	if pixels := int64(size.Width) * int64(size.Height); pixels > int64(l.Pixels) {
		return nil, wrong("it has too many dots: %d million, and up to %d million are read; make it smaller, or give "+
			"a part of it", pixels/1_000_000, l.Pixels/1_000_000)
	}
	if kind == "image/heic" && size.Width < leastHEIC {
		return nil, wrong("it is too small to be read as HEIC; save it as PNG or JPEG and give it again")
	}
	p := &Picture{Kind: kind, soft: kind == "image/jpeg" || kind == "image/heic" || kind == "image/webp"}
	if p.dots, err = dotsOf(kind, body); err != nil {
		return nil, broken()
	}
	p.Width, p.Height = p.dots.Bounds().Dx(), p.dots.Bounds().Dy()
	if p.Width <= 0 || p.Height <= 0 {
		return nil, broken()
	}
	if more := further(kind, body); more > 1 {
		p.Note = phrase.Of("it has several pictures in it; only the first is looked at")
	}
	return p, nil
}

// leastHEIC is how wide a picture is at least that the reader of HEIC reads right: it
// mistakes where lines begin in narrower ones, which no camera makes.
const leastHEIC = 128

// sizeOf is a picture's size, before anything is unpacked.
func sizeOf(kind string, body []byte) (c image.Config, err error) {
	defer calmly(&err)
	if kind == "image/heic" {
		c, err = heic.DecodeConfig(bytes.NewReader(body))
	} else {
		c, _, err = image.DecodeConfig(bytes.NewReader(body))
	}
	if err == nil && (c.Width <= 0 || c.Height <= 0) {
		err = errors.New("it has no size")
	}
	return c, err
}

// dotsOf unpacks a picture, upright and in the colours of sRGB.
func dotsOf(kind string, body []byte) (dots image.Image, err error) {
	defer calmly(&err)
	switch kind {
	case "image/heic":
		return heic.Decode(bytes.NewReader(body)) // which turns it by itself
	case "image/gif":
		dots, _, err = image.Decode(bytes.NewReader(body)) // the first of them
		return dots, err
	}
	dots, err = imaging.Decode(bytes.NewReader(body), imaging.Backends(imaging.GO_IMAGE))
	if err == nil && dots == nil {
		err = errors.New("nothing reads it")
	}
	return dots, err
}

// calmly makes an error of a panic of a library that read foreign bytes.
func calmly(err *error) {
	if r := recover(); r != nil {
		*err = fmt.Errorf("reading failed: %v", r)
	}
}

// further is how many pictures a file holds, as far as its structure says so
// without unpacking them; 1 where it says nothing.
func further(kind string, body []byte) int {
	switch kind {
	case "image/gif":
		return framesOfGIF(body)
	case "image/tiff":
		return pagesOfTIFF(body)
	case "image/png":
		if at := bytes.Index(body[:min(len(body), 4096)], []byte("acTL")); at > 0 && at+8 <= len(body) {
			return int(min(binary.BigEndian.Uint32(body[at+4:]), 1000))
		}
	case "image/webp":
		return bytes.Count(body, []byte("ANMF"))
	}
	return 1
}

// framesOfGIF counts the pictures of a GIF, two at most.
func framesOfGIF(b []byte) (frames int) {
	skip := func(at int) int { // sub-blocks: a length and so many bytes, to a length of 0
		for at < len(b) && b[at] > 0 {
			at += 1 + int(b[at])
		}
		return at + 1
	}
	table := func(flags byte) int {
		if flags&0x80 == 0 {
			return 0
		}
		return 3 << (flags&7 + 1)
	}
	if len(b) < 13 {
		return 0
	}
	for at := 13 + table(b[10]); at < len(b) && frames < 2; {
		switch {
		case b[at] == 0x21:
			at = skip(at + 2)
		case b[at] == 0x2c && at+10 <= len(b):
			frames++
			at = skip(at + 11 + table(b[at+9]))
		default:
			return frames
		}
	}
	return frames
}

// pagesOfTIFF counts the pages of a TIFF, two at most.
func pagesOfTIFF(b []byte) int {
	order := binary.ByteOrder(binary.LittleEndian)
	if b[0] == 'M' {
		order = binary.BigEndian
	}
	if len(b) < 8 {
		return 1
	}
	at := int64(order.Uint32(b[4:]))
	if at+2 > int64(len(b)) {
		return 1
	}
	next := at + 2 + 12*int64(order.Uint16(b[at:]))
	if next+4 <= int64(len(b)) && order.Uint32(b[next:]) != 0 {
		return 2
	}
	return 1
}

// soundTIFF reports whether nothing in the first directory of a TIFF says that it is longer
// than the file: the library makes room for what it says.
func soundTIFF(b []byte) bool {
	if len(b) < 8 {
		return false
	}
	order := binary.ByteOrder(binary.LittleEndian)
	if b[0] == 'M' {
		order = binary.BigEndian
	}
	at := int64(order.Uint32(b[4:]))
	if at+2 > int64(len(b)) {
		return false
	}
	sizes := []int64{1, 1, 1, 2, 4, 8, 1, 1, 2, 4, 8, 4, 8}
	entries := int64(order.Uint16(b[at:]))
	for i := range entries {
		entry := at + 2 + i*12
		if entry+12 > int64(len(b)) {
			return false
		}
		size := int64(8)
		if kind := int(order.Uint16(b[entry+2:])); kind < len(sizes) {
			size = sizes[kind]
		}
		if size*int64(order.Uint32(b[entry+4:])) > int64(len(b)) {
			return false
		}
	}
	return true
}
