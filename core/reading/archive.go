package reading

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"path"
	"strings"
)

// Entry is a file in a ZIP.
type Entry struct {
	Name string // with its folders
	Body []byte
}

// Unpack takes the files out of a ZIP and hands over each that may be read;
// wrong gets the others' problems. It stops at the first error of do, and where
// the limits end: a small file that unpacks to a huge one is refused whole.
func Unpack(name string, body []byte, l Limits, do func(Entry) error, wrong func(*Problem)) error {
	z, err := openZip(name, body)
	if err != nil {
		return err
	}
	if len(z.File) > l.Files {
		return problem(name, "it holds %d files; up to %d are read", len(z.File), l.Files)
	}
	room := &l.Expanded
	files := 0
	for _, f := range z.File {
		base := path.Base(f.Name)
		if f.FileInfo().IsDir() || strings.HasPrefix(base, ".") || strings.HasPrefix(f.Name, "__MACOSX/") {
			continue
		}
		files++
		if f.Flags&1 != 0 {
			wrong(problem(f.Name, "it is locked with a password; pack it again without one"))
			continue
		}
		content, err := readZipped(name, f, room)
		if err != nil {
			var p *Problem
			if p, _ = err.(*Problem); p != nil && p.File == name {
				return err
			}
			wrong(problem(f.Name, "it is broken inside the ZIP"))
			continue
		}
		if len(content) > l.Bytes {
			wrong(problem(f.Name, "it has %d MB; up to %d MB are read", len(content)>>20, l.Bytes>>20))
			continue
		}
		if err := do(Entry{f.Name, content}); err != nil {
			return err
		}
	}
	if files == 0 {
		return problem(name, "there is no file in it")
	}
	return nil
}

func openZip(name string, body []byte) (*zip.Reader, error) {
	z, err := zip.NewReader(bytes.NewReader(body), int64(len(body)))
	if err != nil {
		return nil, problem(name, "it is broken: its list of contents cannot be read. Perhaps it was not downloaded "+
			"to its end")
	}
	return z, nil
}

// mostExpansion is how many times larger a packed file may become; text that
// people write packs ten times smaller at most.
const mostExpansion = 300

// readZipped unpacks one file, as far as there is room; what it says of its
// size is not believed.
func readZipped(name string, f *zip.File, room *int) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	most := min(*room, max(1<<20, int(min(f.CompressedSize64, 1<<30))*mostExpansion))
	content, err := io.ReadAll(io.LimitReader(r, int64(most)+1))
	if err != nil {
		return nil, fmt.Errorf("unpack %s: %w", f.Name, err)
	}
	if len(content) > most {
		return nil, problem(name, "%s in it unpacks to far more than a document would; it was not read", f.Name)
	}
	*room -= len(content)
	return content, nil
}

// part reads one file of an office document.
func part(name string, z *zip.Reader, file string, room *int) ([]byte, error) {
	for _, f := range z.File {
		if f.Name == file {
			if f.Flags&1 != 0 {
				return nil, problem(name, "it is locked with a password; save it without one and add it again")
			}
			content, err := readZipped(name, f, room)
			if err != nil {
				if p, is := err.(*Problem); is {
					return nil, p
				}
				return nil, problem(name, "it is broken: %s in it cannot be unpacked", file)
			}
			return content, nil
		}
	}
	return nil, nil
}
