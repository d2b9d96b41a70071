package main

import (
	"bytes"
	"context"
	"flag"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"juvalogos/core/passage"
	"juvalogos/core/reading"
	"juvalogos/internal/pdfium"
)

var write = flag.Bool("write", false, "write the table in docs/reading.md anew")

const (
	// The aim: of a format's words that a witness finds, so many are read or told
	// as left out, in parts of a hundred.
	aim = 0.995
	// fewestFiles have to be there as they were when the witnesses read them: a
	// package may have a new edition.
	fewestFiles = 110
	docs        = "../../docs/reading.md"
)

// lower are formats whose witness counts what is not in the text, by what was
// looked at: pandoc writes formulas as TeX where DOCX has signs; LibreOffice says
// the targets of some links, glues the signs of notes to words, and shows times
// where days are told.
var lower = map[string]float64{"docx pandoc": 0.88, "docx libreoffice": 0.95, "xlsx libreoffice": 0.97}

func files(t *testing.T) ([]file, string) {
	t.Helper()
	folder := filepath.Join(os.TempDir(), "juvalogos-reading")
	if err := os.Chdir("../.."); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.Chdir("bench/reading") })
	all, err := fetch(folder)
	if err != nil {
		t.Fatal(err)
	}
	return all, folder
}

// Of files that nobody here made, what other programs find in them is read, or
// told as left out.
func TestWordsInAreWordsOut(t *testing.T) {
	all, folder := files(t)
	results, err := readAll(folder, all)
	if err != nil {
		t.Fatal(err)
	}
	type sums struct{ found, sampled int }
	by := map[string]sums{}
	seen := map[string]bool{}
	for _, r := range results {
		seen[r.File] = true
		if r.problem != nil {
			t.Errorf("%s cannot be read: %v", r.File, r.problem)
		}
		s := by[r.Format+" "+r.Witness]
		by[r.Format+" "+r.Witness] = sums{s.found + r.found, s.sampled + r.sampled}
		if share := r.document.Share(); share < 0.98 {
			t.Errorf("%s: by our own account %.3f is read: %+v", r.File, share, r.document.Left)
		}
	}
	if len(seen) < fewestFiles {
		t.Errorf("%d files are as they were when the witnesses read them; have them read anew: "+
			"go run ./bench/reading -testify", len(seen))
	}
	for what, s := range by {
		least := aim
		if low, is := lower[what]; is {
			least = low
		}
		if share := float64(s.found) / float64(s.sampled); share < least {
			t.Errorf("%s: %.4f of the words are read or told, %.4f was aimed at", what, share, least)
		}
	}
	text, err := os.ReadFile("docs/reading.md")
	if err != nil {
		t.Fatal(err)
	}
	before, rest, ok := strings.Cut(string(text), "<!-- table -->\n")
	_, after, ok2 := strings.Cut(rest, "<!-- end -->")
	if !ok || !ok2 {
		t.Fatal("docs/reading.md has no place for the table")
	}
	written := before + "<!-- table -->\n" + table(results) + "<!-- end -->" + after
	if *write {
		if err := os.WriteFile("docs/reading.md", []byte(written), 0o644); err != nil {
			t.Fatal(err)
		}
	} else if written != string(text) && len(seen) == countFiles(t) {
		t.Errorf("docs/reading.md is not what is measured; write it: go test ./bench/reading -write")
	}
}

// countFiles is of how many files there are testimonies.
func countFiles(t *testing.T) int {
	t.Helper()
	all, err := heardOf("bench/reading/testimonies.jsonl")
	if err != nil {
		t.Fatal(err)
	}
	return len(all)
}

