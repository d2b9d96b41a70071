package reading

import (
	"archive/zip"
	"bytes"
	"path"
	"strings"
	"unicode/utf8"
)

// Formats are what Format tells apart, with the endings of their names.
var Formats = map[string][]string{
	"pdf": {".pdf"}, "docx": {".docx"}, "odt": {".odt"}, "pptx": {".pptx"}, "xlsx": {".xlsx"}, "epub": {".epub"},
	"html": {".html", ".htm", ".xhtml"}, "markdown": {".md", ".markdown"}, "text": {".txt", ".text", ".rst", ".log"},
	"csv": {".csv", ".tsv"}, "srt": {".srt"}, "webvtt": {".vtt"}, "json": {".json"}, "jsonl": {".jsonl", ".ndjson"},
	"zip": {".zip"}, "picture": {".png", ".jpg", ".jpeg", ".webp", ".tif", ".tiff", ".bmp", ".gif"},
}

// magic is how files of a format begin.
var magic = []struct{ begin, format string }{
	{"%PDF-", "pdf"}, {"\x89PNG\r\n", "picture"}, {"\xff\xd8\xff", "picture"}, {"GIF8", "picture"},
	{"II*\x00", "picture"}, {"MM\x00*", "picture"}, {"BM", "picture"},
	{"WEBVTT", "webvtt"}, {"\xef\xbb\xbfWEBVTT", "webvtt"},
}

// Format tells what a file is: by its bytes where they say, else by the ending
// of its name. A file whose bytes and name do not agree is what its bytes say.
func Format(name string, body []byte) (string, error) {
	byName := ""
	ending := strings.ToLower(path.Ext(name))
	for format, endings := range Formats {
		for _, e := range endings {
			if e == ending {
				byName = format
			}
		}
	}
	for _, m := range magic {
		if bytes.HasPrefix(body, []byte(m.begin)) && (m.begin != "BM" || byName == "picture") {
			return m.format, nil
		}
	}
	if bytes.HasPrefix(body, []byte("RIFF")) && len(body) > 12 && string(body[8:12]) == "WEBP" {
		return "picture", nil
	}
	if i := bytes.Index(body[:min(len(body), 1024)], []byte("%PDF-")); i > 0 {
		return "pdf", nil // some programs put something before it
	}
	if bytes.HasPrefix(body, []byte("PK\x03\x04")) {
		return packed(name, body)
	}
	if bytes.HasPrefix(body, []byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1")) {
		if byName == "docx" || byName == "xlsx" || byName == "pptx" {
			return "", problem(name, "it is locked with a password; save it without one and add it again")
		}
		return "", problem(name, "it is a file of an old office program; save it as DOCX, XLSX, PPTX or PDF and add "+
			"it again")
	}
	switch byName {
	case "pdf", "docx", "odt", "pptx", "xlsx", "epub", "zip", "picture":
		return "", problem(name, "it is not a %s, whatever its name says, or it is broken; look whether it opens on "+
			"your computer", strings.TrimPrefix(strings.ToUpper(ending), "."))
	}
	if !looksLikeText(body) {
		return "", problem(name, "it is not a document that can be read; PDF, DOCX, ODT, PPTX, XLSX, EPUB, HTML, "+
			"Markdown, text, CSV, SRT, WebVTT, JSON, pictures of pages and ZIPs of these can")
	}
	head := strings.ToLower(string(bytes.TrimSpace(body[:min(len(body), 512)])))
	if strings.HasPrefix(head, "<!doctype html") || strings.HasPrefix(head, "<html") ||
		strings.HasPrefix(head, "<?xml") && strings.Contains(head, "<html") {
		return "html", nil
	}
	if byName == "" {
		byName = "text"
	}
	return byName, nil
}

// packed tells what a ZIP is.
func packed(name string, body []byte) (string, error) {
	z, err := zip.NewReader(bytes.NewReader(body), int64(len(body)))
	if err != nil {
		return "", problem(name, "it is broken: its list of contents cannot be read. Perhaps it was not downloaded "+
			"to its end")
	}
	has := func(file string) bool {
		for _, f := range z.File {
			if f.Name == file {
				return true
			}
		}
		return false
	}
	switch {
	case has("word/document.xml"):
		return "docx", nil
	case has("ppt/presentation.xml"):
		return "pptx", nil
	case has("xl/workbook.xml"):
		return "xlsx", nil
	case has("META-INF/container.xml"):
		return "epub", nil
	case has("content.xml") && has("mimetype"):
		return "odt", nil
	}
	return "zip", nil
}

// looksLikeText reports whether bytes are text in some encoding: few control
// characters, or the zeros that UTF-16 has in every other place.
func looksLikeText(body []byte) bool {
	head := body[:min(len(body), 8192)]
	if bytes.HasPrefix(head, []byte{0xff, 0xfe}) || bytes.HasPrefix(head, []byte{0xfe, 0xff}) {
		return true
	}
	control, zeros := 0, [2]int{}
	for i, b := range head {
		if b == 0 {
			zeros[i%2]++
		} else if b < 0x20 && b != '\n' && b != '\r' && b != '\t' && b != '\f' && b != 0x1b {
			control++
		}
	}
	if z := zeros[0] + zeros[1]; z > 0 {
		return control*20 < len(head) && z*5 > len(head)*2 && (zeros[0]*20 < z || zeros[1]*20 < z)
	}
	return control*50 < len(head)+50 && (utf8.Valid(trimPartial(head)) || control == 0)
}

// trimPartial drops a character that was cut off at the end.
func trimPartial(b []byte) []byte {
	for i := 1; i <= 3 && i <= len(b); i++ {
		if utf8.RuneStart(b[len(b)-i]) {
			if !utf8.FullRune(b[len(b)-i:]) {
				return b[:len(b)-i]
			}
			return b
		}
	}
	return b
}
