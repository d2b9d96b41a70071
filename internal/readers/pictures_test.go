package readers

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"errors"
	"hash/crc32"
	"image"
	"image/color"
	"image/gif"
	"testing"
	"time"

	"juvalogos/core/picture"
	"juvalogos/core/picture/picturetest"
)

// Whatever a picture is made to do: the process that reads it ends, the service holds
// little, says a sentence, and reads the next one.
func TestHostilePictures(t *testing.T) {
	p := pool(t)
	most := watchMemory(t)
	flag := picturetest.PNG(picturetest.Flag(64, 48))
	zeros := append([]byte("p\x00\x00"), packed(800<<20)...)
	for name, body := range map[string][]byte{
		"a profile of 800 MB":        withChunk(flag, "iCCP", zeros),
		"words of 800 MB":            withChunk(flag, "zTXt", zeros),
		"a billion dots":             sized(flag, 40_000, 40_000),
		"dots that are not there":    sized(flag, 10_000, 10_000),
		"10,000 moving pictures":     moving(10_000),
		"scans without end":          scans(8_000, 8_000, 9_000),
		"a JPEG that is only a head": picturetest.JPEG(picturetest.Flag(64, 48))[:200],
	} {
		began := time.Now()
		d, err := p.Picture(t.Context(), name, body, picture.Wanted{Side: 2048}, picture.Wanted{Side: 400})
		var problem *picture.Problem
		if err != nil && !errors.As(err, &problem) {
			t.Errorf("%s: %v", name, err)
		}
		t.Logf("%s (%d kB): %d×%d %v, after %v", name, len(body)>>10, d.Width, d.Height, err,
			time.Since(began).Round(time.Millisecond))
		if d, err := p.Picture(t.Context(), "after.png", flag, picture.Wanted{}); err != nil || d.Width != 64 {
			t.Errorf("after %s: %+v %v", name, d, err)
		}
	}
	if held := most(); held > 2200<<20 {
		t.Errorf("the processes held %d MB", held>>20)
	}
}

// packed is zeros, packed.
func packed(size int) []byte {
	var b bytes.Buffer
	w, _ := zlib.NewWriterLevel(&b, zlib.BestCompression)
	zeros := make([]byte, 1<<20)
	for range size >> 20 {
		_, _ = w.Write(zeros)
	}
	w.Close()
	return b.Bytes()
}

// withChunk puts a chunk behind the head of a PNG.
func withChunk(file []byte, kind string, body []byte) []byte {
	chunk := binary.BigEndian.AppendUint32(nil, uint32(len(body)))
	chunk = append(append(chunk, kind...), body...)
	chunk = binary.BigEndian.AppendUint32(chunk, crc32.ChecksumIEEE(chunk[4:]))
	const head = 8 + 25
	return append(append(append([]byte{}, file[:head]...), chunk...), file[head:]...)
}

// sized is a PNG that says it has another size.
func sized(file []byte, width, height uint32) []byte {
	out := append([]byte{}, file...)
	binary.BigEndian.PutUint32(out[16:], width)
	binary.BigEndian.PutUint32(out[20:], height)
	binary.BigEndian.PutUint32(out[29:], crc32.ChecksumIEEE(out[12:29]))
	return out
}

// moving is a GIF of many pictures.
func moving(n int) []byte {
	all := &gif.GIF{}
	frame := image.NewPaletted(image.Rect(0, 0, 8, 8), color.Palette{color.Black, color.White})
	for range n {
		all.Image, all.Delay = append(all.Image, frame), append(all.Delay, 1)
	}
	var b bytes.Buffer
	_ = gif.EncodeAll(&b, all)
	return b.Bytes()
}

// scans is a progressive JPEG whose dots are gone over again and again, with a few bytes
// for each time.
func scans(width, height, n int) []byte {
	segment := func(marker byte, body ...byte) []byte {
		return append(binary.BigEndian.AppendUint16([]byte{0xff, marker}, uint16(len(body)+2)), body...)
	}
	out := []byte{0xff, 0xd8}
	table := make([]byte, 65)
	for i := range table[1:] {
		table[i+1] = 1
	}
	out = append(out, segment(0xdb, table...)...)
	out = append(out, segment(0xc2, 8, byte(height>>8), byte(height), byte(width>>8), byte(width), 1, 1, 0x11, 0)...)
	counts := func(class byte, symbols ...byte) []byte {
		return append(append([]byte{class}, byte(len(symbols)), 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0),
			symbols...)
	}
	out = append(out, segment(0xc4, counts(0x00, 0x00)...)...) // no difference
	out = append(out, segment(0xc4, counts(0x10, 0xe0)...)...) // 2^14 blocks without anything, and as many as follow
	blocks := (width / 8) * (height / 8)
	out = append(out, segment(0xda, 1, 1, 0x00, 0, 0, 0)...)
	out = append(out, make([]byte, blocks/8+1)...)
	one := segment(0xda, 1, 1, 0x00, 1, 63, 0)
	var bits bytes.Buffer // for each run: the code 0, and 14 bits that say 2^14-1 more
	var held, count uint64
	for left := blocks; left > 0; left -= 1<<15 - 1 {
		held, count = held<<15|(1<<14-2), count+15
		for count >= 8 {
			b := byte(held >> (count - 8))
			bits.WriteByte(b)
			if b == 0xff {
				bits.WriteByte(0)
			}
			count -= 8
		}
	}
	bits.Write([]byte{0x7f, 0x7f})
	for range n {
		out = append(append(out, one...), bits.Bytes()...)
	}
	return append(out, 0xff, 0xd9)
}
