package pdfium

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"image/png"
	"os"
	"strconv"
	"strings"
	"testing"

	"juvalogos/core/reading"
)

// peak is the most memory that this process has had, in MB, as the system
// counts it.
func peak(t *testing.T) int {
	t.Helper()
	status, err := os.ReadFile("/proc/self/status")
	if err != nil {
		t.Fatal(err)
	}
	_, after, _ := strings.Cut(string(status), "VmHWM:")
	kB, err := strconv.Atoi(strings.Fields(after)[0])
	if err != nil {
		t.Fatal(err)
	}
	return kB >> 10
}

// blank is a PDF of a page of a size, in points.
func blank(width, height int) []byte {
	var b bytes.Buffer
	var at []int
	object := func(text string) {
		at = append(at, b.Len())
		fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\n", len(at), text)
	}
	b.WriteString("%PDF-1.7\n")
	object("<</Type/Catalog/Pages 2 0 R>>")
	object("<</Type/Pages/Kids[3 0 R]/Count 1>>")
	object(fmt.Sprintf("<</Type/Page/Parent 2 0 R/MediaBox[0 0 %d %d]/UserUnit 1/Contents 4 0 R>>", width, height))
	content := "0.2 0.3 0.1 rg 0 0 100 100 re f"
	object(fmt.Sprintf("<</Length %d>>\nstream\n%s\nendstream", len(content), content))
	table := b.Len()
	fmt.Fprintf(&b, "xref\n0 %d\n0000000000 65535 f \n", len(at)+1)
	for _, offset := range at {
		fmt.Fprintf(&b, "%010d 00000 n \n", offset)
	}
	fmt.Fprintf(&b, "trailer <</Size %d/Root 1 0 R>>\nstartxref\n%d\n%%%%EOF\n", len(at)+1, table)
	return b.Bytes()
}

// A page that would be drawn as more dots than anybody needs is drawn as fewer,
// or not at all, with its memory bounded.
func TestHugePagesAreDrawnSmall(t *testing.T) {
	leafletPages := open(t, leaflet, "pdf") // PDFium is compiled before anything is measured
	if _, err := leafletPages.Draw(1, 72); err != nil {
		t.Fatal(err)
	}
	before := peak(t)
	for _, size := range [][2]int{{14_400, 14_400}, {200_000, 100}, {100_000, 100_000},
		{2_000_000_000, 2_000_000_000}} {
		body := blank(size[0], size[1])
		if len(body) > 1024 {
			t.Fatalf("the file has %d bytes", len(body))
		}
		p, err := engine.Open(t.Context(), "huge.pdf", body, "pdf")
		if err != nil {
			var problem *reading.Problem
			if !errors.As(err, &problem) {
				t.Errorf("%v: %v", size, err)
			}
			continue
		}
		drawn, err := p.Draw(1, 110)
		p.Close()
		var problem *reading.Problem
		if errors.As(err, &problem) {
			continue
		}
		head, decodeErr := png.DecodeConfig(bytes.NewReader(drawn))
		if err != nil || decodeErr != nil || head.Width*head.Height > mostPixels+mostPixels/50 {
			t.Errorf("%v: %dx%d, %v %v", size, head.Width, head.Height, err, decodeErr)
		}
	}
	if took := peak(t) - before; took > 1200 {
		t.Errorf("drawing took %d MB", took)
	}
}

// A picture's head tells how large it is before anything is unpacked.
func TestHugePicturesAreRefused(t *testing.T) {
	chunk := func(kind string, data []byte) []byte {
		b := binary.BigEndian.AppendUint32(nil, uint32(len(data)))
		b = append(append(b, kind...), data...)
		return binary.BigEndian.AppendUint32(b, crc32.ChecksumIEEE(b[4:]))
	}
	of := func(width, height uint32) []byte {
		head := binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(nil, width), height)
		return append([]byte("\x89PNG\r\n\x1a\n"), chunk("IHDR", append(head, 8, 2, 0, 0, 0))...)
	}
	before := peak(t)
	for _, size := range [][2]uint32{{30_000, 30_000}, {1, 50_000_000}, {1 << 30, 1 << 30}} {
		p, err := engine.Open(t.Context(), "huge.png", of(size[0], size[1]), "picture")
		var problem *reading.Problem
		if !errors.As(err, &problem) {
			t.Errorf("%v: %v, %v", size, p, err)
		}
	}
	if took := peak(t) - before; took > 50 {
		t.Errorf("refusing took %d MB", took)
	}
	p, err := engine.Open(t.Context(), "page.png", of(2480, 3508), "picture")
	if err != nil {
		t.Fatal(err)
	}
	p.Close()
}

func TestDotsThatFit(t *testing.T) {
	for _, c := range []struct {
		width, height float64
		dpi, want     int
	}{{595, 842, 110, 110}, {595, 842, 200, 200}, {2384, 3370, 200, 160}, {14_400, 14_400, 110, 31}, {1e6, 1e6, 110, 0},
		{1e6, 1, 110, 110}, {0.5, 0.5, 110, 110}} {
		if got := dpiFor(c.width, c.height, c.dpi); got != c.want {
			t.Errorf("%v: %d", c, got)
		}
	}
}
