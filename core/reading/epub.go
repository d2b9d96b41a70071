package reading

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/xml"
	"iter"
	"net/url"
	"path"
	"slices"
	"strings"

	"juvalogos/core/evidence"
)

var _ = register(format{name: "epub", title: "EPUB", endings: []string{".epub"}, binary: true,
	holds: []string{"META-INF/container.xml"}, read: readEPUB})

// readEPUB reads a book's chapters in the order of its spine (EPUB 3).
func readEPUB(ctx context.Context, name string, body []byte, l Limits) (d Document, err error) {
	z, err := openZip(name, body)
	if err != nil {
		return d, err
	}
	room := l.Expanded
	opf, err := packageOf(ctx, name, z, l, &room)
	if err != nil {
		return d, err
	}
	list, err := part(name, z, opf, &room)
	if err != nil {
		return d, err
	}
	chapters, err := spineOf(ctx, name, opf, list, l, &d)
	if err != nil {
		return d, err
	}
	var texts []iter.Seq[string]
	missing := 0
	for n, c := range chapters {
		body, err := part(name, z, c.file, &room)
		if err != nil {
			return d, err
		}
		if body == nil {
			missing++
			continue
		}
		if len(bytes.TrimSpace(body)) == 0 {
			continue
		}
		read, err := readHTML(ctx, name, body, l)
		if err != nil {
			return d, err
		}
		if len(read.Blocks) == 0 {
			continue
		}
		for i := range read.Blocks {
			read.Blocks[i].Chapter = n + 1
			if b := &read.Blocks[i]; (c.contents || read.linked) && b.Kind != Heading {
				b.Kind = Listing
			}
		}
		d.Blocks = append(d.Blocks, read.Blocks...)
		d.left = append(d.left, read.left...)
		texts = append(texts, read.original)
	}
	d.parts(evidence.Missing, missing, len(chapters))
	d.original = func(yield func(string) bool) {
		for _, all := range texts {
			for text := range all {
				if !yield(text) {
					return
				}
			}
			if !yield("\n") {
				return
			}
		}
	}
	return d, nil
}

// packageOf is the file that lists what is in a book.
func packageOf(ctx context.Context, name string, z *zip.Reader, l Limits, room *int) (opf string, err error) {
	container, err := part(name, z, "META-INF/container.xml", room)
	if err != nil {
		return "", err
	}
	locked, _ := part(name, z, "META-INF/encryption.xml", room)
	if bytes.Contains(locked, []byte("EncryptedData")) && bytes.Contains(locked, []byte(".xhtml")) {
		return "", problem(name, "its text is locked; add a copy without protection")
	}
	_ = xmlWalk(ctx, name, container, l, func(e xml.StartElement) { // what cannot be read names none
		if e.Name.Local == "rootfile" && opf == "" {
			opf = attribute(e, "full-path")
		}
	}, ignore, ignore)
	return opf, nil
}

// chapter is a file of a book's text.
type chapter struct {
	file     string
	contents bool // it is the book's list of contents
}

// spineOf lists the files of a book's chapters, and reads its title and
// language.
func spineOf(ctx context.Context, name, opf string, list []byte, l Limits, d *Document) (chapters []chapter,
	err error) {
	files, spine, in := map[string]chapter{}, []string{}, ""
	err = xmlWalk(ctx, name, list, l, func(e xml.StartElement) {
		switch in = e.Name.Local; in {
		case "item":
			file := attribute(e, "href")
			if plain, err := url.PathUnescape(file); err == nil {
				file = plain
			}
			files[attribute(e, "id")] = chapter{path.Join(path.Dir(opf), file),
				slices.Contains(strings.Fields(attribute(e, "properties")), "nav")}
		case "itemref":
			spine = append(spine, attribute(e, "idref"))
		}
	}, func(string) { in = "" }, func(s string) {
		if in == "title" && d.Title == "" {
			d.Title = strings.TrimSpace(s)
		}
		if in == "language" && d.Language == "" {
			d.Language, _, _ = strings.Cut(strings.ToLower(strings.TrimSpace(s)), "-")
		}
	})
	for _, id := range spine {
		if c := files[id]; c.file != "" {
			chapters = append(chapters, c)
		}
	}
	return chapters, err
}
