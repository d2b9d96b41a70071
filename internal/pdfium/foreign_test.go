package pdfium

import (
	"bytes"
	"errors"
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"testing"

	"juvalogos/core/reading"
)

// Whatever a picture's head says, it is small enough or refused with a sentence.
func FuzzSmallEnough(f *testing.F) {
	f.Add([]byte("\x89PNG\r\n\x1a\n"))
	f.Add([]byte("GIF89a\xff\xff\xff\xff"))
	f.Add([]byte("BM"))
	f.Add([]byte("II*\x00"))
	f.Fuzz(func(t *testing.T, body []byte) {
		var p *reading.Problem
		if err := smallEnough("x", body); err != nil && !errors.As(err, &p) {
			t.Errorf("%v is no sentence about the file", err)
		}
	})
}

// Whatever tesseract writes is read, or not.
func FuzzTSV(f *testing.F) {
	f.Add("level\tpage\n5\t1\t1\t1\t1\t1\t10\t10\t20\t20\t95\tword\n", 1.0)
	f.Fuzz(func(t *testing.T, text string, scale float64) {
		for _, r := range fromTSV(text, scale).Runs {
			if r.Text == "" {
				t.Errorf("an empty run: %+v", r)
			}
		}
	})
}

// PDFium runs where Go's fuzzing sees nothing of it; so PDFs are changed at random,
// the same way in every run.
func TestChangedPDFs(t *testing.T) {
	body, err := os.ReadFile(leaflet)
	if err != nil {
		t.Fatal(err)
	}
	opened := 0
	for seed := range changedPDFs() {
		random := rand.New(rand.NewPCG(uint64(seed), 7))
		changed := bytes.Clone(body)
		for range 1 + random.IntN(12) {
			at := random.IntN(len(changed))
			switch random.IntN(4) {
			case 0:
				changed[at] = byte(random.IntN(256))
			case 1:
				if random.IntN(20) == 0 {
					changed = changed[:max(at, 64)]
				}
			case 2:
				changed = slices.Insert(changed, at, changed[at:min(len(changed), at+random.IntN(200))]...)
			case 3: // numbers are lengths, counts and offsets
				if changed[at] >= '0' && changed[at] <= '9' {
					changed = slices.Insert(changed, at, []byte("99999")...)
				}
			}
		}
		pages, err := engine.Open(t.Context(), "x.pdf", changed, "pdf")
		var p *reading.Problem
		if err != nil {
			if !errors.As(err, &p) {
				t.Fatalf("%d: %v is no sentence about the file", seed, err)
			}
			continue
		}
		opened++
		for n := 1; n <= min(pages.Count(), 2); n++ {
			if _, err := pages.Page(t.Context(), n); err != nil && !errors.As(err, &p) {
				t.Errorf("%d, page %d: %v is no sentence about the file", seed, n, err)
			}
			if _, err := pages.Draw(n, 20); err != nil && !errors.As(err, &p) {
				t.Errorf("%d, page %d drawn: %v is no sentence about the file", seed, n, err)
			}
		}
		pages.Close()
	}
	if opened == 0 {
		t.Error("none was opened")
	}
	t.Logf("%d of %d were opened", opened, changedPDFs())
}

// changedPDFs is how many are tried; the variable JUVALOGOS_CHANGED_PDFS asks for more.
func changedPDFs() int {
	if n, err := strconv.Atoi(os.Getenv("JUVALOGOS_CHANGED_PDFS")); err == nil {
		return n
	}
	return 60
}
