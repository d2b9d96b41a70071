package picture

import (
	"bytes"
	"encoding/binary"
	"errors"
	"hash/crc32"
	"image"
	"image/color"
	"image/gif"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"golang.org/x/image/bmp"
	"golang.org/x/image/tiff"

	"juvalogos/core/picture/picturetest"
)

func encoded(t testing.TB, encode func(*bytes.Buffer) error) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := encode(&b); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// flags are a flag of 40 by 30 dots in all kinds that can be written here.
func flags(t testing.TB) map[string][]byte {
	dots := picturetest.Flag(40, 30)
	return map[string][]byte{
		"image/png":  picturetest.PNG(dots),
		"image/jpeg": picturetest.JPEG(dots),
		"image/gif":  encoded(t, func(b *bytes.Buffer) error { return gif.Encode(b, dots, nil) }),
		"image/bmp":  encoded(t, func(b *bytes.Buffer) error { return bmp.Encode(b, dots) }),
		"image/tiff": encoded(t, func(b *bytes.Buffer) error { return tiff.Encode(b, dots, nil) }),
	}
}

// sample is a file of testdata.
func sample(t testing.TB, name string) []byte {
	t.Helper()
	body, err := os.ReadFile(filepath.Join("testdata", name))
	if err != nil {
		t.Fatal(err)
	}
	return body
}

