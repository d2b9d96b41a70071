package reading

import (
	"archive/zip"
	"bytes"
	"context"
	"io"
	"path"
	"slices"
	"strings"
	"unicode/utf8"
)

// reader reads one format.
type reader func(ctx context.Context, name string, body []byte, l Limits) (Document, error)

// format is a kind of file: how it is told from others, and how it is read. A
// new one is one file like captions.go, which registers it.
type format struct {
	name    string   // as Document.Format has it
	title   string   // as people call it; "": it is not worth a word of its own
	endings []string // of its files' names
	// Its bytes say what it is if they begin with one of begins, if it is a ZIP
	// that has all of holds in it, or else if its test holds; named says that
	// the ending of the name is one of its own.
	begins, holds []string
	// mime is what its file named mimetype begins with; "": that does not matter.
	mime string
	test func(body []byte, named bool) bool
	// head tells it from other text by how the text begins, in lower case.
	head func(text string) bool
	// binary files are not of this format if their bytes do not say so.
	binary bool
	// office programs pack its files in another format when they lock them.
	lockable bool
	read     reader // nil: by its pages
}

// formats are all that register was called with.
var formats []*format

// register makes a format known.
func register(f format) *format {
	formats = append(formats, &f)
	return &f
}

var archive = register(format{name: "zip", endings: []string{".zip"}, binary: true,
	read: func(_ context.Context, name string, _ []byte, _ Limits) (Document, error) {
		return Document{}, problem(name, "it is a ZIP; give it a name that ends with .zip, and its files are added "+
			"each on its own")
	}})

// formatOf tells what a file is: by its bytes where they say, else by the
// ending of its name. A file whose bytes and name do not agree is what its
// bytes say. The error is a *Problem.
func formatOf(name string, body []byte) (*format, error) {
	ending := strings.ToLower(path.Ext(name))
	first := func(is func(f *format) bool) *format {
		if at := slices.IndexFunc(formats, is); at >= 0 {
			return formats[at]
		}
		return nil
	}
	named := first(func(f *format) bool { return ending != "" && slices.Contains(f.endings, ending) })
	if f := first(func(f *format) bool { return f.beginsLike(body) }); f != nil {
		return f, nil
	}
	if f := first(func(f *format) bool { return f.test != nil && f.test(body, f == named) }); f != nil {
		return f, nil
	}
	if bytes.HasPrefix(body, []byte("PK\x03\x04")) {
		return packed(name, body)
	}
	if bytes.HasPrefix(body, []byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1")) {
		if named != nil && named.lockable {
			return nil, problem(name, "it is locked with a password; save it without one and add it again")
		}
		return nil, problem(name, "it is a file of an old office program; save it as DOCX, XLSX, PPTX or PDF and add "+
			"it again")
	}
	if named != nil && named.binary {
		return nil, problem(name, "it is not a %s, whatever its name says, or it is broken; look whether it opens on "+
			"your computer", strings.TrimPrefix(strings.ToUpper(ending), "."))
	}
	if !looksLikeText(body) {
		return nil, problem(name, "it is not a document that can be read; these can, and ZIPs of them: %s", Titles())
	}
	head := strings.ToLower(string(bytes.TrimSpace(body[:min(len(body), 512)])))
	if f := first(func(f *format) bool { return f.head != nil && f.head(head) }); f != nil {
		return f, nil
	}
	if named == nil {
		named = otherText
	}
	return named, nil
}

func (f *format) beginsLike(body []byte) bool {
	return slices.ContainsFunc(f.begins, func(b string) bool { return bytes.HasPrefix(body, []byte(b)) })
}

// Titles lists the formats that can be read, with commas between.
func Titles() string {
	var titles []string
	for _, f := range formats {
		if f.title != "" {
			titles = append(titles, f.title)
		}
	}
	slices.SortFunc(titles, func(a, b string) int { return strings.Compare(strings.ToLower(a), strings.ToLower(b)) })
	return strings.Join(titles, ", ")
}

// packed tells what a ZIP is.
func packed(name string, body []byte) (*format, error) {
	z, err := zip.NewReader(bytes.NewReader(body), int64(len(body)))
	if err != nil {
		return nil, problem(name, "it is broken: its list of contents cannot be read. Perhaps it was not downloaded "+
			"to its end")
	}
	held := map[string]bool{}
	mime := ""
	for _, f := range z.File {
		held[f.Name] = true
		if f.Name == "mimetype" {
			mime = beginningOf(f)
		}
	}
	for _, f := range formats {
		has := len(f.holds) > 0 && strings.HasPrefix(mime, f.mime)
		for _, file := range f.holds {
			has = has && held[file]
		}
		if has {
			return f, nil
		}
	}
	return archive, nil
}

// beginningOf is the beginning of a packed file, "" if it cannot be read.
func beginningOf(f *zip.File) string {
	r, err := f.Open()
	if err != nil {
		return ""
	}
	defer r.Close()
	head, err := io.ReadAll(io.LimitReader(r, 200))
	if err != nil {
		return ""
	}
	return string(head)
}

// looksLikeText reports whether bytes are text in some encoding: few control
// characters, or the zeros that UTF-16 has in every other place.
func looksLikeText(body []byte) bool {
	head := body[:min(len(body), 8192)]
	if unicodeOf(head) != nil {
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