// Every passage of a real file stands in the file as it was read, at its place;
// every block that is no list of contents is in a passage.
func TestPassagesOfRealFilesAreAtTheirPlace(t *testing.T) {
	all, folder := files(t)
	engine := pdfium.New(filepath.Join(folder, "engine"))
	defer engine.Close()
	testimonies, err := heardOf("bench/reading/testimonies.jsonl")
	if err != nil {
		t.Fatal(err)
	}
	passages := 0
	for i, f := range all {
		if testimonies[f.name()] == nil { // there is no word in it
			continue
		}
		if i%4 != 0 && f.Format == "html" { // some of them are enough
			continue
		}
		body, err := os.ReadFile(f.at)
		if err != nil {
			t.Fatal(err)
		}
		d, err := reading.Read(t.Context(), filepath.Base(f.at), body, engine, reading.DefaultLimits)
		if err != nil {
			t.Errorf("%s: %v", f.name(), err)
			continue
		}
		covered := make([]bool, len(d.Blocks))
		for p := range passage.Split(t.Context(), d, passage.Options{Target: 200, Overlap: 100}) {
			passages++
			if p.Text != passage.TextOf(d.Blocks, p.Spans) {
				t.Errorf("%s: %.60q is not at its place", f.name(), p.Text)
			}
			for _, s := range p.Spans {
				covered[s.Block] = true
			}
		}
		for i, b := range d.Blocks {
			if listing := b.Kind == reading.Listing; covered[i] == listing {
				t.Errorf("%s: block %d (%s) %.60q: in a passage: %v", f.name(), i, b.Kind, b.Text, covered[i])
			}
			if wrong := place(d, b); wrong != "" {
				t.Errorf("%s: block %d %.60q %s", f.name(), i, b.Text, wrong)
			}
		}
		inOriginal(t, f, body, d)
	}
	if passages < 1000 {
		t.Errorf("only %d passages", passages)
	}
}

// place says what is wrong with a block's place; "" if nothing is.
func place(d reading.Document, b reading.Block) string {
	last := -1
	for _, m := range b.Marks {
		if m.At <= last || m.At > len(b.Text) || m.Page < 0 || d.Pages > 0 && m.Page > d.Pages {
			return fmt.Sprintf("has a wrong mark: %+v", m)
		}
		last = m.At
		for _, x := range m.Box {
			if math.IsNaN(x) || x < 0 || x > 1 {
				return fmt.Sprintf("has a box off its page: %+v", m)
			}
		}
	}
	if b.Line == 0 && b.Sheet == "" && len(b.Marks) == 0 && b.Paragraph == 0 {
		return "has no place"
	}
	return ""
}

// inOriginal checks that the text of blocks with lines is in the file at its line.
func inOriginal(t *testing.T, f file, body []byte, d reading.Document) {
	t.Helper()
	if f.Format != "md" && f.Format != "txt" {
		return
	}
	lines := bytes.Split(body, []byte("\n"))
	for _, b := range d.Blocks {
		var first string
		reading.EachWord(b.Text, func(w string) {
			if first == "" {
				first = w
			}
		})
		if b.Line < 1 || b.Line > len(lines) || b.Kind == reading.Code || first == "" {
			continue
		}
		near := bytes.ToLower(bytes.Join(lines[b.Line-1:min(len(lines), b.Line+3)], []byte("\n")))
		if !bytes.Contains(near, []byte(first)) && f.Format == "txt" {
			t.Errorf("%s: line %d does not begin with %q: %.80q", f.name(), b.Line, first, near)
		}
	}
}

// A file is read twice alike.
func TestReadingIsTheSameEveryTime(t *testing.T) {
	all, folder := files(t)
	engine := pdfium.New(filepath.Join(folder, "engine"))
	defer engine.Close()
	i := slices.IndexFunc(all, func(f file) bool { return f.Format == "pdf" })
	body, err := os.ReadFile(all[i].at)
	if err != nil {
		t.Fatal(err)
	}
	var first string
	for n := range 3 {
		d, err := reading.Read(context.Background(), "x.pdf", body, engine, reading.DefaultLimits)
		if err != nil {
			t.Fatal(err)
		}
		text := fmt.Sprintf("%+v", d.Blocks)
		if n > 0 && text != first {
			t.Error("a PDF is read otherwise the next time")
		}
		first = text
	}
}
