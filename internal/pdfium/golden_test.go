package pdfium

import (
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"juvalogos/core/reading"
)

var write = flag.Bool("write", false, "write the golden files anew")

// PDFs and pictures of pages, as they are read: contents and index as such,
// columns one after the other, words whole that were hyphenated, code line by
// line, page numbers of both kinds gone.
func TestGolden(t *testing.T) {
	for _, file := range []string{"testdata/manual.pdf", "testdata/scan.png", leaflet,
		"../../demo/shelves/handbook/leaflets/garden.pdf"} {
		body, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		d, err := reading.Read(t.Context(), filepath.Base(file), body, engine, reading.DefaultLimits)
		if err != nil {
			t.Errorf("%s: %v", file, err)
			continue
		}
		var b strings.Builder
		fmt.Fprintf(&b, "%s, %s, language %q, %d words of %d, %d pages\n", d.Title, d.Format, d.Language, d.Words,
			d.Original, d.Pages)
		for _, o := range d.Left {
			fmt.Fprintf(&b, "left out: %s, %d words, %d: %s\n", o.Why, o.Words, o.Count, o.Sample)
		}
		for _, block := range d.Blocks {
			m := block.Marks[0]
			fmt.Fprintf(&b, "page %d at %.2f %.2f, %s %d\n  %q\n", m.Page, m.Box[0], m.Box[1], block.Kind, block.Level,
				block.Text)
		}
		golden := filepath.Join("testdata", filepath.Base(file)+".golden")
		if *write {
			if err := os.WriteFile(golden, []byte(b.String()), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		want, err := os.ReadFile(golden)
		if err != nil || string(want) != b.String() {
			t.Errorf("%s is read as\n%s\n%v", file, b.String(), err)
		}
	}
}
