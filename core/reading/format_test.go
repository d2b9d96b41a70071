package reading

import (
	"archive/zip"
	"bytes"
	"errors"
	"slices"
	"strings"
	"testing"
)

// zipOf packs empty files of these names.
func zipOf(t *testing.T, names ...string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, n := range names {
		if _, err := z.Create(n); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// No two formats have the same name or ending, and each can be told by
// something.
func TestFormatsAreTold(t *testing.T) {
	names, endings := map[string]bool{}, map[string]string{}
	for _, f := range formats {
		if f.name == "" || names[f.name] || len(f.endings) == 0 {
			t.Errorf("%q is registered twice, or has no ending", f.name)
		}
		names[f.name] = true
		for _, e := range f.endings {
			if e[0] != '.' || e != strings.ToLower(e) || endings[e] != "" {
				t.Errorf("%s: the ending %q, which %q has too", f.name, e, endings[e])
			}
			endings[e] = f.name
		}
		if f.binary && len(f.begins) == 0 && len(f.holds) == 0 && f.test == nil && f != archive {
			t.Errorf("%s: nothing in its bytes says what it is", f.name)
		}
		if f.read == nil && f.name != "pdf" && f.name != "picture" {
			t.Errorf("%s cannot be read", f.name)
		}
	}
	if len(formats) < 16 {
		t.Errorf("%d formats", len(formats))
	}
}

// A file is what its bytes say, whatever its name.
func TestFormatOf(t *testing.T) {
	for _, c := range []struct{ name, body, want string }{
		{"a.md", "# Bees", "markdown"}, {"a.MD", "# Bees", "markdown"}, {"a", "Bees", "text"},
		{"a.unknown", "Bees", "text"},
		{"a.txt", "%PDF-1.7 …", "pdf"}, {"a.pdf", "junk before\n%PDF-1.4", "pdf"},
		{"a.txt", "\x89PNG\r\n\x1a\n", "picture"}, {"a.jpg", "\xff\xd8\xff\xe0", "picture"},
		{"a.bmp", "BM and more", "picture"}, {"a.txt", "BM is how bitmaps begin", "text"},
		{"a.webp", "RIFF....WEBPVP8 ", "picture"}, {"a.txt", "RIFF is four letters, no picture", "text"},
		{"a.txt", "WEBVTT\n\n", "webvtt"}, {"a.txt", "\xef\xbb\xbfWEBVTT\n", "webvtt"},
		{"a.txt", "<!DOCTYPE html><p>x", "html"}, {"a", "  <html lang=en>", "html"},
		{"a.md", "<?xml version='1.0'?><html>", "html"}, {"a.csv", "a;b", "csv"}, {"a.tsv", "a\tb", "csv"},
		{"a.ndjson", "{}", "jsonl"}, {"a.json", "{}", "json"}, {"a.srt", "1\n", "srt"},
		{"a.zip", string(zipOf(t, "word/document.xml")), "docx"},
		{"a.docx", string(zipOf(t, "xl/workbook.xml")), "xlsx"},
		{"a", string(zipOf(t, "ppt/presentation.xml")), "pptx"},
		{"a", string(zipOf(t, "META-INF/container.xml")), "epub"},
		{"a", string(zipOf(t, "mimetype", "content.xml")), "odt"}, {"a", string(zipOf(t, "content.xml")), "zip"},
		{"a.docx", string(zipOf(t, "readme.txt")), "zip"},
	} {
		f, err := formatOf(c.name, []byte(c.body))
		if err != nil || f.name != c.want {
			t.Errorf("%s, %.20q: %v, %v", c.name, c.body, f, err)
		}
	}
}

// What cannot be read says why, and what to do.
func TestFormatsThatCannotBeRead(t *testing.T) {
	const ole = "\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"
	for _, c := range []struct{ name, body, want string }{
		{"a.docx", ole, "locked with a password"}, {"a.doc", ole, "an old office program"},
		{"a.odt", ole, "an old office program"}, {"a.pdf", "no PDF at all", "it is not a PDF"},
		{"a.zip", "PK\x03\x04 and no more", "list of contents"}, {"a.bin", "\x00\x01\x02\x03\x04", "DOCX"},
		{"a.png", "<svg>", "it is not a PNG"},
	} {
		_, err := formatOf(c.name, []byte(c.body))
		var p *Problem
		if !errors.As(err, &p) || !strings.Contains(p.What.String(), c.want) || p.File != c.name {
			t.Errorf("%s: %v", c.name, err)
		}
	}
	_, err := Read(t.Context(), "a.pdf", []byte("%PDF-1.4"), nil, DefaultLimits)
	if err == nil || !strings.Contains(err.Error(), "cannot be read by this service") {
		t.Errorf("pages without an engine: %v", err)
	}
}

// The sentence that lists what can be read names every format once.
func TestTitles(t *testing.T) {
	listed := strings.Split(Titles(), ", ")
	for _, want := range []string{"PDF", "DOCX", "ODT", "PPTX", "XLSX", "EPUB", "HTML", "Markdown", "text", "CSV",
		"SRT",
		"WebVTT", "JSON", "pictures of pages"} {
		if n := slices.Index(listed, want); n < 0 || slices.Contains(listed[n+1:], want) {
			t.Errorf("%s is not listed once in %q", want, listed)
		}
	}
}
