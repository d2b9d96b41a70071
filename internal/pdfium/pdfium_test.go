package pdfium

import (
	"bytes"
	"context"
	"errors"
	"image/png"
	"os"
	"strings"
	"testing"

	"juvalogos/core/reading"
)

var engine *Engine

func TestMain(m *testing.M) {
	folder, err := os.MkdirTemp("", "pdfium")
	if err != nil {
		panic(err)
	}
	engine = New(folder)
	code := m.Run()
	engine.Close()
	_ = os.RemoveAll(folder)
	os.Exit(code)
}

func open(t *testing.T, file, format string) reading.Pages {
	t.Helper()
	body, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	p, err := engine.Open(t.Context(), file, body, format)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(p.Close)
	return p
}

const leaflet = "../../demo/shelves/handbook/leaflets/wasps.pdf"

// A page's runs say its words, each where it stands.
func TestPagesAreSpelledOut(t *testing.T) {
	p := open(t, leaflet, "pdf")
	if p.Count() < 1 {
		t.Fatalf("%d pages", p.Count())
	}
	page, err := p.Page(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	var said []string
	for _, r := range page.Runs {
		said = append(said, r.Text)
		if r.Left < 0 || r.Top < 0 || r.Right > page.Width || r.Bottom > page.Height || r.Left > r.Right ||
			r.Top > r.Bottom || r.Size <= 0 {
			t.Errorf("%q stands at %+v on a page of %vx%v", r.Text, r, page.Width, page.Height)
		}
	}
	if !strings.Contains(strings.ToLower(strings.Join(said, " ")), "wasp") {
		t.Errorf("it says %q", said)
	}
}

// A page that is drawn is a picture of its size.
func TestPagesAreDrawn(t *testing.T) {
	p := open(t, leaflet, "pdf")
	page, err := p.Page(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	body, err := p.Draw(1, 72)
	if err != nil {
		t.Fatal(err)
	}
	picture, err := png.DecodeConfig(bytes.NewReader(body))
	if err != nil || float64(picture.Width) < page.Width-2 || float64(picture.Width) > page.Width+2 {
		t.Errorf("%d wide, %v; the page has %v points", picture.Width, err, page.Width)
	}
	// What is drawn can be read again as a picture of a page.
	sharp, err := p.Draw(1, 150)
	if err != nil {
		t.Fatal(err)
	}
	again, err := engine.Open(t.Context(), "page.png", sharp, "picture")
	if err != nil {
		t.Fatal(err)
	}
	defer again.Close()
	read, err := again.Recognise(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	var said strings.Builder
	for _, r := range read.Runs {
		said.WriteString(r.Text + " ")
	}
	if !strings.Contains(strings.ToLower(said.String()), "wasp") {
		t.Errorf("recognised %q", said.String())
	}
}

// Files that are broken are told from an engine that is.
func TestBrokenFilesAreProblems(t *testing.T) {
	for _, c := range []struct{ name, format, body string }{
		{"nothing.pdf", "pdf", "%PDF-1.4 and nothing else"},
		{"half.png", "picture", "\x89PNG\r\n\x1a\n and no more"},
	} {
		p, err := engine.Open(t.Context(), c.name, []byte(c.body), c.format)
		if err == nil {
			_, err = p.Recognise(t.Context(), 1)
			p.Close()
		}
		var problem *reading.Problem
		if !errors.As(err, &problem) || problem.What.IsZero() {
			t.Errorf("%s: %v", c.name, err)
		}
	}
}

// Whoever does not wait any more is let go.
func TestRecognisingEndsWithItsContext(t *testing.T) {
	body, err := open(t, leaflet, "pdf").Draw(1, 300)
	if err != nil {
		t.Fatal(err)
	}
	p, err := engine.Open(t.Context(), "page.png", body, "picture")
	if err != nil {
		t.Fatal(err)
	}
	defer p.Close()
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, err := p.Recognise(ctx, 1); !errors.Is(err, context.Canceled) {
		t.Errorf("got %v", err)
	}
}