func read(t testing.TB, body []byte) *Picture {
	t.Helper()
	p, err := Read("frame", body, DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func made(t testing.TB, p *Picture, w Wanted) (Made, image.Image) {
	t.Helper()
	m, err := p.Make(w)
	if err != nil {
		t.Fatal(err)
	}
	dots, kind, err := image.Decode(bytes.NewReader(m.Body))
	if err != nil || "image/"+kind != m.Kind || dots.Bounds().Dx() != m.Width || dots.Bounds().Dy() != m.Height {
		t.Fatalf("made %s %dx%d, which is %s %v: %v", m.Kind, m.Width, m.Height, kind, dots.Bounds(), err)
	}
	return m, dots
}

// corners are the fields of a flag in a picture's corners, row by row.
func corners(dots image.Image) string {
	w, h := dots.Bounds().Dx(), dots.Bounds().Dy()
	var all []string
	for _, at := range [][2]int{{w / 4, h / 4}, {3 * w / 4, h / 4}, {w / 4, 3 * h / 4}, {3 * w / 4, 3 * h / 4}} {
		all = append(all, picturetest.Field(dots, at[0], at[1]))
	}
	return strings.Join(all, " ")
}

const upright = "red green blue yellow"

func TestPicturesOfAllKindsAreRead(t *testing.T) {
	files := flags(t)
	files["image/webp"] = sample(t, "flag.webp")
	files["image/heic"] = sample(t, "flag.heic")
	for kind, body := range files {
		if got := KindOf(body); got != kind {
			t.Errorf("%s is taken for %q", kind, got)
		}
		p := read(t, body)
		if kind == "image/heic" {
			p.Width, p.Height = p.Width/5, p.Height/5
		}
		if p.Kind != kind || p.Width != 40 || p.Height != 30 || !p.Note.IsZero() {
			t.Errorf("%s: read as %s, %dx%d, %s", kind, p.Kind, p.Width, p.Height, p.Note)
		}
		if _, dots := made(t, p, Wanted{}); corners(dots) != upright {
			t.Errorf("%s: %s", kind, corners(dots))
		}
	}
	if len(files) != len(Kinds()) {
		t.Errorf("%d kinds were tried of %d", len(files), len(Kinds()))
	}
}

// However the camera was held, the picture stands upright afterwards, and nothing of
// the file but its dots is left.
func TestPicturesAreTurnedAndSayNothingOfTheirPlace(t *testing.T) {
	dots := picturetest.Flag(40, 30)
	for orientation, want := range map[uint16]string{1: upright, 2: "green red yellow blue", 3: "yellow blue green red",
		4: "blue yellow red green", 5: "red blue green yellow", 6: "blue red yellow green", 7: "yellow green blue red",
		8: "green yellow red blue"} {
		body := picturetest.JPEG(dots, picturetest.Turned(orientation))
		if !bytes.Contains(body, []byte(picturetest.Place)) {
			t.Fatal("the file does not say where it was taken")
		}
		p := read(t, body)
		m, upright := made(t, p, Wanted{})
		if corners(upright) != want || (m.Width == 40) != (orientation < 5) {
			t.Errorf("held %d: %s, %dx%d", orientation, corners(upright), m.Width, m.Height)
		}
		for _, w := range []string{picturetest.Place, "Exif", "Cam\x00"} {
			if bytes.Contains(m.Body, []byte(w)) {
				t.Errorf("held %d: %q is still in it", orientation, w)
			}
		}
	}
}

func TestWhatIsWrongWithAPictureIsSaid(t *testing.T) {
	png := picturetest.PNG(picturetest.Noisy(60, 60, 1))
	huge := bytes.Clone(png)
	binary.BigEndian.PutUint32(huge[16:], 100_000)
	binary.BigEndian.PutUint32(huge[20:], 100_000)
	binary.BigEndian.PutUint32(huge[29:], crc32.ChecksumIEEE(huge[12:29]))
	for _, c := range []struct {
		body []byte
		want string
	}{
		{nil, "it is empty"},
		{[]byte("%PDF-1.7 not a picture at all"), "it is no picture; give a JPEG, PNG"},
		{[]byte("hello"), "it is no picture"},
		{[]byte("<svg xmlns='http://www.w3.org/2000/svg'/>"), "not looked at here (SVG); save it as PNG"},
		{append([]byte("\x00\x00\x00\x14ftypavif"), make([]byte, 40)...), "(AVIF)"},
		{png[:len(png)/2], "it is broken, or is not whole"},
		{picturetest.JPEG(picturetest.Noisy(60, 60, 1))[:900], "it is broken"},
		{append([]byte("\x00\x00\x00\x18ftypheic"), make([]byte, 90)...), "it is broken"},
		{append(picturetest.PNG(picturetest.Flag(2, 2))[:30], 1, 2, 3), "it is broken"},
		{huge, "it has too many dots"},
		{sample(t, "small.heic"), "too small to be read as HEIC"},
		{append([]byte("\xff\xd8\xff\xe0"), make([]byte, DefaultLimits.Bytes)...), "it is too large: up to 40 MB"},
	} {
		_, err := Read("my frame.png", c.body, DefaultLimits)
		var problem *Problem
		if !errors.As(err, &problem) || problem.File != "my frame.png" ||
			!strings.Contains(problem.What.String(), c.want) {
			t.Errorf("%.20q: %v, want %s", c.body, err, c.want)
		}
	}
}

// What is left out is told.
func TestOnlyTheFirstOfSeveralPicturesIsLookedAt(t *testing.T) {
	frame := image.NewPaletted(image.Rect(0, 0, 8, 6), color.Palette{color.White, color.Black})
	moving := encoded(t, func(b *bytes.Buffer) error {
		return gif.EncodeAll(b, &gif.GIF{Image: []*image.Paletted{frame, frame, frame}, Delay: []int{1, 1, 1}})
	})
	one := encoded(t, func(b *bytes.Buffer) error { return tiff.Encode(b, picturetest.Flag(8, 6), nil) })
	two := bytes.Clone(one)
	at := binary.LittleEndian.Uint32(two[4:])
	entries := binary.LittleEndian.Uint16(two[at:])
	end := at + 2 + 12*uint32(entries) + 4
	if len(two)%2 == 1 {
		two = append(two, 0)
	}
	binary.LittleEndian.PutUint32(two[end-4:], uint32(len(two)))
	two = append(two, one[at:end]...) // the same page once more
	for name, c := range map[string]struct {
		body    []byte
		several bool
	}{"gif": {moving, true}, "one page": {one, false}, "two pages": {two, true},
		"webp": {sample(t, "moving.webp"), true}} {
		if p := read(t, c.body); p.Note.IsZero() == c.several {
			t.Errorf("%s: %q", name, p.Note)
		}
	}
}

func TestPicturesAreMadeAsTheyAreWanted(t *testing.T) {
	p := read(t, picturetest.JPEG(picturetest.Flag(400, 300)))
	for _, c := range []struct {
		name          string
		w             Wanted
		width, height int
		kind, corners string
	}{
		{"as it is", Wanted{}, 400, 300, "image/jpeg", upright},
		{"smaller", Wanted{Side: 100}, 100, 75, "image/jpeg", upright},
		{"never larger", Wanted{Side: 1000}, 400, 300, "image/jpeg", upright},
		{"a PNG", Wanted{Kinds: []string{"image/png"}}, 400, 300, "image/png", upright},
		{"the middle", Wanted{Shape: Cut}, 300, 300, "image/jpeg", upright},
		{"with white beside it", Wanted{Shape: Fill}, 400, 400, "image/jpeg", upright},
		{"to the dot", Wanted{Width: 64, Height: 64}, 64, 64, "image/jpeg", upright},
		{"a part", Wanted{Crop: &[4]float64{0.5, 0.5, 0.5, 0.5}}, 200, 150, "image/jpeg",
			"yellow yellow yellow yellow"},
		{"a part beyond the edge", Wanted{Crop: &[4]float64{0.9, 0, 5, 0.1}}, 40, 30, "image/jpeg",
			"green green green green"},
		{"next to nothing", Wanted{Crop: &[4]float64{1, 1, 0, 0}}, 1, 1, "image/jpeg", "yellow yellow yellow yellow"},
	} {
		m, dots := made(t, p, c.w)
		if m.Width != c.width || m.Height != c.height || m.Kind != c.kind || corners(dots) != c.corners {
			t.Errorf("%s: %s %dx%d, %s", c.name, m.Kind, m.Width, m.Height, corners(dots))
		}
	}
	if _, err := p.Make(Wanted{Kinds: []string{"image/webp"}}); err == nil {
		t.Error("a WebP was made")
	}
	filled, _ := p.Make(Wanted{Shape: Fill})
	if dots, _, _ := image.Decode(bytes.NewReader(filled.Body)); picturetest.Field(dots, 200, 10) != "white" {
		t.Error("above it is no white")
	}
}

// A file is made worse, then smaller, until it has no more bytes than are wanted.
func TestPicturesAreMadeSmallEnough(t *testing.T) {
	p := read(t, picturetest.JPEG(picturetest.Noisy(900, 700, 3)))
	before := 1 << 30
	for _, most := range []int{400_000, 100_000, 20_000, 5_000} {
		for _, kinds := range [][]string{nil, {"image/png"}} {
			m, dots := made(t, p, Wanted{Bytes: most, Kinds: kinds})
			if len(m.Body) > most || len(m.Body) < most/8 {
				t.Errorf("%d bytes were wanted, %s has %d", most, m.Kind, len(m.Body))
			}
			if w, h := dots.Bounds().Dx(), dots.Bounds().Dy(); w*7/9-h > 2 || h-w*7/9 > 2 {
				t.Errorf("%d bytes: %dx%d", most, w, h)
			}
		}
		before = min(before, most)
	}
	if _, err := p.Make(Wanted{Bytes: 30}); err == nil {
		t.Error("a picture of 30 bytes was made")
	}
	if _, err := p.Make(Wanted{Width: 900, Height: 700, Bytes: 3000, Kinds: []string{"image/png"}}); err == nil {
		t.Error("all dots in 3000 bytes")
	}
}

// What is see-through stays so in a PNG, and is white in a JPEG; what was painted over
// is see-through in a mask.
func TestSeeThroughPictures(t *testing.T) {
	dots := picturetest.Flag(40, 30)
	for x := range 20 {
		for y := range 15 {
			dots.SetNRGBA(x, y, color.NRGBA{})
		}
	}
	p := read(t, picturetest.PNG(dots))
	m, kept := made(t, p, Wanted{})
	if _, _, _, a := kept.At(5, 5).RGBA(); m.Kind != "image/png" || a != 0 {
		t.Errorf("%s, %d", m.Kind, a)
	}
	if _, flat := made(t, p, Wanted{Kinds: []string{"image/jpeg"}}); corners(flat) != "white green blue yellow" {
		t.Error(corners(flat))
	}
	painted := picturetest.Flag(40, 30)
	for x := range 40 {
		for y := range 30 {
			c := color.NRGBA{A: 255}
			if x < 20 {
				c = color.NRGBA{255, 255, 255, 255}
			}
			painted.SetNRGBA(x, y, c)
		}
	}
	_, mask := made(t, read(t, picturetest.PNG(painted)), Wanted{Clear: true, Kinds: []string{"image/png"}})
	for x, want := range map[int]uint32{5: 0, 35: 0xffff} {
		if _, _, _, a := mask.At(x, 10).RGBA(); a != want {
			t.Errorf("at %d: %d", x, a)
		}
	}
}

// Whatever the bytes: no panic, an error that is for people, and never more dots than
// are allowed.
func FuzzRead(f *testing.F) {
	for _, body := range flags(f) {
		f.Add(body)
	}
	f.Add(picturetest.JPEG(picturetest.Flag(16, 12), picturetest.Turned(6)))
	f.Add(sample(f, "flag.webp"))
	f.Add(sample(f, "moving.webp"))
	f.Fuzz(func(t *testing.T, body []byte) {
		if KindOf(body) == "image/heic" {
			t.Skip() // its reader is a sandbox of its own, and slow
		}
		p, err := Read("x", body, Limits{Bytes: 1 << 20, Pixels: 1 << 16})
		if err != nil {
			var problem *Problem
			if !errors.As(err, &problem) {
				t.Fatalf("%v", err)
			}
			return
		}
		if p.Width*p.Height > 1<<16 || !slices.Contains(Kinds(), p.Kind) {
			t.Fatalf("%dx%d %s", p.Width, p.Height, p.Kind)
		}
		if _, err := p.Make(Wanted{Side: 64, Shape: Cut}); err != nil {
			t.Fatal(err)
		}
	})
}

// Several at once are what each would be alone.
func TestMakeAllIsAsMake(t *testing.T) {
	p, err := Read("flag.png", picturetest.PNG(picturetest.Flag(1200, 800)), DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	wanted := []Wanted{{Side: 1000}, {Side: 200, Kinds: []string{"image/jpeg"}}, {Side: 300, Shape: Cut},
		{Width: 64, Height: 64, Kinds: []string{"image/png"}}, {Crop: &[4]float64{0, 0, 0.5, 0.5}, Side: 100}}
	all, err := p.MakeAll(wanted...)
	if err != nil {
		t.Fatal(err)
	}
	for i, w := range wanted {
		alone, err := p.Make(w)
		if err != nil {
			t.Fatal(err)
		}
		if all[i].Kind != alone.Kind || all[i].Width != alone.Width || all[i].Height != alone.Height {
			t.Errorf("%d: %s %d×%d, alone %s %d×%d", i, all[i].Kind, all[i].Width, all[i].Height, alone.Kind,
				alone.Width, alone.Height)
		}
		one, _, err := image.Decode(bytes.NewReader(all[i].Body))
		if err != nil {
			t.Fatal(err)
		}
		other, _, err := image.Decode(bytes.NewReader(alone.Body))
		if err != nil {
			t.Fatal(err)
		}
		for _, at := range [][2]float64{{0.2, 0.2}, {0.8, 0.2}, {0.2, 0.8}, {0.8, 0.8}} {
			x, y := int(at[0]*float64(alone.Width)), int(at[1]*float64(alone.Height))
			if a, b := picturetest.Field(one, x, y), picturetest.Field(other, x, y); a != b {
				t.Errorf("%d: at %v %s, alone %s", i, at, a, b)
			}
		}
	}
	// Eight bits of each colour, whatever the library made of the file.
	plain, err := p.Make(Wanted{Kinds: []string{"image/png"}})
	if err != nil || plain.Body[24] != 8 {
		t.Errorf("%d bits, %v", plain.Body[24], err)
	}
	if _, err := p.MakeAll(Wanted{}, Wanted{Kinds: []string{"image/webp"}}); err == nil {
		t.Error("a kind that is not written was made")
	}
}
