package reading

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/xml"
	"path"
	"strings"
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
	chapters, err := spineOf(ctx, name, list, l, &d)
	if err != nil {
		return d, err
	}
	for _, file := range chapters {
		chapter, err := part(name, z, path.Join(path.Dir(opf), file), &room)
		if err != nil {
			return d, err
		}
		if len(bytes.TrimSpace(chapter)) == 0 {
			continue
		}
		read, err := readHTML(ctx, name, chapter, l)
		if err != nil {
			return d, err
		}
		d.Blocks = append(d.Blocks, read.Blocks...)
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

// spineOf lists the files of a book's chapters, and reads its title and
// language.
func spineOf(ctx context.Context, name string, list []byte, l Limits, d *Document) (chapters []string, err error) {
	files, spine, in := map[string]string{}, []string{}, ""
	err = xmlWalk(ctx, name, list, l, func(e xml.StartElement) {
		switch in = e.Name.Local; in {
		case "item":
			files[attribute(e, "id")] = attribute(e, "href")
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
		chapters = append(chapters, files[id])
	}
	return chapters, err
}
