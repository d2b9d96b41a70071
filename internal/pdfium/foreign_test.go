package pdfium

import (
	"context"
	"errors"
	"os"
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

// Whatever a PDF is: it is opened, spelt out and drawn, or refused with a sentence.
func FuzzPDF(f *testing.F) {
	if body, err := os.ReadFile(leaflet); err == nil {
		f.Add(body)
	}
	f.Add(blank(300, 300))
	f.Fuzz(func(t *testing.T, body []byte) {
		pages, err := engine.Open(context.Background(), "x.pdf", body, "pdf")
		var p *reading.Problem
		if err != nil {
			if !errors.As(err, &p) {
				t.Errorf("%v is no sentence about the file", err)
			}
			return
		}
		defer pages.Close()
		for n := 1; n <= min(pages.Count(), 2); n++ {
			if _, err := pages.Page(context.Background(), n); err != nil && !errors.As(err, &p) {
				t.Errorf("page %d: %v is no sentence about the file", n, err)
			}
			if _, err := pages.Draw(n, 20); err != nil && !errors.As(err, &p) {
				t.Errorf("page %d drawn: %v is no sentence about the file", n, err)
			}
		}
	})
}
