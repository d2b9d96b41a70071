package readers

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"io"
	"path"
	"time"

	"juvalogos/core/phrase"
	"juvalogos/core/reading"
	"juvalogos/internal/confined"
)

// Bounds of a ZIP whose files are handed over.
const (
	mostPackedFiles = 1000
	mostPackedFile  = 40 << 20
	mostPackedBytes = 220 << 20
)

// Files hands over the files of a ZIP, read in a confined process. One that is broken, or
// holds more than may be, is a *reading.Problem; other errors are those of Read.
func (p *Pool) Files(ctx context.Context, packed []byte, each func(name string, body []byte)) error {
	_, err := p.do(ctx, request{Do: "files", Name: "the ZIP"}, packed, func(a answer) error {
		if a.Entry != nil {
			each(a.Entry.Name, a.Entry.Body)
		}
		return nil
	})
	return err
}

// files does it, in the confined process.
func files(t *confined.Task) error {
	wrong := &reading.Problem{File: "the ZIP", What: phrase.Of("it is no ZIP that can be read, or holds too much")}
	z, err := zip.NewReader(bytes.NewReader(t.Body), int64(len(t.Body)))
	if err != nil || len(z.File) > mostPackedFiles {
		return wrong
	}
	left := int64(mostPackedBytes)
	for _, f := range z.File {
		if f.FileInfo().IsDir() {
			continue
		}
		t.GoOn(30 * time.Second)
		r, err := f.Open()
		if err != nil {
			return wrong
		}
		body, err := io.ReadAll(io.LimitReader(r, mostPackedFile+1))
		r.Close()
		if left -= int64(len(body)); err != nil || len(body) > mostPackedFile || left < 0 {
			return wrong
		}
		text, err := json.Marshal(answer{Entry: &reading.Entry{Name: path.Clean(f.Name), Body: body}})
		if err != nil {
			return err
		}
		t.Part(text)
	}
	return nil
}
